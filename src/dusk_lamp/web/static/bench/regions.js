// Regions: sends picks and changes, draws the labels and the list that come back.
import { say, send } from "../page.js";
import { unpack } from "./turntable.js";

const $ = (id) => document.getElementById(id);

export class Regions {
  constructor(base, table, here) {
    Object.assign(this, { base, table, here, chosen: null, last: null });
    table.canvas.addEventListener("picked", (e) => { if (here()) this.pick(e.detail); });
    $("crease").addEventListener("input", () => this.words());
    $("crease").addEventListener("change", () => { if (this.last) this.change({ ...this.last, crease: Number($("crease").value), again: true }); });
    $("undo").addEventListener("click", () => this.change({ do: "undo" }));
    $("redo").addEventListener("click", () => this.change({ do: "redo" }));
    $("region-form").addEventListener("submit", (e) => e.preventDefault());
    for (const name of ["name", "material", "attention"]) {
      $(`region-${name}`).addEventListener("change", () => this.change({ do: "describe", number: this.chosen, [name]: $(`region-${name}`).value }));
    }
    for (const button of document.querySelectorAll("[data-rim]")) button.addEventListener("click", () => this.change({ do: "rim", number: this.chosen, rounds: Number(button.dataset.rim) }));
    $("region-remove").addEventListener("click", () => { const number = this.chosen; this.choose(null); this.change({ do: "remove", number }); });
    addEventListener("keydown", (e) => {
      if (here() && (e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z" && !e.target.matches("input[maxlength]")) { e.preventDefault(); this.change({ do: e.shiftKey ? "redo" : "undo" }); }
    });
    this.words();
  }

  mode() { return document.querySelector('[name="mode"]:checked').value; }
  words() { $("crease-out").textContent = `${$("crease").value}°`; }

  async load() {
    const answer = await fetch(`${this.base}/regions.bin`);
    if (answer.ok) this.show(await answer.arrayBuffer());
  }

  pick({ origin, direction }) {
    const mode = this.mode();
    if (mode !== "new" && this.chosen === null) { say("Choose a region in the list first, or click with “New region”.", true); return; }
    const wish = { do: "pick", origin, direction, crease: Number($("crease").value), part: $("whole-part").checked, take: mode === "take", number: mode === "new" ? null : this.chosen };
    this.change(wish);
  }

  async change(wish) {
    const before = this.told.regions.length;
    const answer = await send(`${this.base}/regions`, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ ...wish, stroke: this.told.stroke }) });
    if (!answer.ok) {
      const { error, stale } = await answer.json();
      say(error, true);
      if (stale) this.load();
      return;
    }
    this.last = wish.do === "pick" ? { ...wish, again: undefined } : null;
    this.show(await answer.arrayBuffer());
    if (wish.do === "pick" && this.told.regions.length > before) this.choose(this.told.regions.length);
  }

  show(bytes) {
    const { heading, at } = unpack(bytes);
    this.told = heading;
    this.table.mark(new Uint8Array(bytes, at), heading.regions.map((r) => r.patch));
    $("undo").disabled = !heading.undo; $("redo").disabled = !heading.redo;
    if (this.chosen > heading.regions.length) this.chosen = null;
    this.list();
  }

  choose(number) {
    this.chosen = number;
    this.list();
  }

  list() {
    const { regions, rest, whole } = this.told;
    this.table.uniforms.chosen.value = this.chosen ?? 0;
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
    regions.forEach((r) => row(r.number, `${r.number}. ${r.name}`, `${r.material}, ${r.attention}`, r.area, r.patch));
    row(0, "The rest", "not marked", rest, "#8a8a8a");
    list.querySelector('[aria-pressed="true"]')?.scrollIntoView({ block: "nearest" });
    const own = regions[this.chosen - 1];
    $("region-form").hidden = !own;
    if (own) { $("region-name").value = own.name; $("region-material").value = own.material; $("region-attention").value = own.attention; }
  }
}
