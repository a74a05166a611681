// Parts: draws the list, hides and pulls apart what the server said; what a brush gets at; sends names and wishes.
import { patient, say } from "../../page.js";
import { unpack } from "../turntable.js";

const $ = (id) => document.getElementById(id);

export default class Parts {
  constructor({ base, table, resky, history }) {
    Object.assign(this, { base, table, resky, history, hidden: new Set(), chosen: null, content: null });
    $("pull").addEventListener("input", () => this.sight());
    $("part-form").addEventListener("submit", (e) => e.preventDefault());
    $("part-name").addEventListener("change", () => this.change({ name: $("part-name").value }));
    $("part-apart").addEventListener("change", () => this.change({ apart: $("part-apart").checked }));
    $("part-only").addEventListener("click", () => {
      const others = this.content.parts.map((p) => p.number).filter((k) => k !== this.chosen);
      const already = others.length && others.every((k) => this.hidden.has(k)) && !this.hidden.has(this.chosen);
      this.hidden = new Set(already ? [] : others);
      this.sight();
      this.list();
    });
    $("reach-look").addEventListener("click", () => this.reach());
    $("reach-off").addEventListener("click", () => this.reaching(false));
    $("reach-apart").addEventListener("click", async () => {
      const content = await this.history.change("parts", { numbers: this.apart });
      if (!content) return;
      this.show(content);
      if (!content.sky) this.resky();
      this.reach();
    });
    $("show-all").addEventListener("click", () => {
      this.hidden.clear();
      $("pull").value = 0;
      this.sight();
      this.list();
    });
  }

  // what a pick has to know: which parts are in sight, and how far they are pulled
  seen() {
    return { hidden: [...this.hidden], pulled: Number($("pull").value) / 100 };
  }

  ready() {
    return this.load();
  }
  enter() {
    return this.load();
  }
  leave() {
    this.reaching(false);
  }

  // what of the model a brush and a nozzle get at, and where parts are glued, on the model and in figures
  async reach() {
    $("reach-look").disabled = true;
    $("reach-words").textContent = "Reaching in from every side …";
    try {
      const answer = await patient(`${this.base}/reach.bin`);
      if (!answer.ok) {
        $("reach-words").textContent = "";
        say((await answer.json()).error, true);
        return;
      }
      const bytes = await answer.arrayBuffer(),
        { heading, at } = unpack(bytes),
        n = this.table.heading.samples;
      const field = new Uint8Array(4 * n),
        marks = new Uint8Array(bytes, at, n);
      for (let k = 0; k < n; k += 1) field[4 * k + 3] = marks[k];
      this.table.layers.put("reach", field);
      $("reach-words").textContent = heading.words;
      this.apart = heading.apart;
      const names = heading.apart.map((k) => this.content.parts[k].name);
      $("reach-apart").textContent = `Paint ${names.join(" and ")} apart`;
      $("reach-apart").hidden = !names.length;
      const rows = $("reach-table").tBodies[0];
      rows.replaceChildren();
      for (const region of heading.regions) {
        const line = rows.insertRow();
        for (const words of [region.name, region.brush, region.nozzle, region.apart])
          line.insertCell().textContent = typeof words === "number" ? Math.round(words) : words;
      }
      $("reach-table").hidden = !heading.regions.length;
      this.reaching(true);
    } finally {
      $("reach-look").disabled = false;
    }
  }

  reaching(shown) {
    this.table.layers.on("reach", shown);
    $("reach-off").hidden = $("reach-key").hidden = !shown;
    this.table.draw();
  }

  async load() {
    const answer = await fetch(`${this.base}/parts.json`);
    if (answer.ok) this.show(await answer.json());
  }

  async change(wish) {
    const content = await this.history.change("parts", { number: this.chosen, ...wish });
    if (!content) {
      this.list();
      return;
    }
    this.show(content);
    if (!content.sky) this.resky();
  }

  show(content) {
    this.content = content;
    if (this.chosen !== null && this.chosen >= content.parts.length) this.chosen = null;
    this.table.pulls(content.parts.map((p) => p.pull));
    this.sight();
    this.list();
    const seams = $("seams");
    seams.replaceChildren();
    for (const s of content.seams) {
      const item = document.createElement("li"),
        words = document.createElement("b"),
        numbers = document.createElement("span");
      words.textContent = `${s.a} on ${s.b}`;
      numbers.textContent = `N ${s.value_a.toFixed(1)} against N ${s.value_b.toFixed(1)}, along ${Math.round(s.length)} mm`;
      item.append(words, numbers);
      seams.append(item);
    }
    $("seam-words").hidden = !content.seams.length;
  }

  sight() {
    const share = Number($("pull").value) / 100;
    $("pull-out").textContent = share ? `${Math.round(share * 100)} %` : "together";
    this.table.apart([...this.hidden], share);
    $("show-all").disabled = !share && !this.hidden.size;
  }

  list() {
    const list = $("part-list");
    list.replaceChildren();
    for (const part of this.content.parts) {
      const item = document.createElement("li"),
        choose = document.createElement("button"),
        eye = document.createElement("button");
      const out = this.hidden.has(part.number);
      choose.type = eye.type = "button";
      choose.className = "choose";
      eye.className = "eye";
      choose.setAttribute("aria-pressed", String(this.chosen === part.number));
      choose.innerHTML = `<img alt="" width="44" height="44" loading="lazy" src="${part.picture}"><span><b></b><small></small></span>`;
      choose.querySelector("b").textContent = part.name;
      choose.querySelector("small").textContent =
        `${part.area < 10 ? part.area.toFixed(1) : Math.round(part.area)} mm²${part.apart ? ", painted apart" : ""}`;
      choose.addEventListener("click", () => {
        this.chosen = this.chosen === part.number ? null : part.number;
        this.list();
      });
      eye.setAttribute("aria-pressed", String(out));
      eye.setAttribute("aria-label", `${out ? "Show" : "Hide"} ${part.name}`);
      eye.textContent = out ? "hidden" : "hide";
      eye.addEventListener("click", () => {
        if (out) this.hidden.delete(part.number);
        else this.hidden.add(part.number);
        this.sight();
        this.list();
      });
      item.append(choose, eye);
      list.append(item);
    }
    const own = this.content.parts[this.chosen];
    $("part-form").hidden = !own;
    if (!own) return;
    $("part-name").value = own.name;
    $("part-apart").checked = own.apart;
    const casts = $("part-casts");
    casts.hidden = !own.apart || this.content.parts.length < 2;
    const rows = $("part-casters");
    rows.replaceChildren();
    for (const other of this.content.parts) {
      if (other.number === own.number) continue;
      const label = document.createElement("label"),
        box = document.createElement("input"),
        word = document.createElement("span");
      label.className = "tick";
      box.type = "checkbox";
      box.checked = !own.uncast.includes(other.number);
      word.textContent = other.name;
      box.addEventListener("change", () =>
        this.change({
          uncast: box.checked ? own.uncast.filter((k) => k !== other.number) : [...own.uncast, other.number],
        }),
      );
      label.append(box, word);
      rows.append(label);
    }
    const file = this.content.files[own.file];
    $("file-words").textContent = `From “${file.name}”`;
    $("file-number").value = $("back-number").value = own.file;
    $("file-back").hidden = !file.former;
    if (file.former) $("file-back").querySelector("button").textContent = `Put “${file.former}” back`;
  }
}
