// Pieces: shows the piece under the pointer, walks to larger and smaller ones, tells which node a click takes.
import { patient, say } from "../../page.js";
import { unpack } from "../turntable.js";

const $ = (id) => document.getElementById(id);
const FIRST = 0.12, GROWS = 1.25; // the piece that is shown first has at most this share of the model; the next larger one at least so much more

export default class Pieces {
  constructor({ base, table, on }) {
    Object.assign(this, { base, table, on, tree: null, node: -1, facet: -1 });
    table.canvas.addEventListener("pointermove", (e) => { if (this.on() && !e.buttons) this.over(e.clientX, e.clientY); });
    table.canvas.addEventListener("pointerleave", () => this.clear());
    table.canvas.addEventListener("wheel", (e) => { // before the turntable: Ctrl and the wheel still come closer
      if (!this.on() || e.ctrlKey || this.node < 0) return;
      e.preventDefault(); e.stopImmediatePropagation();
      this.walk(e.deltaY < 0 ? 1 : -1);
    }, { passive: false, capture: true });
    table.canvas.addEventListener("keydown", (e) => {
      if (!this.on() || !["+", "=", "-"].includes(e.key)) return;
      e.stopImmediatePropagation();
      this.walk(e.key === "-" ? -1 : 1);
    }, { capture: true });
    $("piece-larger").addEventListener("click", () => this.walk(1));
    $("piece-smaller").addEventListener("click", () => this.walk(-1));
  }

  async load() {
    if (this.tree || this.asked) return;
    this.asked = true;
    $("piece-note").textContent = "Finding the pieces …";
    const answer = await patient(`${this.base}/pieces.bin`).catch(() => null);
    if (!answer?.ok) { this.asked = false; say("The pieces did not arrive; take another tool, or try again.", true); return; }
    const bytes = await answer.arrayBuffer(), { heading, at } = unpack(bytes), k = heading.leaves, all = 2 * k - 1;
    let place = at;
    const take = (Kind, count) => { const out = new Kind(bytes, place, count); place += count * 4; return out; };
    this.tree = { facet: take(Int32Array, heading.samples), place: take(Int32Array, k), parent: take(Int32Array, all), span: take(Int32Array, 2 * all), area: take(Float32Array, all) };
    this.shown = new Uint8Array(heading.samples);
    $("piece-note").textContent = "Point at the sculpt: what a click would take is lit. Wheel, + and − : larger, smaller.";
  }

  over(x, y) {
    if (!this.tree) return;
    const began = performance.now(), sample = this.table.under(x, y);
    if (sample === null) { this.clear(); return; }
    const facet = this.tree.facet[sample];
    if (facet === this.facet) return;
    const inside = this.node >= 0 && this.within(facet, this.node);
    this.facet = facet;
    if (!inside) this.node = this.first(facet);
    this.light();
    this.table.canvas.dataset.hover = (performance.now() - began).toFixed(1);
  }

  first(facet) {
    const { parent, area } = this.tree, most = FIRST * area[area.length - 1];
    let node = facet;
    while (parent[node] >= 0 && area[parent[node]] <= most) node = parent[node];
    return node;
  }

  within(facet, node) { const at = this.tree.place[facet]; return at >= this.tree.span[2 * node] && at < this.tree.span[2 * node + 1]; }

  // one step up, past what is hardly larger; or down toward the spot that is pointed at
  walk(way) {
    if (!this.tree || this.facet < 0) return;
    const { parent, area } = this.tree, now = area[this.node];
    if (way > 0) {
      let node = this.node;
      while (parent[node] >= 0 && area[node] < GROWS * now) node = parent[node];
      this.node = node;
    } else {
      let node = this.facet;
      while (parent[node] >= 0 && parent[node] !== this.node && area[parent[node]] * GROWS <= now) node = parent[node];
      this.node = node;
    }
    this.light();
  }

  light() {
    const { facet, place, span, area } = this.tree, from = span[2 * this.node], to = span[2 * this.node + 1];
    for (let i = 0; i < facet.length; i += 1) { const at = place[facet[i]]; this.shown[i] = at >= from && at < to ? 255 : 0; }
    this.table.layers.put("piece", this.shown);
    this.table.layers.on("piece", true);
    $("piece-note").textContent = `${(100 * area[this.node] / area[area.length - 1]).toFixed(1)} % of the model`;
    this.table.canvas.dataset.piece = this.node;
    this.table.draw();
  }

  clear() {
    if (this.node < 0) return;
    this.node = this.facet = -1;
    this.table.layers.on("piece", false);
    delete this.table.canvas.dataset.piece;
    this.table.draw();
  }
}
