// The undercoat: schools as pictures, coats to scrub through, what is too light or too dark; the server works it all
// out.
import { left, moved } from "../../events.js";
import { patient, say, send } from "../../page.js";
import { Dial } from "../dial.js";
import { unpack } from "../turntable.js";

const $ = (id) => document.getElementById(id);

export default class Undercoat {
  constructor({ base, sculpt, table, history }) {
    Object.assign(this, { base, sculpt, table, history, chosen: null, at: null, plan: null, asked: 0 });
    $("scrub").addEventListener("input", () => this.look(Number($("scrub").value)));
    $("difference").addEventListener("change", () => {
      table.layers.set("differing", $("difference").checked);
      table.draw();
    });
    $("fit").addEventListener("click", () => this.change({ do: "fit" }));
    $("fit-stop").addEventListener("click", () => send(`/jobs/${this.plan.fit.id}/stop`, { method: "POST" }));
    $("touch-ups").addEventListener("toggle", () => {
      if ($("touch-ups").open && this.plan) this.touchUps();
    });
    $("touch-all").addEventListener("click", () => this.change({ do: "touch", all: true }));
    $("dark-back").addEventListener("click", () => this.change({ do: "dark" }));
    $("left-to-colours").addEventListener("click", () => this.change({ do: "school", name: "suited" }));
    for (const button of document.querySelectorAll("[data-coat]"))
      button.addEventListener("click", () => {
        const what = button.dataset.coat,
          number = this.chosen;
        if (what === "up") this.chosen = Math.max(1, number - 1);
        if (what === "down") this.chosen = Math.min(this.plan.coats.length, number + 1);
        if (what === "remove") this.chosen = null;
        this.change({ do: what, number });
      });
    const form = $("coat-form"),
      step = Number($("nozzle-dial").dataset.step),
      held = (angle) => Math.round(angle / step) * step; // what a hand can hold; the fields take any number
    const set = (settings) => this.change({ do: "set", number: this.chosen, settings });
    this.dial = new Dial(
      $("nozzle-dial"),
      (azimuth, elevation) => {
        form.elements.azimuth.value = held(azimuth);
        form.elements.elevation.value = held(elevation);
        this.dial.show(held(azimuth), held(elevation), 14);
      },
      () => set({ azimuth: Number(form.elements.azimuth.value), elevation: Number(form.elements.elevation.value) }),
      step,
      step,
    );
    form.addEventListener("input", (e) => {
      if (e.target.type === "range") e.target.parentElement.querySelector("output").textContent = e.target.value;
    });
    form.addEventListener("submit", (e) => e.preventDefault());
    form.addEventListener("change", (e) => {
      const { name, value } = e.target;
      if (name === "paint") this.change({ do: "paint", number: this.chosen, name: value });
      else set({ [name]: "words" in e.target.dataset ? value : Number(value) });
    });
    $("ladder-colour").addEventListener("change", () =>
      this.change({ do: "colour", name: $("ladder-colour").value }),
    );
    $("primers").addEventListener("toggle", () => {
      if ($("primers").open) this.primers();
    });
    $("coat-add").addEventListener("submit", (e) => {
      e.preventDefault();
      this.change({ do: "add", ...Object.fromEntries(new FormData(e.target)) });
    });
    $("squad")?.addEventListener("submit", (e) => {
      e.preventDefault();
      this.squad(new FormData(e.target).getAll("sculpt").map(Number));
    });
  }

  enter() {
    this.sight(true);
    return this.load();
  }
  leave() {
    this.sight(false);
  }
  sight(shown) {
    this.table.layers.on("coats", shown);
    if (this.table.jet) this.table.jet.visible = shown;
  }

  get of() {
    return this.plan.coats[this.chosen - 1];
  }

  async load() {
    $("undercoat-note").textContent = "Laying the coats …";
    const turn = (this.loading = (this.loading || 0) + 1);
    const answer = await patient(`${this.base}/undercoat.json`);
    const plan = await answer.json();
    if (turn !== this.loading) return;
    plan.trouble ||= plan.error;
    if (plan.trouble) {
      $("undercoat-note").textContent = `${plan.trouble[0].toUpperCase()}${plan.trouble.slice(1)} `;
      if (plan.rack)
        $("undercoat-note").append(
          Object.assign(document.createElement("a"), { href: plan.rack, textContent: "To the rack" }),
        );
      if (answer.status === 409) {
        const again = Object.assign(document.createElement("button"), {
          type: "button",
          className: "button is-small",
          textContent: "Lay the coats",
        });
        again.addEventListener("click", () => this.load());
        $("undercoat-note").append(again);
      }
      return;
    }
    this.show(plan);
  }

  async change(wish) {
    const plan = await this.history.change("undercoat", wish);
    if (plan) this.show(plan);
  }

  show(plan) {
    const before = this.plan;
    this.plan = plan;
    const n = plan.coats.length;
    $("undercoat-note").textContent = plan.words;
    $("undercoat-cautions").textContent = plan.cautions.join(" ");
    $("fit").hidden = !plan.fits;
    const schools = $("schools");
    if (!schools.children.length || before?.schools.some((s, k) => s.picture !== plan.schools[k].picture)) {
      schools.replaceChildren();
      for (const s of plan.schools) {
        const button = document.createElement("button");
        button.type = "button";
        button.dataset.school = s.name;
        button.title = `${s.when} ${s.weak}`;
        if (s.lack) {
          button.disabled = true;
          button.innerHTML = '<span class="lacking"></span><span></span><small></small>';
          button.querySelector("small").textContent = s.lack;
          button.querySelector("span:not(.lacking)").textContent = s.title;
          schools.append(button);
          continue;
        }
        button.innerHTML = `<img alt="" width="132" height="168" src="${s.picture}"><span></span><small></small>`;
        button.querySelector("img").addEventListener("load", async () => {
          // worked out with the picture
          const answer = await fetch(s.near);
          if (!answer.ok) return;
          button.match = await answer.json();
          this.near(button);
          button.title = `${s.when} ${s.weak} ${button.match.words}`;
        });
        button.querySelector("span").textContent = s.title;
        button.addEventListener("click", () => {
          this.chosen = null;
          this.change({ do: "school", name: s.name });
        });
        schools.append(button);
      }
    }
    for (const b of schools.children) {
      b.setAttribute("aria-pressed", String(b.dataset.school === plan.school));
      if (b.match) this.near(b);
    }
    $("school-words").textContent = plan.school_words;
    $("through-row").hidden = plan.school !== "coloured";
    $("left-to-colours").hidden = plan.free;
    $("ladder-colour").value = plan.through;
    $("primer-name").textContent = plan.primer.name;
    if (before && before.primer.name !== plan.primer.name && $("primers").open) this.primers();
    this.strip();
    $("scrub").max = n;
    if (this.at === null || this.at > n || !before || before.coats.length !== n) this.at = n;
    $("scrub").value = this.at;
    this.look(this.at);
    this.fitting();
    if ($("touch-ups").open) this.touchUps();
  }

  // under a school's picture: of the one that is laid, what its coats come to by now
  near(button) {
    const { match } = button,
      own = button.dataset.school === this.plan.school,
      per = (x) => `${Math.round(100 * x)} %`;
    const { within, order } = own ? this.plan.figures : { within: match.within_half, order: match.rank_agreement };
    button.querySelector("small").textContent = `${per(within)} near\norder ${per(order)}\n${match.short}`;
  }

  // what the nozzle could not reach: each patch can be taken or left
  async touchUps() {
    const words = $("touch-words"),
      list = $("touch-list"),
      turn = this.plan.turn;
    words.textContent = "Looking for what the nozzle cannot reach …";
    const answer = await patient(`${this.base}/undercoat/touch-ups`);
    const found = await answer.json();
    if (!answer.ok) {
      words.textContent = "";
      say(found.error, true);
      return;
    }
    if (turn !== this.plan.turn) return;
    list.replaceChildren();
    found.touch_ups.forEach((p, place) => {
      const item = document.createElement("li"),
        button = document.createElement("button");
      button.type = "button";
      button.innerHTML =
        '<svg class="dab" viewBox="0 0 10 10" aria-hidden="true"><rect width="10" height="10"/></svg><span><b></b><small></small></span>';
      button.querySelector("rect").setAttribute("fill", p.hex);
      button.querySelector("b").textContent = p.words;
      button.querySelector("small").textContent = p.gain_words;
      button.addEventListener("click", () => this.change({ do: "touch", place }));
      item.append(button);
      list.append(item);
    });
    $("touch-all").hidden = !found.touch_ups.length;
    words.textContent = found.words;
    words.dataset.found = String(found.touch_ups.length);
  }

  strip() {
    const strip = $("coats");
    strip.replaceChildren();
    this.plan.coats.forEach((c) => {
      const item = document.createElement("li"),
        button = document.createElement("button");
      button.type = "button";
      button.setAttribute("aria-pressed", String(this.chosen === c.number));
      button.className = c.muted ? "muted" : "";
      button.innerHTML = `<img alt="" width="66" height="84" loading="lazy" src="${c.picture}"><span><b></b><small></small><small class="adds"></small></span>`;
      button.querySelector("b").textContent = `${c.number}. ${c.label || c.technique}`;
      button.querySelector("small").textContent = c.words;
      button.querySelector(".adds").textContent = c.muted
        ? ""
        : `${c.adds >= 0 ? "+" : "−"}${Math.abs(100 * c.adds).toFixed(0)} % right${c.warnings.length ? "; has a warning" : ""}`;
      button.addEventListener("click", () => {
        this.chosen = this.chosen === c.number ? null : c.number;
        this.strip();
        $("scrub").value = c.number;
        this.look(c.number);
      });
      item.append(button);
      strip.append(item);
    });
    const c = this.plan.coats[this.chosen - 1],
      form = $("coat-form");
    form.hidden = !c;
    this.table.nozzle(c && c.nozzle ? c.nozzle : null, this.plan.middle, c ? c.spread : 0);
    if (!c) return;
    form.elements.paint.value = [...form.elements.paint.options].some((o) => o.value === c.paint) ? c.paint : "";
    form.querySelector('[data-coat="mute"]').textContent = c.muted ? "Use this coat" : "Skip this coat";
    const { settings } = c,
      aimed = typeof settings.azimuth === "number";
    for (const group of form.querySelectorAll("[data-of]")) {
      group.hidden = group.dataset.of !== c.technique;
      if (group.hidden) continue;
      for (const field of group.querySelectorAll("[name]")) {
        field.value = settings[field.name];
        const out = field.parentElement.querySelector("output");
        if (out) out.textContent = field.value;
      }
    }
    $("from-fields").hidden = !aimed;
    $("reach").toggleAttribute("hidden", !c.nozzle);
    if (aimed) {
      for (const name of ["azimuth", "elevation"]) form.elements[name].value = settings[name];
      this.dial.show(settings.azimuth, settings.elevation, 14);
    }
    if (c.nozzle) this.reach(c);
    $("coat-facts").textContent =
      `${c.ml.toFixed(2)} ml, ${Math.max(1, Math.round(c.drops))} ${Math.round(c.drops) > 1 ? "drops" : "drop"}, ${Math.max(1, Math.round(c.hand_minutes))} min at the model, ${Math.round(c.wait_minutes)} min to dry; ${c.film_um.toFixed(1)} µm where it lies thickest.${c.kpa ? ` ${c.psi} psi are ${c.kpa} kPa; ${c.flow}.` : ""}`;
    const warned = $("coat-warnings");
    warned.hidden = !c.warnings.length;
    warned.textContent = c.warnings.join(" ");
  }

  // the nozzle beside the model, to scale: how far it is, how steep, how wide the cone is where it lands
  reach(c) {
    const svg = $("reach"),
      tall = this.plan.size[1],
      wide = this.plan.size[0],
      far = c.distance_mm,
      up = (c.elevation * Math.PI) / 180;
    const x = -far * Math.cos(up),
      y = -far * Math.sin(up),
      s = c.spread,
      left = Math.min(x, -wide / 2) - 6,
      right = Math.max(wide / 2, s) + 6;
    const top = Math.min(y, -tall / 2, -s) - 6,
      bottom = Math.max(y, tall / 2, s) + 6;
    const rim = (k) => `${-k * s * Math.sin(up)} ${k * s * Math.cos(up)}`;
    svg.setAttribute("viewBox", `${left} ${top} ${right - left} ${bottom - top}`);
    svg.setAttribute(
      "aria-label",
      `The nozzle is ${Math.round(far)} mm from the middle of the model, which is ${Math.round(tall)} mm tall; the cone is ${Math.round(2 * s)} mm wide there.`,
    );
    svg.innerHTML = `<path class="cone" d="M${x} ${y}L${rim(1)}L${rim(-1)}z"/><rect class="model" x="${-wide / 2}" y="${-tall / 2}" width="${wide}" height="${tall}" rx="${wide / 3}"/><path class="ground" d="M${left} ${tall / 2}H${right}"/><path class="ray" d="M${x} ${y}L0 0"/><circle class="jet" cx="${x}" cy="${y}" r="${(right - left) / 60}"/>`;
  }

  async primers() {
    const answer = await send(`${this.base}/undercoat/primers`);
    if (!answer.ok) return;
    const found = await answer.json(),
      list = $("primer-list");
    list.replaceChildren();
    for (const p of found.primers) {
      const item = document.createElement("li"),
        button = document.createElement("button");
      button.type = "button";
      button.setAttribute("aria-pressed", String(p.name === this.plan.primer.name));
      button.innerHTML =
        '<svg class="dab" viewBox="0 0 10 10" aria-hidden="true"><rect width="10" height="10"/></svg><span><b></b><small></small></span>';
      button.querySelector("rect").setAttribute("fill", p.hex);
      button.querySelector("b").textContent = p.name;
      button.querySelector("small").textContent = p.words;
      button.addEventListener("click", () => this.change({ do: "primer", name: p.name }));
      item.append(button);
      list.append(item);
    }
    $("primer-words").textContent = found.words;
  }

  async look(number) {
    const turn = ++this.asked;
    this.at = number;
    $("scrub-out").textContent = number === 0 ? "the bare model" : `coat ${number} of ${this.plan.coats.length}`;
    const answer = await fetch(`${this.base}/undercoat/${number}.bin`);
    // read in any case: a body that is left lying keeps its connection
    const bytes = answer.ok ? await answer.arrayBuffer() : null;
    if (turn !== this.asked || !bytes) return;
    const { heading, at } = unpack(bytes);
    this.table.layers.put("coats", new Uint8Array(bytes, at, this.table.heading.samples * 4));
    this.table.draw();
    $("look-words-coat").textContent =
      `Too light ${Math.round(heading.too_light_mm2)} mm² (rising lines), too dark ${Math.round(heading.too_dark_mm2)} mm² (falling lines).`;
    $("undercoat-note").dataset.looked = String(number);
  }

  fitting() {
    const fit = this.plan.fit,
      open = fit && ["waiting", "working"].includes(fit.state);
    $("fit").disabled = open;
    $("fit-row").hidden = !open;
    if (!open) {
      if (this.waited)
        say(
          fit && fit.state === "done" ? "The passes are found." : `The fit ended: ${fit ? fit.message : ""}`,
          fit?.state === "failed",
        );
      this.waited = false;
      return;
    }
    this.waited = true;
    $("fit-share").value = fit.share;
    const words = left(this.sculpt);
    $("fit-step").textContent = words ? `${fit.step} · ${words}` : fit.step;
    if (this.following) return; // one at a time
    this.following = moved(this.sculpt, 600).then(async () => {
      this.following = null;
      const answer = await send(`${this.base}/undercoat/fit`).catch(() => null);
      if (answer?.ok) this.plan.fit = (await answer.json()).fit;
      if (!["waiting", "working"].includes(this.plan.fit.state)) this.history.reload();
      else this.fitting(); // its coats are a revision of their own
    });
  }

  async squad(sculpts) {
    $("squad-words").textContent = "Laying the same coats on the others …";
    const answer = await send(`${this.base}/undercoat/squad`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ sculpts }),
    });
    const squad = await answer.json();
    if (!answer.ok) {
      $("squad-words").textContent = "";
      say(squad.error, true);
      return;
    }
    this.history.look(); // on how many models it is painted is in the plan
    const table = $("squad-table");
    table.innerHTML = "<thead><tr><th>Sculpt</th><th>Near</th><th>Off by</th></tr></thead><tbody></tbody>";
    for (const row of squad.sculpts) {
      const line = table.tBodies[0].insertRow();
      for (const words of [row.name, `${Math.round(100 * row.within)} %`, row.mean.toFixed(2)])
        line.insertCell().textContent = words;
    }
    table.hidden = false;
    $("squad-words").textContent = squad.words;
  }
}
