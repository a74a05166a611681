// Regions: sends picks and changes, draws the labels and the list that come back.
import { say, send } from "../../page.js";
import { unpack } from "../turntable.js";
import Pieces from "./pieces.js";

const $ = (id) => document.getElementById(id);

export default class Regions {
  constructor({ base, table, here, stages, history }) {
    Object.assign(this, { base, table, history, here: () => here("regions"), seen: () => stages.parts.seen(), chosen: null, last: null, rays: [], dabbing: false, waiting: [] });
    this.pieces = new Pieces({ base, table, on: () => this.here() && this.held() === "piece" });
    table.canvas.addEventListener("dabbed", (e) => this.dab(e.detail));
    table.canvas.addEventListener("lifted", () => this.lift());
    table.canvas.addEventListener("dropped", () => { this.rays = []; this.waiting = []; this.load(); });
    for (const radio of document.querySelectorAll('[name="tool"]')) radio.addEventListener("change", () => this.tool());
    for (const id of ["brush", "near"]) $(id).addEventListener("input", () => this.words());
    $("near").addEventListener("change", () => { if (this.last?.tool === "alike") this.change({ ...this.last, near: Number($("near").value), again: true }); });
    for (const button of document.querySelectorAll("[data-facing]")) button.addEventListener("click", () => this.wish({ do: "facing", way: button.dataset.facing }));
    for (const button of document.querySelectorAll("[data-tidy]")) button.addEventListener("click", () => this.change({ do: button.dataset.tidy, number: this.chosen }));
    $("guess").addEventListener("click", () => this.change({ do: "guess" }));
    $("clear").addEventListener("click", () => this.change({ do: "clear" }));
    $("regions-file").addEventListener("change", () => this.bring());
    table.canvas.addEventListener("picked", (e) => { if (this.here()) this.pick(e.detail); });
    $("crease").addEventListener("input", () => this.words());
    $("crease").addEventListener("change", () => { if (this.last?.tool === "creases") this.change({ ...this.last, crease: Number($("crease").value), again: true }); });
    $("region-form").addEventListener("submit", (e) => e.preventDefault());
    for (const name of ["name", "material", "attention", "texture", "colour"]) {
      $(`region-${name}`).addEventListener("change", () => this.change({ do: "describe", number: this.chosen, [name]: $(`region-${name}`).value }));
    }
    for (const button of document.querySelectorAll("[data-rim]")) button.addEventListener("click", () => this.change({ do: "rim", number: this.chosen, rounds: Number(button.dataset.rim) }));
    $("region-remove").addEventListener("click", () => { const number = this.chosen; this.choose(null); this.change({ do: "remove", number }); });
    this.words();
  }

  get marks() { return true; } // by clicks on the sculpt
  mode() { return document.querySelector('[name="mode"]:checked').value; }
  words() {
    $("crease-out").textContent = `${$("crease").value}°`;
    $("brush-out").textContent = `${(2 * $("brush").value).toFixed(1)} mm across`;
    $("near-out").textContent = Number($("near").value) < 0.08 ? "very" : Number($("near").value) < 0.2 ? "much" : "somewhat";
  }

  held() { return document.querySelector('[name="tool"]:checked').value; }
  tool() {
    const tool = this.held();
    if (tool === "piece" && this.here()) this.pieces.load(); else this.pieces.clear();
    for (const own of document.querySelectorAll("[data-tool]")) own.hidden = own.dataset.tool !== tool;
    this.table.brushing = tool === "brush" && this.here();
    document.querySelector(".hint").textContent = this.table.brushing ? "Drag to paint · right button to turn · wheel to come closer" : "Drag to turn · wheel to come closer · double-click to reset";
    return tool;
  }

  // a stroke: every dab is shown as soon as the server says what it touches, and kept when the brush is lifted
  target() {
    const mode = this.mode();
    if (mode !== "new" && this.chosen === null) { say("Choose a region in the list first, or paint with “New region”.", true); return null; }
    return { number: mode === "new" ? null : this.chosen, take: mode === "take", free: $("free").checked };
  }

  dab(ray) {
    if (!this.here()) return;
    if (!this.rays.length && !(this.stroke = this.target())) return;
    if (!this.stroke) return;
    const last = this.rays[this.rays.length - 1], radius = Number($("brush").value);
    if (last && Math.hypot(...ray.origin.map((v, i) => v - last.origin[i])) < radius / 3) return;
    this.rays.push(ray); this.waiting.push(ray);
    this.ask();
  }

  async ask() {
    if (this.dabbing || !this.waiting.length) return;
    this.dabbing = true;
    const rays = this.waiting.splice(0);
    const began = performance.now();
    try {
      const answer = await send(`${this.base}/dab`, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ rays, radius: Number($("brush").value), through: $("through").checked, ...this.seen() }) });
      if (answer.ok && this.rays.length) {
        const bytes = await answer.arrayBuffer(), { heading, at } = unpack(bytes);
        this.table.inMotion();
        const number = this.stroke.take ? 0 : this.stroke.number ?? Math.min(this.marking.regions.length + 1, 60);
        this.table.touch(new Int32Array(bytes, at, heading.touched), number);
        this.table.canvas.dataset.dab = (performance.now() - began).toFixed(1);
      }
    } finally { this.dabbing = false; }
    this.ask();
  }

  async lift() {
    const rays = this.rays.splice(0);
    this.waiting = [];
    if (!rays.length || !this.stroke) return;
    await this.change({ do: "brush", rays, radius: Number($("brush").value), through: $("through").checked, ...this.stroke, ...this.seen() });
    if (this.mode() === "new") document.querySelector('[name="mode"][value="add"]').checked = true; // the next stroke goes on with it
  }

  wish(what) {
    const target = this.target();
    if (target) this.change({ ...what, ...target });
  }

  async bring() {
    const form = new FormData(), file = $("regions-file").files[0];
    if (!file) return;
    form.append("file", file);
    $("regions-file").value = "";
    const answer = await send(`${this.base}/regions/file`, { method: "POST", body: form });
    if (!answer.ok) { say((await answer.json()).error, true); return; }
    this.show(await answer.arrayBuffer());
    this.history.look();
    say("The regions are on. Undo takes them off again.");
  }

  ready() { return this.load(); }
  enter() { this.table.layers.on("regions", true); this.tool(); }
  leave() {
    document.querySelector(".hint").textContent = "Drag to turn · wheel to come closer · double-click to reset";
    this.pieces.clear(); this.table.layers.on("regions", false); this.table.brushing = false;
  }

  async load() {
    const answer = await fetch(`${this.base}/regions.bin`);
    if (answer.ok) this.show(await answer.arrayBuffer());
  }

  pick({ origin, direction }) {
    if (this.held() === "piece") {
      if (this.pieces.node >= 0) this.wish({ do: "piece", node: this.pieces.node }); else say("The pieces are still being found; a moment.");
      return;
    }
    this.wish({ do: "pick", origin, direction, tool: this.tool(), crease: Number($("crease").value), near: Number($("near").value), ...this.seen() });
  }

  async change(wish) {
    const before = this.marking.regions.length;
    const bytes = await this.history.change("regions", { ...wish, surface: this.marking.surface }, { read: "bytes" });
    if (!bytes) { if (wish.do === "brush") this.load(); return; }
    this.last = wish.do === "pick" ? { ...wish, again: undefined } : null;
    this.show(bytes);
    if (["pick", "piece", "brush", "facing"].includes(wish.do) && this.marking.regions.length > before) this.choose(this.marking.regions.length);
  }

  show(bytes) {
    const { heading, at } = unpack(bytes);
    this.marking = heading;
    if (heading.turn > this.history.turn) this.history.turn = heading.turn;
    this.table.mark(new Uint8Array(bytes, at), heading.regions.map((r) => r.patch));
    $("guess-row").hidden = heading.regions.length > 0; $("clear").hidden = !heading.regions.length;
    if (this.chosen > heading.regions.length) this.chosen = null;
    this.list();
  }

  choose(number) {
    this.chosen = number;
    this.list();
  }

  list() {
    const { regions, rest, whole } = this.marking;
    this.table.layers.set("chosen", this.chosen ?? 0);
    this.table.draw();
    const list = $("region-list");
    list.replaceChildren();
    const row = (number, name, words, area, patch) => {
      const item = document.createElement("li"), button = document.createElement("button");
      button.type = "button";
      button.setAttribute("aria-pressed", String(number !== 0 && this.chosen === number));
      button.innerHTML = `<svg viewBox="0 0 30 30" aria-hidden="true"><rect width="30" height="30" fill="${patch}"/></svg><span><b></b><small></small></span><span class="share"></span>`;
      button.querySelector("b").textContent = name;
      button.querySelector("small").textContent = words;
      button.querySelector(".share").textContent = `${(100 * area / whole).toFixed(1)} %`;
      if (number) button.addEventListener("click", () => this.choose(this.chosen === number ? null : number)); else button.disabled = true;
      item.append(button); list.append(item);
    };
    regions.forEach((r) => row(r.number, `${r.number}. ${r.name}`, `${r.colour || r.material}, ${r.attention}`, r.area, r.patch));
    row(0, "The rest", "not marked", rest, "#8a8a8a");
    list.querySelector('[aria-pressed="true"]')?.scrollIntoView({ block: "nearest" });
    const own = regions[this.chosen - 1];
    $("region-form").hidden = !own;
    if (own) { $("region-name").value = own.name; $("region-material").value = own.material; $("region-attention").value = own.attention; $("region-texture").value = own.texture;
      const colour = $("region-colour");
      if (own.colour && ![...colour.options].some((o) => o.value === own.colour)) colour.append(new Option(own.colour)); // gone from the rack
      colour.value = own.colour;
    }
  }
}
