// The undercoat: schools as pictures, coats to scrub through, what is too light or too dark; the server works it all out.
import { say, send } from "../page.js";
import { Dial } from "./dial.js";
import { unpack } from "./turntable.js";

const $ = (id) => document.getElementById(id);

export class Undercoat {
  constructor(base, table) {
    Object.assign(this, { base, table, chosen: null, at: null, told: null, asked: 0 });
    $("scrub").addEventListener("input", () => this.look(Number($("scrub").value)));
    $("difference").addEventListener("change", () => { table.uniforms.differing.value = $("difference").checked; table.draw(); });
    $("fit").addEventListener("click", () => this.change({ do: "fit" }));
    $("fit-stop").addEventListener("click", () => send(`/jobs/${this.told.fit.id}/stop`, { method: "POST" }));
    $("coat-undo").addEventListener("click", () => this.change({ do: "undo" }));
    $("dark-back").addEventListener("click", () => this.change({ do: "dark" }));
    for (const button of document.querySelectorAll("[data-coat]")) button.addEventListener("click", () => {
      const what = button.dataset.coat, number = this.chosen;
      if (what === "up") this.chosen = Math.max(1, number - 1);
      if (what === "down") this.chosen = Math.min(this.told.coats.length, number + 1);
      if (what === "remove") this.chosen = null;
      this.change({ do: what, number });
    });
    const form = $("coat-form"), held = (angle) => Math.round(angle / 15) * 15; // what a hand can hold; the fields take any number
    this.dial = new Dial($("nozzle-dial"), (azimuth, elevation) => {
      form.elements.azimuth.value = held(azimuth); form.elements.elevation.value = held(elevation);
      this.dial.show(held(azimuth), held(elevation), 14);
    }, () => this.change({ do: "pass", number: this.chosen, azimuth: Number(form.elements.azimuth.value), elevation: Number(form.elements.elevation.value) }), 15, 15);
    $("coat-form").addEventListener("submit", (e) => e.preventDefault());
    $("coat-form").addEventListener("change", (e) => {
      const { name, value } = e.target, sprayed = this.told.coats[this.chosen - 1].way;
      if (name === "paint") this.change({ do: "paint", number: this.chosen, name: value });
      else if (name === "amount") this.change(sprayed ? { do: "pass", number: this.chosen, seconds: Number(value) } : { do: "amount", number: this.chosen, amount: Number(value) });
      else this.change({ do: "pass", number: this.chosen, [name]: name === "way" || name === "tool" ? value : Number(value) });
    });
    $("coat-add").addEventListener("submit", (e) => { e.preventDefault(); this.change({ do: "add", ...Object.fromEntries(new FormData(e.target)) }); });
    $("squad")?.addEventListener("submit", (e) => { e.preventDefault(); this.squad(new FormData(e.target).getAll("sculpt").map(Number)); });
  }

  async load() {
    $("undercoat-note").textContent = "Laying the coats …";
    const answer = await send(`${this.base}/undercoat.json`);
    const told = answer.ok ? await answer.json() : { trouble: answer.status === 409 ? "The coats can be laid once the sky is in." : "The coats did not arrive; reload the page." };
    if (told.trouble) { $("undercoat-note").textContent = told.trouble; return; }
    this.show(told);
  }

  async change(wish) {
    const answer = await send(`${this.base}/undercoat`, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ ...wish, turn: this.told.turn }) });
    const told = await answer.json();
    if (!answer.ok) { say(told.error, true); if (answer.status === 409) this.load(); return; }
    this.show(told);
  }

  show(told) {
    const before = this.told;
    this.told = told;
    const n = told.coats.length, per = (x) => `${Math.round(100 * x)} %`;
    $("undercoat-note").textContent = `${per(told.figures.within)} of the surface is within half a value of the target; off by ${told.figures.mean.toFixed(2)} on the mean. ${told.total.ml.toFixed(1)} ml, ${Math.round(told.total.minutes)} minutes with drying.`;
    const schools = $("schools");
    if (!schools.children.length || before?.schools[0].picture !== told.schools[0].picture) {
      schools.replaceChildren();
      for (const s of told.schools) {
        const button = document.createElement("button");
        button.type = "button"; button.dataset.school = s.name; button.title = `${s.when} ${s.weak}`;
        button.innerHTML = `<img alt="" width="132" height="168" src="${s.picture}"><span></span>`;
        button.querySelector("span").textContent = { ladder: "Grey ladder", twotone: "Two-tone", drybrush: "Drybrush", "bright-first": "Bright first", "shadow-first": "Shadow first" }[s.name];
        button.addEventListener("click", () => { this.chosen = null; this.change({ do: "school", name: s.name }); });
        schools.append(button);
      }
    }
    for (const b of schools.children) b.setAttribute("aria-pressed", String(b.dataset.school === told.school));
    const own = told.schools.find((s) => s.name === told.school);
    $("school-words").textContent = own ? `${own.when} ${own.weak}` : "Passes fitted to your light.";
    this.strip();
    $("coat-undo").disabled = !told.undo;
    $("scrub").max = n;
    if (this.at === null || this.at > n || !before || before.coats.length !== n) this.at = n;
    $("scrub").value = this.at;
    this.look(this.at);
    this.fitting();
  }

  strip() {
    const strip = $("coats");
    strip.replaceChildren();
    this.told.coats.forEach((c) => {
      const item = document.createElement("li"), button = document.createElement("button");
      button.type = "button";
      button.setAttribute("aria-pressed", String(this.chosen === c.number));
      button.className = c.muted ? "muted" : "";
      button.innerHTML = `<img alt="" width="66" height="84" loading="lazy" src="${c.picture}"><span><b></b><small></small><small class="adds"></small></span>`;
      button.querySelector("b").textContent = `${c.number}. ${c.label || c.technique}`;
      const from = !c.way ? "" : c.way === "turn" ? `, turned, ${c.elevation}° up` : `, ${c.azimuth}° round, ${c.elevation}° up`;
      button.querySelector("small").textContent = `${c.paint}, ${c.unit === "s" ? `${c.amount} s` : `${c.amount} µm`}${from}${c.muted ? ", left out" : ""}`;
      button.querySelector(".adds").textContent = c.muted ? "" : `${c.adds >= 0 ? "+" : "−"}${Math.abs(100 * c.adds).toFixed(0)} % near the target${c.warnings.length ? "; mind!" : ""}`;
      button.addEventListener("click", () => { this.chosen = this.chosen === c.number ? null : c.number; this.strip(); $("scrub").value = c.number; this.look(c.number); });
      item.append(button); strip.append(item);
    });
    const c = this.told.coats[this.chosen - 1], form = $("coat-form");
    form.hidden = !c;
    this.table.nozzle(c && c.nozzle ? c.nozzle : null, this.told.middle, c ? c.spread : 0);
    if (!c) return;
    form.elements.paint.value = [...form.elements.paint.options].some((o) => o.value === c.paint) ? c.paint : "";
    form.elements.amount.value = c.amount;
    $("amount-unit").textContent = c.unit === "s" ? "s on the trigger" : "µm dry";
    $("pass-fields").hidden = !c.way;
    if (c.way) {
      for (const name of ["azimuth", "elevation", "needle", "psi", "way", "tool"]) form.elements[name].value = c[name];
      form.elements.distance.value = c.distance_mm;
      this.dial.show(c.azimuth, c.elevation, 14);
      $("kpa").textContent = `psi, ${c.kpa} kPa`;
    }
    $("coat-facts").textContent = `${c.ml.toFixed(2)} ml, ${c.drops.toFixed(0)} drops, ${Math.round(c.minutes)} minutes with drying; ${c.film_um.toFixed(1)} µm where it lies thickest.`;
    const warned = $("coat-warnings");
    warned.hidden = !c.warnings.length;
    warned.textContent = c.warnings.join(" ");
  }

  async look(number) {
    const turn = ++this.asked;
    this.at = number;
    $("scrub-out").textContent = number === 0 ? "bare" : `after coat ${number} of ${this.told.coats.length}`;
    const answer = await fetch(`${this.base}/undercoat/${number}.bin`);
    if (turn !== this.asked || !answer.ok) return;
    const bytes = await answer.arrayBuffer(), { heading, at } = unpack(bytes), n = this.table.level.count;
    this.table.lay(new Uint8Array(bytes, at, n * 4));
    $("look-words-coat").textContent = `Too light ${Math.round(heading.too_light_mm2)} mm² (rising lines), too dark ${Math.round(heading.too_dark_mm2)} mm² (falling lines).`;
    $("undercoat-note").dataset.looked = String(number);
  }

  fitting() {
    const fit = this.told.fit, open = fit && ["waiting", "working"].includes(fit.state);
    $("fit").disabled = open; $("fit-row").hidden = !open;
    if (!open) {
      if (this.waited) say(fit && fit.state === "done" ? "The passes are found." : `The fit ended: ${fit ? fit.message : ""}`, fit?.state === "failed");
      this.waited = false;
      return;
    }
    this.waited = true;
    $("fit-share").value = fit.share; $("fit-step").textContent = fit.step;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.load(), 900);
  }

  async squad(sculpts) {
    $("squad-words").textContent = "Laying the same coats on the others …";
    const answer = await send(`${this.base}/undercoat/squad`, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ sculpts }) });
    const told = await answer.json();
    if (!answer.ok) { $("squad-words").textContent = ""; say(told.error, true); return; }
    $("squad-words").textContent = `${told.sculpts.map((s) => `${s.name}: ${Math.round(100 * s.within)} % near its target`).join("; ")}. For all: ${told.paint.map((p) => `${p.paint} ${p.ml.toFixed(1)} ml (${p.drops} drops)`).join(", ")}.`;
  }
}
