// The metal stage: a school, a world and the painter's exaggerations for each region, shown at once; the server works
// it all out.
import { patient, say } from "../../page.js";
import { Looks } from "../looks.js";
import { unpack } from "../turntable.js";

const $ = (id) => document.getElementById(id);
const line = (words) => Object.assign(document.createElement("li"), { textContent: words });
const SLIDERS = ["roughness", "contrast", "gather", "bow", "counterchange"],
  EDGES = ["least", "line"];
const WORLD = ["sky_low", "sky_high", "ground", "horizon", "lamp_light", "lamp_size", "glow_light"];

export default class Metal {
  constructor({ base, table, here, history }) {
    Object.assign(this, {
      base,
      table,
      here,
      history,
      stroke: null,
      region: null,
      showing: "metal",
      plan: null,
      looks: new Looks(table),
      drags: "lamp",
      touched: null,
    });
    const form = $("metal-form"),
      of = (name) => form.elements.namedItem(name);
    this.of = of;
    form.addEventListener("submit", (e) => e.preventDefault());
    form.addEventListener("input", ({ target: { name, value } }) => {
      this.words();
      if (name === "least") this.edges(value);
      else if (name !== "line") this.look(`${name}=${encodeURIComponent(value)}`);
    });
    form.addEventListener("change", ({ target: { name, type, value } }) =>
      this.change({ do: "set", settings: { [name]: type === "range" ? Number(value) : value } }),
    );
    for (const [id, what] of [
      ["metal-paint", "paint"],
      ["metal-unpaint", "unpaint"],
      ["metal-edge", "edges"],
      ["metal-unedge", "unedge"],
      ["metal-line", "lining"],
      ["metal-unline", "unline"],
    ])
      $(id).addEventListener("click", () =>
        this.change({ do: what }).then(() => this.press(what.startsWith("un") ? this.showing : "painted")),
      );
    $("metal-usual").addEventListener("click", () => this.change({ do: "usual" }));
    this.ball();
    for (const b of document.querySelectorAll("[data-facet]"))
      b.addEventListener("click", () =>
        this.change({ do: "facet", ...this.touched, kind: b.dataset.facet }).then(() => this.facet()),
      );
    table.canvas.addEventListener("picked", (e) => {
      if (here("metal") && this.showing === "facets") {
        this.touched = e.detail;
        this.facet();
      }
    });
    table.canvas.addEventListener("dabbed", (e) => {
      if (this.table.cutting && here("metal")) this.stroke = [this.stroke?.[0] ?? e.detail, e.detail];
    });
    table.canvas.addEventListener("dropped", () => {
      this.stroke = null;
    });
    table.canvas.addEventListener("lifted", () => {
      const stroke = this.stroke;
      this.stroke = null;
      if (!stroke || !here("metal")) return;
      this.change({ do: "cut", start: stroke[0], end: stroke[1] }).then(() => this.press("facets"));
    });
    $("facet-cut").addEventListener("click", () => this.arm(!this.table.brushing));
    $("metal-holds").addEventListener("click", async () => {
      $("metal-words-found").replaceChildren(line("Looking from the sides …"));
      const answer = await patient(`${this.base}/metal/${this.region}/holds.json`),
        said = await answer.json();
      $("metal-words-found").replaceChildren(line(answer.ok ? said.words : said.error));
      $("metal-looks").hidden = !answer.ok;
      for (const img of $("metal-looks").querySelectorAll("img"))
        img.src = answer.ok ? `${this.base}/metal/${this.region}/look/${img.dataset.off}.png?v=${Date.now()}` : "";
    });
    for (const b of document.querySelectorAll("[data-metal-show]"))
      b.addEventListener("click", () => this.press(b.dataset.metalShow));
  }

  get marks() {
    return this.showing === "facets";
  } // by clicks on the sculpt
  enter() {
    this.table.layers.on("coats", true);
    return this.load();
  }
  leave() {
    this.arm(false);
    this.table.layers.on("coats", false);
    this.table.edges(null);
  }

  // the lamp, or a glow, is dragged on the mirror ball; where that is in its world, the server says
  ball() {
    const img = $("metal-ball");
    const at = (e) => {
      const box = img.getBoundingClientRect(),
        x = (2 * (e.clientX - box.left)) / box.width - 1,
        y = 1 - (2 * (e.clientY - box.top)) / box.height,
        far = Math.max(1, 1.02 * Math.hypot(x, y));
      return `${this.drags},${(x / far).toFixed(3)},${(y / far).toFixed(3)}`;
    };
    for (const b of document.querySelectorAll("[data-drag]"))
      b.addEventListener("click", () => {
        this.drags = b.dataset.drag;
        for (const other of document.querySelectorAll("[data-drag]"))
          other.setAttribute("aria-pressed", String(other === b));
      });
    img.addEventListener("pointerdown", (e) => {
      e.preventDefault();
      img.setPointerCapture(e.pointerId);
      this.look(`drag=${at(e)}`);
    });
    img.addEventListener("pointermove", (e) => {
      if (img.hasPointerCapture(e.pointerId)) this.look(`drag=${at(e)}`);
    });
    img.addEventListener("pointerup", (e) => this.change({ do: "set", settings: { drag: at(e) } }));
  }

  // the facet that was touched: what it is, and how it is painted
  async facet() {
    if (!this.touched) return;
    const { origin, direction } = this.touched;
    const answer = await fetch(
        `${this.base}/metal/${this.region}/facet.json?${new URLSearchParams({ origin: Array.from(origin).join(","), direction: Array.from(direction).join(",") })}`,
      ),
      said = await answer.json();
    if (!answer.ok) {
      say(said.error, true);
      return;
    }
    $("facet-box").hidden = false;
    for (const b of document.querySelectorAll("[data-facet]"))
      b.setAttribute("aria-pressed", String(b.dataset.facet === said.kind));
    $("facet-drawing").hidden = said.number === null;
    if (said.number !== null)
      $("facet-drawing").src = `${this.base}/metal/${this.region}/facet/${said.number}.svg?v=${Date.now()}`;
    $("facet-words").replaceChildren(...said.words.map(line));
  }

  async edges(least) {
    const turn = (this.edged = (this.edged || 0) + 1);
    const answer =
      this.showing === "edges" && this.region
        ? await fetch(`${this.base}/metal/${this.region}/edges.bin?least=${least}`)
        : null;
    const bytes = answer?.ok ? await answer.arrayBuffer() : null;
    if (turn !== this.edged) return;
    if (!bytes) {
      this.table.edges(null);
      return;
    }
    const { heading, at } = unpack(bytes);
    this.table.edges(
      new Float32Array(bytes, at, heading.strokes * 6),
      new Float32Array(bytes, at + heading.strokes * 24, heading.creases * 6),
    );
  }

  press(show) {
    this.showing = show;
    for (const b of document.querySelectorAll("[data-metal-show]"))
      b.setAttribute("aria-pressed", String(b.dataset.metalShow === show));
    $("metal-note").textContent =
      show === "facets"
        ? "Touch a facet: what it is can be corrected, and it is unrolled to copy. A stroke with Shift cuts it in two."
        : show === "edges"
          ? "Whole lines: edges to highlight. Dashed: creases to line dark."
          : "Choose a region. No metal in the paint: it shows a reflection, from the display view.";
    if (show !== "facets") $("facet-box").hidden = true;
    $("facet-cut-row").hidden = show !== "facets";
    this.arm(false);
    this.look();
  }

  // strokes cut facets: with Shift while they are shown, or with any stroke once the button is down
  arm(on) {
    this.table.cutting = this.showing === "facets" && this.here("metal");
    this.table.brushing = on && this.table.cutting;
    $("facet-cut").setAttribute("aria-pressed", String(this.table.brushing));
  }

  async load() {
    const turn = (this.loading = (this.loading || 0) + 1);
    const answer = await patient(`${this.base}/metal.json`);
    const plan = await answer.json();
    if (turn !== this.loading) return;
    if (plan.trouble || plan.error) {
      $("metal-note").textContent = plan.trouble || plan.error;
      return;
    }
    this.plan = plan;
    if (!plan.regions.some((r) => r.number === this.region))
      this.region = (plan.regions.find((r) => r.material === "metal") ?? plan.regions[0])?.number ?? null;
    if (!plan.regions.length) $("metal-note").textContent = "Mark the regions first.";
    this.list();
    this.form();
    this.look();
  }

  async change(wish) {
    if (await this.history.change("metal", { region: this.region, ...wish })) await this.load();
  }

  list() {
    $("metal-regions").replaceChildren(
      ...this.plan.regions.map((r) => {
        const item = document.createElement("li"),
          button = document.createElement("button");
        button.type = "button";
        button.setAttribute("aria-pressed", String(this.region === r.number));
        button.innerHTML = `<svg viewBox="0 0 30 30" aria-hidden="true"><rect width="30" height="30" fill="${r.hex}"/></svg><span><b></b><small></small></span><span class="share"></span>`;
        button.querySelector("b").textContent = `${r.number}. ${r.name}`;
        button.querySelector("small").textContent = r.words;
        button.addEventListener("click", () => {
          this.region = r.number;
          $("metal-words-found").replaceChildren();
          $("metal-looks").hidden = true;
          $("facet-box").hidden = true;
          this.touched = null;
          this.list();
          this.form();
          this.look();
        });
        item.append(button);
        return item;
      }),
    );
    $("metal-coats").replaceChildren(
      ...this.plan.coats
        .filter((c) => c.region === this.region)
        .map((c) => {
          const item = document.createElement("li");
          item.className = "coat-row";
          item.innerHTML = `<svg class="dab" viewBox="0 0 10 10" aria-hidden="true"><rect width="10" height="10" fill="${c.hex}"/></svg><span><b></b><small></small></span>`;
          item.querySelector("b").textContent = `${c.number}. ${c.label}`;
          item.querySelector("small").textContent = c.words;
          return item;
        }),
    );
  }

  form() {
    const r = this.plan.regions.find((x) => x.number === this.region);
    $("metal-form").hidden = !r;
    if (!r) return;
    this.of("school").value = r.school;
    this.of("world").value = r.world;
    this.of("mixes").value = r.mixes;
    this.of("wash").value = r.wash;
    for (const name of SLIDERS) this.of(name).value = r.shine[name];
    for (const name of WORLD) this.of(name).value = r.mirrors[name];
    for (const name of EDGES) this.of(name).value = r[name];
    $("metal-usual").hidden = !r.set;
    $("metal-ball").src = `${this.base}/metal/${r.number}/ball.png?v=${Date.now()}`;
    $("metal-paint").textContent = r.painted ? "Update it in the plan" : "Put it in the plan";
    $("metal-unpaint").hidden = !r.painted;
    $("metal-unedge").hidden = !r.edged;
    $("metal-unline").hidden = !r.lined;
    $("metal-line").disabled = !r.lining_mm;
    $("metal-edges-now").textContent = r.edges_now;
    $("metal-edges").textContent = r.edge_words;
    $("metal-lining").textContent = r.lining_words;
    if (r.jumps.length) $("metal-words-found").replaceChildren(...r.jumps.map(line));
    this.words();
  }

  words() {
    const chosen = this.of("school").selectedOptions[0];
    $("metal-words").textContent = chosen?.dataset.words ?? "";
    for (const part of $("metal-form").querySelectorAll("[data-school]"))
      part.hidden = part.dataset.school !== this.of("school").value;
    for (const name of [...SLIDERS, ...WORLD, ...EDGES])
      this.of(name).parentElement.querySelector("output").textContent =
        `${Number(this.of(name).value).toFixed(EDGES.includes(name) ? 1 : 2)}${EDGES.includes(name) ? " mm" : ""}`;
  }

  async look(tried = "") {
    const what = ["painted", "edges"].includes(this.showing)
      ? "painted=1"
      : this.region
        ? `region=${this.region}${this.showing === "facets" ? "&facets=1" : ""}`
        : "";
    if (tried && !tried.startsWith("school") && this.region)
      $("metal-ball").src = `${this.base}/metal/${this.region}/ball.png?${tried}`;
    if (!tried) this.edges(this.of("least").value);
    const address = (so) => `${this.base}/metal.bin?${what}${so && !what.startsWith("painted") ? `&${so}` : ""}`;
    if (await this.looks.show(address, tried)) $("metal-note").dataset.looked = this.showing;
  }
}
