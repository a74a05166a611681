// Several schemes of one sculpt: copied, taken up, let go, and one wiped over the other.
import { patient } from "../../page.js";
import { unpack } from "../turntable.js";

const $ = (id) => document.getElementById(id);

export default class Schemes {
  constructor(colour) {
    Object.assign(this, { colour, base: colour.base, table: colour.table, rows: [], beside: null });
    $("scheme-copy").addEventListener("submit", (e) => {
      e.preventDefault();
      this.change({ do: "copy", name: e.target.elements.name.value }).then(() => e.target.reset());
    });
    $("wipe").addEventListener("input", () => this.line());
    new ResizeObserver(() => this.line()).observe(this.table.canvas);
  }

  async load() {
    const answer = await fetch(`${this.base}/schemes.json`);
    if (answer.ok) this.show(await answer.json());
  }

  async change(wish) {
    const rows = await this.colour.history.change("schemes", wish);
    if (!rows) return;
    if (wish.do === "take") {
      this.compare(null);
      this.colour.at = null;
      await this.colour.history.taken();
      return;
    }
    this.show(rows);
  }

  show(rows) {
    this.rows = rows;
    const here = rows.find((r) => r.here);
    $("scheme-here").textContent = here ? `on the bench: ${here.name}` : "";
    $("schemes").replaceChildren(
      ...rows.map((r) => {
        const item = document.createElement("li"),
          words = document.createElement("p"),
          name = document.createElement("b");
        item.className = "scheme-row";
        name.textContent = r.name;
        words.append(name, ` ${r.words}`);
        item.append(words);
        if (!r.here) {
          const button = (title, act, pressed) => {
            const b = document.createElement("button");
            b.type = "button";
            b.className = "button is-small";
            b.textContent = title;
            if (pressed !== undefined) b.setAttribute("aria-pressed", String(pressed));
            b.addEventListener("click", act);
            words.after(b);
            item.append(b);
          };
          button("Compare", () => this.compare(this.beside === r.number ? null : r.number), this.beside === r.number);
          button("Take it up", () => this.change({ do: "take", number: r.number }));
          button("Let it go", () => {
            if (this.beside === r.number) this.compare(null);
            this.change({ do: "go", number: r.number });
          });
        }
        return item;
      }),
    );
  }

  again() {
    if (this.beside) this.compare(this.beside);
  }

  // another scheme, right of a line that can be moved
  async compare(number) {
    this.beside = number;
    this.table.layers.on("beside", false);
    $("wipe-box").hidden = !number;
    if (number) {
      const answer = await patient(`${this.base}/schemes/${number}.bin?light=${$("colour-light").value}`);
      const bytes = answer.ok ? await answer.arrayBuffer() : null;
      if (!bytes || this.beside !== number) return;
      const { at, heading } = unpack(bytes);
      this.table.layers.put("beside", new Uint8Array(bytes, at, this.table.heading.samples * 4));
      this.table.layers.on("beside", true);
      $("wipe-words").textContent = `Left: on the bench. Right: ${heading.name}.`;
    }
    this.line();
    this.show(this.rows);
  }

  line() {
    this.table.layers.set("wipe", Number($("wipe").value) / 100);
    this.table.draw();
  }
}
