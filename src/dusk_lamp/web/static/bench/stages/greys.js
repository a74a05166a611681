// The greys: how many, how rare the lightest; the list and the value ruler draw what the server cut.
import { Ruler } from "../ruler.js";

const $ = (id) => document.getElementById(id);

export default class Greys {
  constructor({ lighting, table }) {
    Object.assign(this, { lighting, table, only: null });
    const change = (what) => {
      Object.assign(lighting.greys, what);
      lighting.changed();
    };
    for (const radio of document.querySelectorAll('[name="steps"]')) {
      radio.addEventListener("change", () => {
        this.show(null);
        change({ steps: Number(radio.value), cuts: null });
      });
    }
    $("rationed").addEventListener("change", () =>
      change({ white_budget: $("rationed").checked ? Number($("budget").value) / 100 : null }),
    );
    $("budget").addEventListener("input", () => {
      lighting.greys.white_budget = Number($("budget").value) / 100;
      this.controls();
    });
    $("budget").addEventListener("change", () => lighting.changed());
    $("even").addEventListener("click", () => change({ cuts: null }));
    this.ruler = new Ruler($("ruler"), $("ruler-steps"), [], {
      touched: (k) => this.show(this.only === k ? null : k),
      slid: (k, value) => {
        const cuts = [...lighting.bands.cuts];
        cuts[k] = Math.round(value * 100) / 100;
        change({ cuts });
      },
    });
    lighting.whenSet(() => this.controls());
    lighting.whenShown((heading) => {
      this.ruler.histogram(heading.histogram);
      if (!heading.moving) this.bands();
    });
  }

  ready() {
    this.ruler.greys = this.table.heading.greys;
  }
  enter() {
    this.table.layers.on("bands", true);
  }
  leave() {
    this.table.layers.on("bands", false);
  }

  // a key shows one step, or all of them
  key(key) {
    if (key === "0" || key === "escape") this.show(null);
    else if (/^[1-9]$/.test(key) && Number(key) <= (this.lighting.bands?.greys.length ?? 0))
      this.show(Number(key) - 1);
    else return false;
    return true;
  }

  controls() {
    const { greys } = this.lighting,
      budget = greys.white_budget;
    for (const radio of document.querySelectorAll('[name="steps"]'))
      radio.checked = Number(radio.value) === greys.steps;
    $("rationed").checked = budget !== null;
    $("budget").disabled = budget === null;
    if (budget !== null) $("budget").value = budget * 100;
    $("budget-out").textContent = budget === null ? "no limit" : `${(budget * 100).toFixed(1)} %`;
    $("even").hidden = !greys.cuts;
  }

  show(k) {
    this.only = k;
    this.table.layers.set("only", k ?? -1);
    this.table.draw();
    if (this.lighting.bands) this.bands();
  }

  bands() {
    const b = this.lighting.bands,
      { only, table } = this;
    b.greys.forEach((_, k) => {
      table.uniforms.stepGrey.value[k] = parseInt(b.hex[k].slice(1, 3), 16) / 255;
    });
    this.ruler.ladder(b, only, this.lighting.greys.white_budget !== null);
    const list = $("greys");
    list.replaceChildren();
    b.greys.forEach((grey, k) => {
      const item = document.createElement("li"),
        button = document.createElement("button");
      button.type = "button";
      button.setAttribute("aria-pressed", String(only === k));
      button.innerHTML = `<svg viewBox="0 0 48 38" aria-hidden="true"><rect width="48" height="38" fill="${b.hex[k]}"/></svg><span>${k + 1}. N ${grey.toFixed(1)}<small>${k === 0 ? "primer" : `from N ${b.cuts[k - 1].toFixed(2)}`}</small></span><span class="share">${(b.share[k] * 100).toFixed(1)} %<small>${b.area_mm2[k].toFixed(0)} mm²</small></span>`;
      button.addEventListener("click", () => this.show(only === k ? null : k));
      item.append(button);
      list.append(item);
    });
    $("notice").hidden = !b.notice;
    $("notice").textContent = b.notice;
    const note = $("band-note");
    note.hidden = only === null;
    if (only !== null)
      note.textContent = `Step ${only + 1} only: N ${b.greys[only].toFixed(1)}, ${(b.share[only] * 100).toFixed(1)} % of the surface, ${b.area_mm2[only].toFixed(0)} mm². Press 0 to show all.`;
    table.draw();
  }
}
