// The glow stage: what glows, a ring as wide as its reach, bands and coats; the server works it all out.
import { patient } from "../../page.js";
import { Looks } from "../looks.js";

const $ = (id) => document.getElementById(id);
const mm = (x) => `${x < 10 ? x.toFixed(1) : Math.round(x)} mm`;
const line = (words) => Object.assign(document.createElement("li"), { textContent: words });

export default class Glow {
  constructor({ base, table, here, history }) {
    Object.assign(this, {
      base,
      table,
      history,
      chosen: null,
      waiting: null,
      showing: "both",
      plan: null,
      looks: new Looks(table),
    });
    for (const b of document.querySelectorAll("[data-glow]"))
      b.addEventListener("click", () => {
        const kind = b.dataset.glow;
        if (kind === "region") this.change({ do: "add", kind, region: Number($("glow-region").value) }, true);
        else if (kind === "plane") this.change({ do: "add", kind: $("glow-side").value }, true);
        else this.wait(this.waiting === kind ? null : kind);
      });
    $("glow-spot").addEventListener("click", () => this.wait(this.waiting === "spot" ? null : "spot"));
    // a ball is pulled off the surface: from where the pointer goes down, as far as it is dragged
    table.canvas.addEventListener(
      "pointerdown",
      (e) => {
        if (!here("glow") || this.waiting !== "ball") return;
        e.stopImmediatePropagation();
        table.canvas.setPointerCapture(e.pointerId);
        const at = table.sight(e.clientX, e.clientY),
          mm = (table.camera.top - table.camera.bottom) / (table.high || 1);
        const far = (m) => mm * Math.hypot(m.clientX - e.clientX, m.clientY - e.clientY);
        const move = (m) => {
          m.stopImmediatePropagation();
          $("glow-note").textContent = `${far(m).toFixed(1)} mm off the surface`;
        };
        table.canvas.addEventListener("pointermove", move, true);
        table.canvas.addEventListener(
          "pointerup",
          (u) => {
            table.canvas.removeEventListener("pointermove", move, true);
            this.change({ do: "add", kind: "ball", ...at, ...(far(u) > 0.3 ? { off: far(u) } : {}) }, true);
            this.wait(null);
          },
          { once: true, capture: true },
        );
      },
      true,
    );
    table.canvas.addEventListener("picked", (e) => {
      if (!here("glow") || !this.waiting) return;
      if (this.waiting === "spot") this.change({ do: "spot", number: this.chosen, ...e.detail });
      else this.change({ do: "add", kind: this.waiting, ...e.detail }, true);
      this.wait(null);
    });
    const form = $("glow-form"),
      reach = form.elements.namedItem("reach"),
      grip = 9; // pixels beside the ring that take hold of it
    const hold = (e) => {
      const far = here("glow") && !this.waiting ? table.fromRing(e.clientX, e.clientY) : null;
      const mm = (table.camera.top - table.camera.bottom) / (table.high || 1);
      if (far === null || Math.abs(far - Number(reach.value)) > grip * mm) return;
      e.stopImmediatePropagation();
      table.canvas.setPointerCapture(e.pointerId);
      const move = (m) => {
        m.stopImmediatePropagation();
        reach.value = table.fromRing(m.clientX, m.clientY);
        reach.dispatchEvent(new Event("input", { bubbles: true }));
      };
      const drop = () => {
        table.canvas.removeEventListener("pointermove", move, true);
        reach.dispatchEvent(new Event("change", { bubbles: true }));
      };
      table.canvas.addEventListener("pointermove", move, true);
      table.canvas.addEventListener("pointerup", drop, { once: true, capture: true });
    };
    table.canvas.addEventListener("pointerdown", hold, true);
    form.addEventListener("submit", (e) => e.preventDefault());
    form.addEventListener("input", (e) => {
      if (e.target.name === "reach") {
        e.target.parentElement.querySelector("output").textContent = mm(Number(e.target.value));
        this.ring(Number(e.target.value));
        this.look(`number=${this.chosen}&reach=${e.target.value}`);
      }
      if (e.target.name === "colour") this.look(`number=${this.chosen}&colour=${encodeURIComponent(e.target.value)}`);
      if (e.target.name === "length")
        e.target.parentElement.querySelector("output").textContent = mm(Number(e.target.value));
    });
    form.addEventListener("change", (e) => {
      const { name, type, checked, value } = e.target;
      if (name === "tint") {
        if (value) this.set({ colour: value });
        return;
      }
      this.set({
        [name]: type === "checkbox" ? checked : ["range", "number"].includes(type) ? Number(value) : value,
      });
    });
    $("glow-away").addEventListener("click", () => {
      const number = this.chosen;
      this.chosen = null;
      this.change({ do: "away", number });
    });
    $("glow-paint").addEventListener("click", () =>
      this.change({ do: "paint", number: this.chosen }).then(() => this.press("painted")),
    );
    $("glow-unpaint").addEventListener("click", () => this.change({ do: "unpaint", number: this.chosen }));
    $("dusk").addEventListener("input", () => {
      this.dusk();
      this.look(`dusk=${$("dusk").value}`);
    });
    $("dusk").addEventListener("change", () => this.change({ do: "dusk", share: Number($("dusk").value) }));
    for (const b of document.querySelectorAll("[data-glow-show]"))
      b.addEventListener("click", () => this.press(b.dataset.glowShow));
    $("lens-region").addEventListener("change", () => this.lens());
    for (const what of ["lens", "unlens"])
      $(what === "lens" ? "lens-paint" : "lens-unpaint").addEventListener("click", () =>
        this.change({ do: what, region: Number($("lens-region").value) }).then(() => {
          this.press("painted");
          this.lens();
        }),
      );
    $("lens-box").addEventListener("toggle", () => {
      if ($("lens-box").open) this.lens();
    });
  }

  get marks() {
    return Boolean(this.waiting);
  } // by clicks on the sculpt
  enter() {
    this.table.layers.on("coats", true);
    return this.load();
  }
  leave() {
    this.table.layers.on("coats", false);
    this.table.ring(null);
    this.wait(null);
  }

  wait(what) {
    this.waiting = what;
    $("glow-note").textContent =
      what === "ball"
        ? "Press on the sculpt where the ball should hang, and drag as far as it is off the surface."
        : what
          ? "Touch the sculpt where it is hottest."
          : "A region, a ball in the air, a plane; hot metal or flame on the surface.";
    for (const b of document.querySelectorAll("[data-glow]"))
      b.setAttribute("aria-pressed", String(b.dataset.glow === what));
    $("glow-spot").setAttribute("aria-pressed", String(what === "spot"));
  }

  press(show) {
    this.showing = show;
    for (const b of document.querySelectorAll("[data-glow-show]"))
      b.setAttribute("aria-pressed", String(b.dataset.glowShow === show));
    this.look();
  }

  async load() {
    const turn = (this.loading = (this.loading || 0) + 1);
    const answer = await patient(`${this.base}/glow.json`);
    const plan = await answer.json();
    if (turn !== this.loading) return;
    if (plan.trouble || plan.error) {
      $("glow-note").textContent = plan.trouble || plan.error;
      return;
    }
    this.show(plan);
  }

  set(settings) {
    return this.change({ do: "set", number: this.chosen, settings });
  }

  async change(wish, last = false) {
    if (!(await this.history.change("glow", wish))) return;
    if (last) this.chosen = -1;
    await this.load();
  }

  show(plan) {
    this.plan = plan;
    if (this.chosen === -1) this.chosen = plan.glows.at(-1)?.number ?? null;
    if (!plan.glows.some((g) => g.number === this.chosen)) this.chosen = plan.glows[0]?.number ?? null;
    for (const id of ["glow-region", "lens-region"]) {
      const before = $(id).value;
      $(id).replaceChildren(
        ...plan.regions.map((r) =>
          Object.assign(document.createElement("option"), { value: r.number, textContent: r.name }),
        ),
      );
      $(id).value = before || (plan.regions.find((r) => r.material === "glass or gem") ?? plan.regions[0])?.number;
    }
    $("dusk").value = plan.dusk;
    this.dusk();
    $("glow-coats").replaceChildren(
      ...plan.coats.map((c) => {
        const item = document.createElement("li");
        item.innerHTML = `<svg class="dab" viewBox="0 0 10 10" aria-hidden="true"><rect width="10" height="10" fill="${c.hex}"/></svg><span><b></b><small></small></span>`;
        item.className = "coat-row";
        item.querySelector("b").textContent = `${c.number}. ${c.label}`;
        item.querySelector("small").textContent = c.words;
        return item;
      }),
    );
    this.list();
    this.form();
    this.look();
  }

  dusk() {
    $("dusk-out").textContent = `${Math.round(100 * Number($("dusk").value))} %`;
  }

  list() {
    if (this.folded === undefined) $("glow-new").open = !this.plan.glows.length; // as one comes in; then as it is left
    this.folded = true;
    $("glows").replaceChildren(
      ...this.plan.glows.map((g) => {
        const item = document.createElement("li"),
          button = document.createElement("button");
        button.type = "button";
        button.setAttribute("aria-pressed", String(this.chosen === g.number));
        button.innerHTML = `<svg viewBox="0 0 30 30" aria-hidden="true"><circle cx="15" cy="15" r="13" fill="${g.shines ? g.colour : "#dd5f1b"}"/></svg><span><b></b><small></small></span><span class="share"></span>`;
        button.querySelector("b").textContent = g.name || g.kind;
        button.querySelector("small").textContent =
          `${g.kind}${g.on ? "" : ", off"}${g.painted ? ", in the plan" : ""}`;
        button.querySelector(".share").textContent = g.reach !== undefined ? mm(g.reach) : "";
        button.addEventListener("click", () => {
          this.chosen = g.number;
          this.list();
          this.form();
        });
        item.append(button);
        return item;
      }),
    );
  }

  form() {
    const g = this.plan.glows.find((x) => x.number === this.chosen),
      form = $("glow-form"),
      of = (name) => form.elements.namedItem(name); // one is called length
    form.hidden = !g;
    this.ring(g?.reach, g);
    if (!g) return;
    $("glow-light").hidden = !g.shines;
    $("glow-heat").hidden = g.shines;
    for (const part of form.querySelectorAll("[data-of]")) part.hidden = part.dataset.of !== g.kind;
    for (const name of [
      "name",
      "colour",
      "evenness",
      "off",
      "radius",
      "width",
      "height",
      "length",
      "hues",
      "seed",
      "reach",
    ])
      if (g[name] !== undefined) of(name).value = typeof g[name] === "number" ? Number(g[name].toFixed(2)) : g[name];
    for (const name of ["shadow", "on", "heart"]) of(name).checked = g[name];
    of("tint").value = [...of("tint").options].some((o) => o.value === g.colour) ? g.colour : "";
    for (const slider of [of("reach"), of("length")])
      slider.parentElement.querySelector("output").textContent = mm(Number(slider.value));
    $("glow-limit").textContent = g.limit
      ? `So far it is brighter than the lamp there. From ${mm(g.limit)} on it lights something as brightly as itself.`
      : "So far it is brighter than the lamp there.";
    $("glow-trouble").hidden = !g.trouble;
    $("glow-trouble").textContent = g.trouble;
    $("glow-mind").replaceChildren(...(g.mind || []).map(line));
    $("glow-bands").replaceChildren(
      ...(g.bands || [])
        .filter((b) => b.mm2 > 0)
        .map((b) => {
          const item = document.createElement("li");
          item.innerHTML = `<button type="button"><svg viewBox="0 0 14 14" aria-hidden="true"><rect width="14" height="14" fill="${b.colour}"/></svg><span></span><b>${b.mm2 < 10 ? b.mm2.toFixed(1) : Math.round(b.mm2)} mm²</b></button>`;
          const button = item.querySelector("button");
          button.disabled = !g.shines;
          button.title = "See this band alone";
          button.setAttribute("aria-pressed", String(g.shines && this.band === b.name));
          button.addEventListener("click", () => {
            this.band = this.band === b.name ? null : b.name;
            this.form();
            this.press("bands");
          });
          item.querySelector("span").textContent = `${b.name}${
            b.regions?.length
              ? `: ${b.regions
                  .slice(0, 3)
                  .map(([n, s]) => `${n} ${Math.round(100 * s)} %`)
                  .join(", ")}`
              : ""
          }`;
          return item;
        }),
    );
    $("glow-edges-box").hidden = !g.edges?.length;
    $("glow-edges").replaceChildren(...(g.edges || []).map(line));
    $("glow-paint").textContent = g.paint ?? "Put it in the plan";
    $("glow-paint").disabled = Boolean(g.trouble);
    $("glow-unpaint").hidden = !g.painted;
  }

  ring(reach, g = this.plan?.glows.find((x) => x.number === this.chosen)) {
    this.table.ring(g?.middle && reach ? g.middle : null, reach);
  }

  async look(tried = "") {
    const address = (so) =>
      `${this.base}/glow.bin?show=${this.showing}${this.showing === "bands" && this.band ? `&band=${encodeURIComponent(this.band)}` : ""}${so ? `&${so}` : ""}`;
    if (await this.looks.show(address, tried)) $("glow-note").dataset.looked = this.showing;
  }

  async lens() {
    const region = $("lens-region").value;
    if (!region) return;
    const url = `${this.base}/glow/lens/${region}`,
      answer = await fetch(`${url}.json`),
      said = await answer.json();
    if (region !== $("lens-region").value) return; // another was chosen meanwhile
    $("lens-drawing").hidden = !answer.ok;
    if (answer.ok) $("lens-drawing").src = `${url}.svg?${Date.now()}`;
    $("lens-paint").hidden = !answer.ok;
    $("lens-unpaint").hidden = !said.planned;
    $("lens-paint").textContent = said.planned ? "Update it in the plan" : "Put it in the plan";
    $("lens-words").replaceChildren(...(answer.ok ? said.words : [said.error]).map(line));
  }
}
