// The colour stage: regions, the ways to paint each as pictures of this very model, the coats to scrub through; the
// server works it all out.
import { patient, say } from "../../page.js";
import { unpack } from "../turntable.js";
import Face from "./face.js";
import HowFar from "./how_far.js";
import Schemes from "./schemes.js";

const $ = (id) => document.getElementById(id);
const per = (x) => `${Math.round(100 * x)} %`;

export default class Colour {
  constructor({ base, table, here, history }) {
    Object.assign(this, { base, table, history, region: null, chosen: null, at: null, plan: null });
    this.titles = [...$("colour-all-way").options].map((o) => ({
      name: o.value,
      title: o.textContent,
      words: o.dataset.words,
      suits: (material) => !o.dataset.for || o.dataset.for.split(",").includes(material),
    }));
    $("colour-clear").addEventListener("click", () => this.change({ do: "clear", region: this.region }));
    $("colour-all").addEventListener("click", () => this.change({ do: "all", name: $("colour-all-way").value }));
    $("colour-light").addEventListener("change", () => {
      this.look(this.at);
      this.schemes.again();
    });
    $("colour-add").addEventListener("submit", (e) => {
      e.preventDefault();
      if (!this.region && e.target.elements.namedItem("on").value === "region") {
        say("Choose the region first that the coat goes on.", true);
        return;
      }
      this.change({ do: "add", region: this.region, ...Object.fromEntries(new FormData(e.target)) });
    });
    $("last-varnish")?.addEventListener("submit", (e) => {
      e.preventDefault();
      this.change({ do: "varnish", name: e.target.elements.name.value });
    });
    $("warm").addEventListener("click", () => this.change({ do: "warm", region: this.region }));
    this.schemes = new Schemes(this);
    this.face = new Face(this, here);
    this.far = new HowFar(this);
    $("in-order").addEventListener("click", () => this.change({ do: "order" }));
    $("colour-scrub").addEventListener("input", () => this.look(Number($("colour-scrub").value)));
    $("colour-difference").addEventListener("change", () => {
      table.layers.set("differing", $("colour-difference").checked);
      table.draw();
    });
    $("colour-sheen").addEventListener("change", () => this.sheen());
    $("colour-form").addEventListener("submit", (e) => e.preventDefault());
    $("colour-form").addEventListener("input", (e) => {
      if (e.target.type === "range") e.target.parentElement.querySelector("output").textContent = e.target.value;
    });
    $("colour-form").addEventListener("change", (e) => {
      const { name, value } = e.target;
      if (name === "paint") {
        if (value) this.change({ do: "paint", number: this.chosen, name: value });
      } else
        this.change({
          do: "set",
          number: this.chosen,
          settings: { [name]: "words" in e.target.dataset ? value : Number(value) },
        });
    });
    for (const button of document.querySelectorAll("[data-colour]"))
      button.addEventListener("click", () => {
        const what = button.dataset.colour,
          number = this.chosen;
        if (what === "up") this.chosen = Math.max(1, number - 1);
        if (what === "down") this.chosen = Math.min(this.plan.coats.length, number + 1);
        if (what === "remove") this.chosen = null;
        this.change({ do: what, number });
      });
  }

  get marks() {
    return Boolean(this.face.marking);
  } // by clicks on the sculpt
  enter() {
    this.table.layers.on("coats", true);
    this.table.layers.set("differing", $("colour-difference").checked);
    return this.load();
  }
  leave() {
    this.table.layers.on("coats", false);
    this.table.layers.on("sheen", false);
    this.schemes.compare(null);
    this.table.layers.set("differing", false);
  }

  async load() {
    const turn = (this.loading = (this.loading || 0) + 1);
    this.schemes.load();
    this.face.load();
    $("colour-note").textContent = "Laying the coats …";
    const answer = await patient(`${this.base}/colour.json`);
    const plan = await answer.json();
    if (turn !== this.loading) return;
    if (plan.trouble || plan.error) {
      $("colour-note").textContent = plan.trouble || plan.error;
      if (plan.rack)
        $("colour-note").append(
          " ",
          Object.assign(document.createElement("a"), { href: plan.rack, textContent: "To the rack" }),
        );
      return;
    }
    this.show(plan);
  }

  async change(wish) {
    if (await this.history.change("colour", wish)) this.load();
  }

  show(plan) {
    const before = this.plan;
    this.plan = plan;
    const n = plan.coats.length,
      done = plan.regions.filter((r) => r.coats).length;
    $("colour-note").textContent = plan.words;
    $("colour-cautions").textContent =
      plan.cautions.join(" ") || "The product's safety data sheet and local rules come first.";
    $("colour-regions-done").textContent = plan.done;
    $("colour-coats-count").textContent = plan.count;
    $("colour-all").disabled = done === plan.regions.length;
    $("colour-scrub").max = n;
    if (this.at === null || !before || before.coats.length !== n) this.at = n;
    $("colour-scrub").value = this.at;
    if (this.chosen > n) this.chosen = null;
    const line = (words) => Object.assign(document.createElement("li"), { textContent: words });
    $("order").replaceChildren(...plan.order.map((p) => line(`${p.region}: ${p.why}`)));
    $("in-order").hidden = plan.order.length < 2;
    $("out-of-order").hidden = !plan.out_of_order.length;
    $("out-of-order").textContent = plan.out_of_order.join(". ");
    $("colour-seams-box").hidden = !plan.seams.length;
    $("colour-seams").replaceChildren(...plan.seams.map(line));
    $("finish").textContent = plan.finish;
    this.far.palette(plan.palette);
    this.far.regions(plan.regions);
    this.far.load();
    this.list();
    this.ways();
    this.strip();
    this.look(this.at);
  }

  list() {
    $("colour-regions").replaceChildren(
      ...this.plan.regions.map((r) => {
        const item = document.createElement("li"),
          button = document.createElement("button");
        button.type = "button";
        button.disabled = !r.can;
        button.setAttribute("aria-pressed", String(this.region === r.number));
        button.innerHTML = `<svg viewBox="0 0 30 30" aria-hidden="true"><rect width="30" height="30" fill="${r.hex}"/></svg><span><b></b><small></small></span><span class="share"></span>`;
        button.querySelector("b").textContent = `${r.number}. ${r.name}`;
        button.querySelector("small").textContent = r.words;
        button.querySelector(".share").textContent = r.near ? `${per(r.near.within)} near` : "";
        button.addEventListener("click", () => {
          this.region = this.region === r.number ? null : r.number;
          this.list();
          this.ways();
          this.strip();
        });
        item.append(button);
        return item;
      }),
    );
    const own = this.plan.regions[this.region - 1];
    this.gradients();
    $("colour-clear").hidden = !own?.coats;
    $("warm").hidden = !own?.can || own.material !== "skin";
  }

  async gradients() {
    const region = this.region,
      line = (words) => Object.assign(document.createElement("li"), { textContent: words });
    const answer =
      region && this.plan.regions[region - 1].coats
        ? await fetch(`${this.base}/colour/${region}/gradients.json`)
        : null;
    if (region !== this.region) return;
    const found = answer?.ok ? await answer.json() : [];
    $("gradients").replaceChildren(
      ...(found.length ? found.map((g) => line(g.line)) : [line("Choose a region that is painted in layers.")]),
    );
  }

  // each way as a picture of this model, with what it comes to
  ways() {
    const own = this.plan.regions[this.region - 1],
      box = $("colour-ways");
    $("colour-ways-box").hidden = !own;
    if (!own) return;
    // also in the addresses of the pictures: of one address a document asks only once
    const mark = `${this.plan.under}-${own.number}-${own.material}`;
    if (box.dataset.of !== mark) {
      box.dataset.of = mark;
      box.replaceChildren(
        ...this.titles
          .filter((way) => way.suits(own.material))
          .map((way) => {
            const button = document.createElement("button"),
              url = `${this.base}/colour/${own.number}/${way.name}`;
            button.type = "button";
            button.dataset.way = way.name;
            button.title = way.words;
            button.innerHTML = `<img alt="" width="132" height="168" src="${url}.png?v=${mark}"><span></span><small></small>`;
            button.querySelector("span").textContent = way.title;
            button.querySelector("img").addEventListener("load", async () => {
              const answer = await fetch(`${url}.json`);
              if (!answer.ok) return;
              const found = await answer.json();
              button.disabled = Boolean(found.trouble);
              button.querySelector("small").textContent = found.short;
              button.title = `${way.words} ${found.words}`;
              button.dataset.words = found.words;
              this.words();
            });
            button.addEventListener("click", () => this.change({ do: "way", region: own.number, name: way.name }));
            return button;
          }),
      );
    }
    for (const b of box.children) b.setAttribute("aria-pressed", String(b.dataset.way === own.way));
    this.words();
  }

  words() {
    const own = this.plan.regions[this.region - 1],
      pressed = $("colour-ways").querySelector('[aria-pressed="true"]'),
      way = this.titles.find((w) => w.name === own?.way);
    const here = own?.near?.words ? `Here ${own.near.words}.` : "", // also of what was planned together
      more = pressed ? "" : "Touch a way to paint the region with it.";
    $("way-words").textContent = `${way?.words || ""} ${here} ${way ? "" : more}`.trim();
  }

  strip() {
    const shown = this.plan.coats.filter((c) => !this.region || c.region === this.region);
    $("colour-coats").replaceChildren(
      ...shown.map((c) => {
        const item = document.createElement("li"),
          button = document.createElement("button");
        button.type = "button";
        button.className = c.muted ? "muted" : "";
        button.setAttribute("aria-pressed", String(this.chosen === c.number));
        button.innerHTML = `<svg class="dab" viewBox="0 0 10 10" aria-hidden="true"><rect width="10" height="10" fill="${c.hex}"/></svg><span><b></b><small></small></span>`;
        button.querySelector("b").textContent = `${c.number}. ${c.label || c.title}`;
        button.querySelector("small").textContent = c.words;
        button.addEventListener("click", () => {
          this.chosen = this.chosen === c.number ? null : c.number;
          this.strip();
          $("colour-scrub").value = c.number;
          this.look(c.number);
        });
        item.append(button);
        return item;
      }),
    );
    const c = this.plan.coats[this.chosen - 1],
      form = $("colour-form");
    form.hidden = !c;
    if (!c) return;
    const paint = form.elements.namedItem("paint");
    paint.value = [...paint.options].some((o) => o.value === c.paint) ? c.paint : "";
    for (const group of form.querySelectorAll("[data-of]")) {
      group.hidden = group.dataset.of !== c.technique;
      if (group.hidden) continue;
      for (const field of group.querySelectorAll("[name]")) {
        field.value = c.settings[field.name];
        const out = field.parentElement.querySelector("output");
        if (out) out.textContent = field.value;
      }
    }
    $("colour-from").hidden = typeof c.settings.azimuth !== "number";
    for (const name of ["azimuth", "elevation"]) form.elements.namedItem(name).value = c.settings[name] ?? 0;
    form.querySelector('[data-colour="mute"]').textContent = c.muted ? "Use this coat" : "Skip this coat";
    $("colour-facts").textContent = c.facts;
  }

  async look(number) {
    const turn = (this.looked = (this.looked || 0) + 1);
    this.at = number;
    $("colour-light-now").textContent = $("colour-light").selectedOptions[0].textContent;
    $("colour-scrub-out").textContent =
      number === 0 ? "the undercoat" : `coat ${number} of ${this.plan.coats.length}`;
    const answer = await fetch(`${this.base}/colour/${number}.bin?light=${$("colour-light").value}`);
    // read in any case: a body that is left lying keeps its connection
    const bytes = answer.ok ? await answer.arrayBuffer() : null;
    if (turn !== this.looked || !bytes) return;
    const { heading, at } = unpack(bytes);
    this.table.layers.put("coats", new Uint8Array(bytes, at, this.table.heading.samples * 4));
    this.table.draw();
    $("colour-areas").textContent = heading.words;
    $("colour-note").dataset.looked = String(number);
    if ($("colour-sheen").checked) this.sheen();
  }

  // matt, satin and gloss as the lamp lies on them
  async sheen() {
    const on = $("colour-sheen").checked,
      answer = on ? await fetch(`${this.base}/colour/${this.at}/finish.bin`) : null;
    if (answer?.ok) {
      const bytes = await answer.arrayBuffer(),
        { heading, at } = unpack(bytes);
      this.table.layers.put("sheen", new Uint8Array(bytes, at, this.table.heading.samples * 4));
      this.table.uniforms.lamp.value.set(...heading.lamp);
      this.table.uniforms.sheenOf.value = heading.sheen;
      $("colour-note").dataset.sheen = String(heading.number);
    }
    this.table.layers.on("sheen", on && $("colour-sheen").checked);
    this.table.draw();
  }
}
