// The value sketch in colour: the regions with their colours and keys, coloured light, the findings of the reading
// test.
import { say } from "../../page.js";
import { unpack } from "../turntable.js";

const $ = (id) => document.getElementById(id);
const VALUES = ["low", "middle", "high"];

export default class Sketch {
  constructor({ base, table, stages, history }) {
    Object.assign(this, { base, table, stages, history, chosen: null, border: null });
    const form = $("sketch-form"),
      tints = $("tints");
    form.addEventListener("submit", (e) => e.preventDefault());
    form.addEventListener("input", ({ target }) => {
      // seen while it is being set, kept when it is
      if (target.type === "range") {
        this.words(target);
        this.look(Object.fromEntries(VALUES.map((n) => [n, form.elements[n].value])));
      }
      if (target.type === "color") this.look({ [target.name]: target.value });
    });
    form.addEventListener("change", ({ target: { name, value } }) => {
      if (name === "hex") this.describe({ colour: value });
      else if (VALUES.includes(name))
        this.describe(Object.fromEntries(VALUES.map((n) => [n, Number(form.elements[n].value)])));
      else this.describe({ [name]: value });
    });
    $("key-usual").addEventListener("click", () =>
      this.describe({ low: null, middle: null, high: null, shadow: "neutral", light: "neutral" }),
    );
    $("path-usual").addEventListener("click", () => {
      const { dark, bright } = this.own().path;
      this.describe({ dark, bright });
    });
    $("pot-snap").addEventListener("click", () => this.describe({ colour: this.own().pot.name }));
    $("path-none").addEventListener("click", () => this.describe({ dark: "", bright: "" }));
    $("sketch-grey").addEventListener("change", () => this.look());
    $("tint-usual").addEventListener("change", () => {
      if ($("tint-usual").value) {
        tints.elements.lamp.value = $("tint-usual").value;
        this.tint();
      }
    });
    const small = $("small").elements.small_forms;
    $("small").addEventListener("submit", (e) => e.preventDefault());
    small.addEventListener("input", () => this.small());
    small.addEventListener("change", async () => {
      const said = await this.history.change("sketch", { do: "small", share: Number(small.value) });
      if (said) this.show(said);
      else this.load();
    });
    tints.addEventListener("change", (e) => {
      if (e.target.name) this.tint();
    });
  }

  small() {
    const slider = $("small").elements.small_forms;
    slider.parentElement.querySelector("output").textContent = `${Math.round(100 * slider.value)} %`;
  }

  own() {
    return this.sketch.regions[this.chosen - 1];
  }

  enter() {
    this.table.layers.on("coats", true);
    return this.load();
  }
  leave() {
    this.table.layers.on("coats", false);
    this.table.layers.set("differing", false);
    this.border = null;
  }

  words(slider) {
    slider.parentElement.querySelector("output").textContent = `value ${Number(slider.value).toFixed(1)}`;
  }

  async load() {
    const answer = await fetch(`${this.base}/sketch.json`);
    if (!answer.ok) {
      say((await answer.json()).error, true);
      return;
    }
    this.show(await answer.json());
  }

  // what a region should look like is kept with the regions, and undone with them
  async describe(what) {
    await this.stages.regions.change({ do: "describe", number: this.chosen, ...what });
    this.load();
  }

  async tint() {
    const { lamp, sky, ground } = $("tints").elements;
    const said = await this.history.change("sketch", {
      do: "tint",
      lamp: lamp.value,
      sky: sky.value,
      ground: ground.value,
    });
    if (said) this.show(said);
    else this.load();
  }

  show(sketch) {
    this.sketch = sketch;
    if (this.chosen > sketch.regions.length) this.chosen = null;
    $("sketch-words").textContent = sketch.regions.length
      ? "Choose a region; each gets a colour, and how dark and how light it may go."
      : "Mark the regions first: each gets a colour of its own then.";
    this.list();
    $("small").elements.small_forms.value = sketch.small_forms;
    this.small();
    for (const name of ["lamp", "sky", "ground"]) $("tints").elements[name].value = sketch.tints[name] || "#ffffff";
    $("tint-usual").value = [...$("tint-usual").options].some((o) => o.value === sketch.tints.lamp)
      ? sketch.tints.lamp
      : "";
    $("findings").replaceChildren(
      ...(sketch.findings.length
        ? sketch.findings
        : ["The focal point holds the strongest contrast, and neighbours stand apart."]
      ).map((words) => Object.assign(document.createElement("li"), { textContent: words })),
    );
    $("borders").replaceChildren(
      ...sketch.borders.map((b) => {
        const item = document.createElement("li"),
          button = document.createElement("button");
        button.type = "button";
        button.className = "plain-row";
        button.setAttribute("aria-pressed", String(this.border === `${b.a},${b.b}`));
        button.textContent = `${b.names.join(" and ")}: ${Math.round(b.close_mm)} of ${Math.round(b.mm)} mm, ${b.step.toFixed(1)} value apart`;
        button.addEventListener("click", () => {
          const own = `${b.a},${b.b}`;
          this.border = this.border === own ? null : own;
          this.show(this.sketch);
        });
        item.append(button);
        return item;
      }),
    );
    this.look();
  }

  list() {
    const { regions } = this.sketch,
      form = $("sketch-form");
    $("sketch-list").replaceChildren(
      ...regions.map((r) => {
        const item = document.createElement("li"),
          button = document.createElement("button");
        button.type = "button";
        button.setAttribute("aria-pressed", String(this.chosen === r.number));
        button.innerHTML = `<svg viewBox="0 0 5 5" preserveAspectRatio="none" aria-hidden="true">${r.ladder.map((hex, k) => `<rect x="${k}" width="1.02" height="5" fill="${hex}"/>`).join("")}</svg><span><b></b><small></small></span><span class="share"></span>`;
        button.querySelector("b").textContent = `${r.number}. ${r.name}`;
        button.querySelector("small").textContent =
          `${r.colour.startsWith("#") ? "picked" : r.colour || r.material}, value ${r.key[0]} to ${r.key[2]}${r.troubles.length ? "; has a warning" : ""}`;
        button.querySelector(".share").textContent = `${(100 * r.share).toFixed(1)} %`;
        button.addEventListener("click", () => {
          this.chosen = this.chosen === r.number ? null : r.number;
          this.list();
        });
        item.append(button);
        return item;
      }),
    );
    const own = regions[this.chosen - 1];
    form.hidden = !own;
    if (!own) return;
    const { elements } = form;
    elements.colour.value = [...elements.colour.options].some((o) => o.value === own.colour) ? own.colour : "";
    elements.hex.value = own.hex;
    elements.dark.value = own.dark || own.ladder[0];
    elements.bright.value = own.bright || own.ladder[4];
    $("path-words").textContent =
      own.dark || own.bright ? "Shadow, middle and light each have their own hue." : "One hue, darker and lighter.";
    $("path-now").textContent = own.hues;
    $("path-usual").textContent = `Usual: ${own.path.words}`;
    $("path-none").disabled = !own.dark && !own.bright;
    for (const name of ["material", "attention", "shadow", "light"]) elements[name].value = own[name];
    VALUES.forEach((name, k) => {
      elements[name].value = own.key[k];
      this.words(elements[name]);
    });
    const snaps = own.pot && own.pot.name !== own.colour && !own.ration; // the base could come neat from a pot
    $("pot-row").hidden = !snaps;
    if (snaps) {
      $("pot-snap").textContent = `From the pot: ${own.pot.name}`;
      $("pot-words").textContent =
        own.pot.delta_e < 1
          ? "the same colour"
          : `moves it by ΔE ${own.pot.delta_e.toFixed(0)}; the base then needs no mixing`;
    }
    $("sketch-ration").hidden = !own.ration;
    $("sketch-ration").textContent = `A recipe of its own: ${own.ration}.`;
    $("sketch-troubles").hidden = !own.troubles.length;
    $("sketch-troubles").textContent = own.troubles.join(" ");
  }

  // the model as it is kept, or as it would be with the chosen region so; one request at a time, the latest wish next
  async look(so = null) {
    this.wish = { so };
    if (this.asking) return;
    this.asking = true;
    while (this.wish) {
      const own = this.wish.so && this.chosen ? { number: this.chosen, ...this.wish.so } : {};
      this.wish = null;
      const asked = new URLSearchParams({
        ...($("sketch-grey").checked ? { grey: 1 } : {}),
        ...(this.border ? { border: this.border } : {}),
        ...own,
      });
      const answer = await fetch(`${this.base}/sketch.bin?${asked}`).catch(() => null);
      if (!answer?.ok) continue;
      const bytes = await answer.arrayBuffer(),
        { at } = unpack(bytes);
      this.table.layers.put("coats", new Uint8Array(bytes, at, this.table.heading.samples * 4));
      this.table.layers.set("differing", Boolean(this.border));
      if (so) this.table.inMotion();
      this.table.draw();
      $("sketch-words").dataset.looked = String((this.looks = (this.looks || 0) + 1));
    }
    this.asking = false;
  }
}
