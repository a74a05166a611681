// The metal stage: a school, a world and the painter's exaggerations for each region, shown at once; the server works it all out.
import { kept, patient, say } from "../../page.js";
import { unpack } from "../turntable.js";

const $ = (id) => document.getElementById(id);
const line = (words) => Object.assign(document.createElement("li"), { textContent: words });
const SLIDERS = ["roughness", "contrast", "gather", "bow", "counterchange"];

export default class Metal {
  constructor({ base, table }) {
    Object.assign(this, { base, table, region: null, showing: "metal", plan: null });
    const form = $("metal-form"), of = (name) => form.elements.namedItem(name);
    this.of = of;
    form.addEventListener("submit", (e) => e.preventDefault());
    form.addEventListener("input", (e) => { this.told(); this.look(`${e.target.name}=${encodeURIComponent(e.target.value)}`); });
    form.addEventListener("change", (e) => { const number = SLIDERS.includes(e.target.name); this.change({ do: "set", settings: { [e.target.name]: number ? Number(e.target.value) : e.target.value } }); });
    for (const [id, what] of [["metal-paint", "paint"], ["metal-unpaint", "unpaint"], ["metal-edge", "edges"], ["metal-unedge", "unedge"]]) $(id).addEventListener("click", () => this.change({ do: what }).then(() => this.press(what === "paint" || what === "edges" ? "painted" : this.showing)));
    $("metal-holds").addEventListener("click", async () => {
      $("metal-told").replaceChildren(line("Looking from the sides …"));
      const answer = await patient(`${this.base}/metal/${this.region}/holds.json`), told = await answer.json();
      $("metal-told").replaceChildren(line(answer.ok ? told.words : told.error));
    });
    for (const b of document.querySelectorAll("[data-metal-show]")) b.addEventListener("click", () => this.press(b.dataset.metalShow));
    $("metal-undo").addEventListener("click", () => this.change({ do: "undo" }));
    $("metal-redo").addEventListener("click", () => this.change({ do: "redo" }));
  }

  enter() { this.table.layers.on("coats", true); this.load(); }
  leave() { this.table.layers.on("coats", false); }

  press(show) {
    this.showing = show;
    for (const b of document.querySelectorAll("[data-metal-show]")) b.setAttribute("aria-pressed", String(b.dataset.metalShow === show));
    this.look();
  }

  async load() {
    const turn = this.loading = (this.loading || 0) + 1;
    const answer = await patient(`${this.base}/metal.json`);
    const plan = await answer.json();
    if (turn !== this.loading) return;
    if (plan.trouble || plan.error) { $("metal-note").textContent = plan.trouble || plan.error; return; }
    this.plan = plan;
    if (!plan.regions.some((r) => r.number === this.region)) this.region = (plan.regions.find((r) => r.material === "metal") ?? plan.regions[0])?.number ?? null;
    if (!plan.regions.length) $("metal-note").textContent = "Mark the regions first.";
    $("metal-undo").disabled = !plan.undo; $("metal-redo").disabled = !plan.redo;
    this.list(); this.form(); this.look();
  }

  async change(wish) {
    const answer = await patient(`${this.base}/metal`, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ region: this.region, ...wish, turn: this.plan?.turn }) });
    const told = await answer.json();
    if (!answer.ok) { say(told.error, true); if (answer.status === 409) this.load(); return; }
    kept();
    await this.load();
  }

  list() {
    $("metal-regions").replaceChildren(...this.plan.regions.map((r) => {
      const item = document.createElement("li"), button = document.createElement("button");
      button.type = "button"; button.setAttribute("aria-pressed", String(this.region === r.number));
      button.innerHTML = `<svg viewBox="0 0 30 30" aria-hidden="true"><rect width="30" height="30" fill="${r.hex}"/></svg><span><b></b><small></small></span><span class="share"></span>`;
      button.querySelector("b").textContent = `${r.number}. ${r.name}`;
      button.querySelector("small").textContent = [r.material, r.painted ? "metal in the plan" : "", r.edged ? "edges in the plan" : ""].filter(Boolean).join(", ");
      button.addEventListener("click", () => { this.region = r.number; $("metal-told").replaceChildren(); this.list(); this.form(); this.look(); });
      item.append(button);
      return item;
    }));
    $("metal-coats").replaceChildren(...this.plan.coats.filter((c) => c.region === this.region).map((c) => {
      const item = document.createElement("li");
      item.className = "coat-row";
      item.innerHTML = `<svg class="dab" viewBox="0 0 10 10" aria-hidden="true"><rect width="10" height="10" fill="${c.hex}"/></svg><span><b></b><small></small></span>`;
      item.querySelector("b").textContent = `${c.number}. ${c.label}`;
      item.querySelector("small").textContent = `${c.paint}; ${Math.max(1, c.minutes)} min`;
      return item;
    }));
  }

  form() {
    const r = this.plan.regions.find((x) => x.number === this.region);
    $("metal-form").hidden = !r;
    if (!r) return;
    this.of("school").value = r.school; this.of("world").value = r.world;
    for (const name of SLIDERS) this.of(name).value = r.shine[name];
    $("metal-paint").textContent = r.painted ? "Put it in the plan anew" : "Put it in the plan";
    $("metal-unpaint").hidden = !r.painted; $("metal-unedge").hidden = !r.edged;
    $("metal-edges").textContent = `Crests ${Math.round(r.crests_mm)} mm, of which the lamp sees ${Math.round(r.lit_mm)} mm. Two lines: a wide one, then a fine bright one; thinner upward.`;
    if (r.jumps.length) $("metal-told").replaceChildren(...r.jumps.map(line));
    this.told();
  }

  told() {
    const chosen = this.of("school").selectedOptions[0];
    $("metal-words").textContent = chosen?.dataset.words ?? "";
    for (const part of $("metal-form").querySelectorAll("[data-school]")) part.hidden = part.dataset.school !== this.of("school").value;
    for (const name of SLIDERS) this.of(name).parentElement.querySelector("output").textContent = Number(this.of(name).value).toFixed(2);
  }

  async look(tried = "") {
    const turn = this.looked = (this.looked || 0) + 1;
    if (this.busy && tried) { this.next = tried; return; } // one at a time while a slider moves
    this.busy = true;
    const what = this.showing === "painted" ? "painted=1" : this.region ? `region=${this.region}` : "";
    const answer = await fetch(`${this.base}/metal.bin?${what}${tried && this.showing !== "painted" ? `&${tried}` : ""}`);
    const bytes = answer.ok ? await answer.arrayBuffer() : null; // read in any case: a body that is left lying keeps its connection
    this.busy = false;
    if (this.next) { const next = this.next; this.next = null; this.look(next); return; }
    if ((turn !== this.looked && !tried) || !bytes) return;
    const { at } = unpack(bytes);
    this.table.layers.put("coats", new Uint8Array(bytes, at, this.table.heading.samples * 4));
    this.table.draw();
    $("metal-note").dataset.looked = this.showing;
  }
}
