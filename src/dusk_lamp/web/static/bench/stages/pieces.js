// Pieces: shows the piece under the pointer and the first guess, walks to larger and smaller pieces, gathers the stroke
// that cuts; what a click or a stroke takes, the server decides.
import { patient, say } from "../../page.js";
import { unpack } from "../turntable.js";

const $ = (id) => document.getElementById(id);
const GROWS = 1.25, // the next larger piece has at least so much more
  PINCH = 1.15, // fingers so much farther apart are one step
  APART_MM = 0.25; // of the dabs of a stroke

export default class Pieces {
  constructor({ base, table, on }) {
    Object.assign(this, {
      base,
      table,
      on,
      tree: null,
      node: -1,
      facet: -1,
      rays: [],
      pinch: 1,
      fresh: false,
    });
    const canvas = table.canvas;
    canvas.addEventListener("pointermove", (e) => {
      if (this.on() && !e.buttons) this.over(table.sight(e.clientX, e.clientY));
    });
    // a finger points first: what it lights is taken by the next tap
    canvas.addEventListener("pointerdown", (e) => {
      if (!this.on() || e.pointerType !== "touch" || !e.isPrimary) return;
      const before = this.node;
      this.over(table.sight(e.clientX, e.clientY));
      this.fresh = this.node !== before;
    });
    canvas.addEventListener("pointed", (e) => {
      if (this.on()) this.over(e.detail);
    });
    canvas.addEventListener("pointerleave", (e) => {
      if (e.pointerType !== "touch") this.clear();
    });
    canvas.addEventListener("pinched", (e) => {
      if (!this.on() || this.node < 0) return;
      e.preventDefault();
      this.pinch *= e.detail;
      const way = this.pinch > PINCH ? 1 : this.pinch < 1 / PINCH ? -1 : 0;
      if (!way) return;
      this.pinch = 1;
      this.walk(way);
    });
    canvas.addEventListener(
      "wheel",
      (e) => {
        // before the turntable: Ctrl and the wheel still come closer
        if (!this.on() || e.ctrlKey || this.node < 0) return;
        e.preventDefault();
        e.stopImmediatePropagation();
        this.walk(e.deltaY < 0 ? 1 : -1);
      },
      { passive: false, capture: true },
    );
    canvas.addEventListener(
      "keydown",
      (e) => {
        if (!this.on() || !["+", "=", "-"].includes(e.key)) return;
        e.stopImmediatePropagation();
        this.walk(e.key === "-" ? -1 : 1);
      },
      { capture: true },
    );
    $("piece-larger").addEventListener("click", () => this.walk(1));
    $("piece-smaller").addEventListener("click", () => this.walk(-1));
  }

  async load(count) {
    if (this.asked === count) return this.tree;
    this.asked = count;
    if (!this.tree) $("piece-note").textContent = "Finding the pieces …";
    const answer = await patient(`${this.base}/pieces.bin?count=${count}`).catch(() => null);
    if (this.asked !== count) return null; // another number was asked for since
    if (!answer?.ok) {
      this.asked = null;
      say("The pieces did not arrive; take another tool, or try again.", true);
      return null;
    }
    const bytes = await answer.arrayBuffer(),
      { heading, at } = unpack(bytes),
      k = heading.leaves,
      all = 2 * k - 1;
    let place = at;
    const take = (Kind, count) => {
      const out = new Kind(bytes, place, count);
      place += count * 4;
      return out;
    };
    this.tree = {
      heading,
      facet: take(Int32Array, heading.samples),
      place: take(Int32Array, k),
      parent: take(Int32Array, all),
      span: take(Int32Array, 2 * all),
      proposed: take(Int32Array, k),
      area: take(Float32Array, all),
    };
    this.shown = new Uint8Array(heading.samples);
    $("piece-note").textContent = "Point at the sculpt: what a click would take is lit.";
    return this.tree;
  }

  // labels with the first guess where nothing is marked, numbered after the regions there are
  proposal(labels, regions) {
    const { facet, proposed } = this.tree;
    return labels.map((label, i) => label || regions + 1 + proposed[facet[i]]);
  }

  over(sight) {
    if (!this.tree) return;
    const began = performance.now(),
      sample = this.table.met(sight);
    if (sample === null) {
      this.clear();
      return;
    }
    const facet = this.tree.facet[sample];
    if (facet === this.facet) return;
    const inside = this.node >= 0 && this.within(facet, this.node);
    this.facet = facet;
    if (!inside) this.node = this.first(facet);
    this.light();
    this.table.canvas.dataset.hover = (performance.now() - began).toFixed(1);
  }

  // the largest piece round a facet that lies in one piece of the first guess
  first(facet) {
    const { parent, span, proposed } = this.tree,
      own = proposed[facet];
    this.row ??= this.inRow();
    let node = facet;
    for (let up = parent[node]; up >= 0; up = parent[up]) {
      for (let at = span[2 * up]; at < span[2 * up + 1]; at += 1) if (proposed[this.row[at]] !== own) return node;
      node = up;
    }
    return node;
  }

  inRow() {
    const row = new Int32Array(this.tree.place.length);
    this.tree.place.forEach((at, facet) => {
      row[at] = facet;
    });
    return row;
  }

  within(facet, node) {
    const at = this.tree.place[facet];
    return at >= this.tree.span[2 * node] && at < this.tree.span[2 * node + 1];
  }

  // one step up, past what is hardly larger; or down toward the spot that is pointed at
  walk(way) {
    if (!this.tree || this.facet < 0) return;
    const { parent, area } = this.tree,
      now = area[this.node];
    if (way > 0) {
      let node = this.node;
      while (parent[node] >= 0 && area[node] < GROWS * now) node = parent[node];
      this.node = node;
    } else {
      let node = this.facet;
      while (parent[node] >= 0 && parent[node] !== this.node && area[parent[node]] * GROWS <= now)
        node = parent[node];
      this.node = node;
    }
    this.fresh = false;
    this.light();
  }

  light() {
    const { facet, place, span, area } = this.tree,
      from = span[2 * this.node],
      to = span[2 * this.node + 1];
    for (let i = 0; i < facet.length; i += 1) {
      const at = place[facet[i]];
      this.shown[i] = at >= from && at < to ? 255 : 0;
    }
    this.show();
    $("piece-note").textContent =
      `Lit: ${((100 * area[this.node]) / area[area.length - 1]).toFixed(1)} % of the model`;
    this.table.canvas.dataset.piece = this.node;
  }

  show() {
    this.table.layers.put("piece", this.shown);
    this.table.layers.on("piece", true);
    this.table.draw();
  }

  // a stroke that cuts: its facets are lit as it is drawn
  dab(ray) {
    if (!this.tree) return;
    const last = this.rays[this.rays.length - 1];
    if (last && Math.hypot(...ray.origin.map((v, i) => v - last.origin[i])) < APART_MM) return;
    if (!this.rays.length) this.shown.fill(0);
    this.rays.push(ray);
    const sample = this.table.met(ray);
    if (sample === null) return;
    const own = this.tree.facet[sample];
    this.tree.facet.forEach((f, i) => {
      if (f === own) this.shown[i] = 255;
    });
    this.show();
  }

  // the rays of a stroke that has ended; one alone is a click
  lift() {
    const rays = this.rays.splice(0);
    if (rays.length > 1) this.clear();
    return rays;
  }

  clear() {
    this.rays = [];
    this.node = this.facet = -1;
    this.fresh = false;
    this.table.layers.on("piece", false);
    delete this.table.canvas.dataset.piece;
    this.table.draw();
  }
}
