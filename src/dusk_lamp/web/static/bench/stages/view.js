// The display view and the focal spots: sends looks and clicks, draws what comes back.
const $ = (id) => document.getElementById(id);

export default class View {
  constructor({ base, table, here, history }) {
    Object.assign(this, { base, table, here, history });
    table.canvas.addEventListener("picked", (e) => {
      if (here("view")) this.change({ do: "spot", ...e.detail });
    });
    $("look-here").addEventListener("click", () =>
      this.change({ do: "look", azimuth: table.azimuth, elevation: table.elevation }),
    );
  }

  get marks() {
    return true;
  } // by clicks on the sculpt
  ready() {
    return this.load();
  }
  enter() {
    for (const mark of this.table.marks?.children ?? []) mark.visible = true;
    return this.load();
  }
  leave() {
    for (const mark of this.table.marks?.children ?? []) mark.visible = false;
  }
  place() {
    return [this.display.azimuth, this.display.elevation];
  }

  async load() {
    const answer = await fetch(`${this.base}/display.json`);
    if (answer.ok) this.show(await answer.json());
  }

  async change(wish) {
    const display = await this.history.change("display", wish);
    if (display) this.show(display);
  }

  show(display) {
    this.display = display;
    this.table.focus(display.spots, display.azimuth, this.here("view"));
    const side =
      Math.abs(display.azimuth) < 5
        ? "straight from the front"
        : `${Math.round(Math.abs(display.azimuth))}° to the ${display.azimuth > 0 ? "right" : "left"}`;
    $("look-words").textContent =
      `${side[0].toUpperCase()}${side.slice(1)}, ${Math.round(display.elevation)}° above level`;
    const spots = $("spot-list");
    spots.replaceChildren();
    display.spots.forEach((_, k) => {
      const item = document.createElement("li"),
        word = document.createElement("span"),
        away = document.createElement("button");
      word.textContent = `${k + 1}. ${display.on[k] || "on the rest"}`;
      away.type = "button";
      away.className = "quiet";
      away.textContent = "Take away";
      away.setAttribute("aria-label", `Take away focal spot ${k + 1}`);
      away.addEventListener("click", () => this.change({ do: "away", number: k }));
      item.append(word, away);
      spots.append(item);
    });
    $("no-spots").hidden = display.spots.length > 0;
    $("seen-words").textContent = display.seen_words;
    const seen = $("seen-list");
    seen.replaceChildren();
    for (const row of display.seen) {
      const item = document.createElement("li");
      item.innerHTML = `<svg viewBox="0 0 100 8" preserveAspectRatio="none" aria-hidden="true"><rect width="100" height="8" class="track"/><rect width="${(row.share * 100).toFixed(1)}" height="8" fill="${row.patch}"/></svg><span></span><b>${Math.round(row.share * 100)} %</b>`;
      item.querySelector("span").textContent =
        row.attention === "focal point" ? `${row.name} (focal point)` : row.name;
      seen.append(item);
    }
  }
}
