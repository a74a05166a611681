// Regions: sends picks and changes, draws the labels and the list that come back.
import { say, send } from "../../page.js";
import { unpack } from "../turntable.js";
import Pieces from "./pieces.js";

const $ = (id) => document.getElementById(id);

// a patch as it is laid over the sculpt before it is a region
const lighter = (hex) =>
  `#${[1, 3, 5].map((i) => Math.round(0.45 * parseInt(hex.slice(i, i + 2), 16) + 0.55 * 0xb4).toString(16)).join("")}`;

export default class Regions {
  constructor({ base, table, here, stages, history }) {
    Object.assign(this, {
      base,
      table,
      history,
      here: () => here("regions"),
      seen: () => stages.parts.seen(),
      chosen: null,
      last: null,
      rays: [],
      dabbing: false,
      waiting: [],
    });
    this.pieces = new Pieces({ base, table, on: () => this.here() && this.held() === "piece" });
    table.canvas.addEventListener("dabbed", (e) => this.dab(e.detail));
    table.canvas.addEventListener("lifted", () => this.lift());
    table.canvas.addEventListener("dropped", () => {
      this.pieces.clear();
      this.rays = [];
      this.waiting = [];
      this.load();
    });
    for (const radio of document.querySelectorAll('[name="tool"], [name="mode"]'))
      radio.addEventListener("change", () => this.tool());
    for (const id of ["brush", "near"]) $(id).addEventListener("input", () => this.words());
    $("near").addEventListener("change", () => {
      if (this.last?.tool === "alike") this.change({ ...this.last, near: Number($("near").value), again: true });
    });
    for (const button of document.querySelectorAll("[data-facing]"))
      button.addEventListener("click", () => this.wish({ do: "facing", way: button.dataset.facing }));
    for (const button of document.querySelectorAll("[data-tidy]"))
      button.addEventListener("click", () => this.change({ do: button.dataset.tidy, number: this.chosen }));
    $("guess").addEventListener("click", () => this.change({ do: "guess", pieces: Number($("guess-count").value) }));
    $("guess-count").addEventListener("input", () => this.words());
    $("guess-count").addEventListener("change", () => this.propose());
    $("guess-not").addEventListener("click", () => {
      this.declined = true;
      this.propose();
    });
    $("clear").addEventListener("click", () => this.change({ do: "clear" }));
    $("regions-file").addEventListener("change", () => this.bring());
    table.canvas.addEventListener("picked", (e) => {
      if (this.here()) this.pick(e.detail);
    });
    $("crease").addEventListener("input", () => this.words());
    $("crease").addEventListener("change", () => {
      if (this.last?.tool === "creases")
        this.change({ ...this.last, crease: Number($("crease").value), again: true });
    });
    $("region-form").addEventListener("submit", (e) => e.preventDefault());
    for (const name of ["name", "material", "attention", "texture", "colour"]) {
      $(`region-${name}`).addEventListener("change", () =>
        this.change({ do: "describe", number: this.chosen, [name]: $(`region-${name}`).value }),
      );
    }
    for (const button of document.querySelectorAll("[data-rim]"))
      button.addEventListener("click", () =>
        this.change({ do: "rim", number: this.chosen, rounds: Number(button.dataset.rim) }),
      );
    $("region-remove").addEventListener("click", () => {
      const number = this.chosen;
      this.choose(null);
      this.change({ do: "remove", number });
    });
    this.words();
  }

  get marks() {
    return true;
  } // by clicks on the sculpt
  mode() {
    return document.querySelector('[name="mode"]:checked').value;
  }
  words() {
    $("crease-out").textContent = `${$("crease").value}°`;
    $("brush-out").textContent = `${(2 * $("brush").value).toFixed(1)} mm across`;
    $("near-out").textContent =
      Number($("near").value) < 0.08 ? "very" : Number($("near").value) < 0.2 ? "much" : "somewhat";
    $("guess-out").textContent = $("guess-count").value;
    $("guess").textContent = this.marking?.regions.length ? "Take the rest" : `Take all ${$("guess-count").value}`;
  }

  held() {
    return document.querySelector('[name="tool"]:checked').value;
  }
  tool() {
    const tool = this.held(),
      pieces = tool === "piece" && this.here(),
      cuts = pieces && this.mode() === "take";
    if (pieces) this.propose();
    else this.pieces.clear();
    for (const own of document.querySelectorAll("[data-tool]")) own.hidden = own.dataset.tool !== tool;
    this.table.brushing = this.here() && (tool === "brush" || cuts);
    this.table.cutting = pieces;
    document.querySelector(".hint").textContent = cuts
      ? "Click a piece to take it away · drag to cut · right button to turn"
      : pieces
        ? "Click to take what is lit · wheel: larger, smaller · Shift takes away"
        : this.table.brushing
          ? "Drag to paint · right button to turn · wheel to come closer"
          : "Drag to turn · wheel to come closer · double-click to reset";
    return tool;
  }

  // the first guess, laid lightly over what is not marked yet
  async propose() {
    const tree = await this.pieces.load(Number($("guess-count").value));
    if (!tree || !this.marking || !this.here()) return;
    const { regions, patches } = this.marking,
      count = tree.heading.pieces,
      open = !this.declined && this.held() === "piece" && count <= this.marking.room_for;
    $("guess-row").hidden = !open;
    const found = `A first guess lies over the sculpt${tree.heading.base < 0 ? "" : "; the base is found"}.`;
    $("guess-words").textContent = regions.length
      ? "The first guess lies over what is not marked yet."
      : `${found} Take it whole, or click the pieces you want.`;
    this.words();
    if (!open) {
      this.table.mark(
        this.labels,
        regions.map((r) => r.patch),
      );
      return;
    }
    this.table.mark(this.pieces.proposal(this.labels, regions.length), [
      ...regions.map((r) => r.patch),
      ...Array.from({ length: count }, (_, k) => lighter(patches[(regions.length + k) % patches.length])),
    ]);
  }

  // a stroke: every dab is shown as soon as the server says what it touches, and kept when the brush is lifted
  target() {
    const mode = this.mode();
    if (mode !== "new" && this.chosen === null) {
      say("Choose a region in the list first, or paint with “New region”.", true);
      return null;
    }
    return { number: mode === "new" ? null : this.chosen, take: mode === "take", free: $("free").checked };
  }

  dab(ray) {
    if (!this.here()) return;
    if (this.held() === "piece") {
      this.pieces.dab(ray);
      return;
    }
    if (!this.rays.length && !(this.stroke = this.target())) return;
    if (!this.stroke) return;
    const last = this.rays[this.rays.length - 1],
      radius = Number($("brush").value);
    if (last && Math.hypot(...ray.origin.map((v, i) => v - last.origin[i])) < radius / 3) return;
    this.rays.push(ray);
    this.waiting.push(ray);
    this.ask();
  }

  async ask() {
    if (this.dabbing || !this.waiting.length) return;
    this.dabbing = true;
    const rays = this.waiting.splice(0);
    const began = performance.now();
    try {
      const answer = await send(`${this.base}/dab`, {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body: JSON.stringify({
          rays,
          radius: Number($("brush").value),
          through: $("through").checked,
          ...this.seen(),
        }),
      });
      if (answer.ok && this.rays.length) {
        const bytes = await answer.arrayBuffer(),
          { heading, at } = unpack(bytes);
        this.table.inMotion();
        const number = this.stroke.take ? 0 : (this.stroke.number ?? Math.min(this.marking.regions.length + 1, 60));
        this.table.touch(new Int32Array(bytes, at, heading.touched), number);
        this.table.canvas.dataset.dab = (performance.now() - began).toFixed(1);
      }
    } finally {
      this.dabbing = false;
    }
    this.ask();
  }

  async lift() {
    if (this.held() === "piece") {
      const cut = this.pieces.lift();
      if (cut.length === 1) this.takePiece();
      else if (cut.length) this.change({ do: "cut", rays: cut, number: this.cutFrom(), ...this.seen() });
      return;
    }
    const rays = this.rays.splice(0);
    this.waiting = [];
    if (!rays.length || !this.stroke) return;
    await this.change({
      do: "brush",
      rays,
      radius: Number($("brush").value),
      through: $("through").checked,
      ...this.stroke,
      ...this.seen(),
    });
    // the next stroke goes on with it
    if (this.mode() === "new") document.querySelector('[name="mode"][value="add"]').checked = true;
  }

  // the region a stroke or a click takes from: the chosen one, else the one that lies there
  cutFrom() {
    return this.mode() === "take" ? this.chosen : null;
  }
  takePiece() {
    if (this.pieces.node >= 0)
      this.change({ do: "piece", node: this.pieces.node, take: true, number: this.cutFrom() });
  }

  wish(what) {
    const target = this.target();
    if (target) this.change({ ...what, ...target });
  }

  async bring() {
    const form = new FormData(),
      file = $("regions-file").files[0];
    if (!file) return;
    form.append("file", file);
    $("regions-file").value = "";
    const answer = await send(`${this.base}/regions/file`, { method: "POST", body: form });
    if (!answer.ok) {
      say((await answer.json()).error, true);
      return;
    }
    this.show(await answer.arrayBuffer());
    this.history.look();
    say("The regions are on. Undo takes them off again.");
  }

  ready() {
    return this.load();
  }
  enter() {
    this.table.layers.on("regions", true);
    this.tool();
  }
  leave() {
    document.querySelector(".hint").textContent = "Drag to turn · wheel to come closer · double-click to reset";
    this.pieces.clear();
    this.table.layers.on("regions", false);
    this.table.brushing = this.table.cutting = false;
  }

  async load() {
    const answer = await fetch(`${this.base}/regions.bin`);
    if (answer.ok) this.show(await answer.arrayBuffer());
  }

  pick({ origin, direction, touched }) {
    if (this.held() === "piece") {
      if (!this.pieces.tree) say("The pieces are still being found; a moment.");
      else if (touched && this.pieces.fresh) {
        this.pieces.fresh = false;
        $("piece-note").textContent += ". Tap again to take it; two fingers make it larger or smaller.";
      } else if (this.pieces.node >= 0) this.wish({ do: "piece", node: this.pieces.node });
      return;
    }
    this.wish({
      do: "pick",
      origin,
      direction,
      tool: this.tool(),
      crease: Number($("crease").value),
      near: Number($("near").value),
      ...this.seen(),
    });
  }

  async change(wish) {
    const before = this.marking.regions.length;
    const bytes = await this.history.change("regions", { ...wish, surface: this.marking.surface }, { read: "bytes" });
    if (!bytes) {
      if (wish.do === "brush") this.load();
      return;
    }
    this.last = wish.do === "pick" ? { ...wish, again: undefined } : null;
    this.show(bytes);
    if (["pick", "piece", "brush", "facing"].includes(wish.do) && this.marking.regions.length > before)
      this.choose(this.marking.regions.length);
  }

  show(bytes) {
    const { heading, at } = unpack(bytes);
    this.marking = heading;
    if (heading.turn > this.history.turn) this.history.turn = heading.turn;
    this.labels = new Uint8Array(bytes, at);
    this.table.mark(
      this.labels,
      heading.regions.map((r) => r.patch),
    );
    if (this.here() && this.pieces.tree) this.propose();
    $("clear").hidden = !heading.regions.length;
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
      const item = document.createElement("li"),
        button = document.createElement("button");
      button.type = "button";
      button.setAttribute("aria-pressed", String(number !== 0 && this.chosen === number));
      button.innerHTML = `<svg viewBox="0 0 30 30" aria-hidden="true"><rect width="30" height="30" fill="${patch}"/></svg><span><b></b><small></small></span><span class="share"></span>`;
      button.querySelector("b").textContent = name;
      button.querySelector("small").textContent = words;
      button.querySelector(".share").textContent = `${((100 * area) / whole).toFixed(1)} %`;
      if (number) button.addEventListener("click", () => this.choose(this.chosen === number ? null : number));
      else button.disabled = true;
      item.append(button);
      list.append(item);
    };
    regions.forEach((r) =>
      row(r.number, `${r.number}. ${r.name}`, `${r.colour || r.material}, ${r.attention}`, r.area, r.patch),
    );
    row(0, "The rest", "not marked", rest, "#8a8a8a");
    list.querySelector('[aria-pressed="true"]')?.scrollIntoView({ block: "nearest" });
    const own = regions[this.chosen - 1];
    $("region-form").hidden = !own;
    if (own) {
      $("region-name").value = own.name;
      $("region-material").value = own.material;
      $("region-attention").value = own.attention;
      $("region-texture").value = own.texture;
      const colour = $("region-colour");
      if (own.colour && ![...colour.options].some((o) => o.value === own.colour))
        colour.append(new Option(own.colour)); // gone from the rack
      colour.value = own.colour;
    }
  }
}
