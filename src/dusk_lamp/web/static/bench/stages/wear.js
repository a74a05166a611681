// The wear stage: how much of each layer, where none, and what it costs; the server works it all out.
import { patient } from "../../page.js";
import { Looks } from "../looks.js";

const $ = (id) => document.getElementById(id);

export default class Wear {
  constructor({ base, table, history }) {
    Object.assign(this, { base, table, history, showing: "worn", plan: null, looks: new Looks(table) });
    const form = $("wear-form");
    form.addEventListener("submit", (e) => e.preventDefault());
    form.addEventListener("input", (e) => {
      if (e.target.type === "range" && !e.target.dataset.share)
        this.look(`layer=${e.target.name.replace("-amount", "")}&amount=${e.target.value}`);
    });
    form.addEventListener("change", (e) => {
      const { name, type, checked, value } = e.target;
      if (name === "spared")
        this.change({
          do: "set",
          spared: [...form.querySelectorAll('[name="spared"]:checked')].map((box) => Number(box.value)),
        });
      else if (e.target.dataset.share)
        this.change({
          do: "set",
          share: { region: Number($("wear-region").value), layer: e.target.dataset.share, share: Number(value) },
        });
      else if (e.target.id === "wear-region") return;
      else if (type === "range")
        this.change({ do: "set", amounts: { [name.replace("-amount", "")]: Number(value) } });
      else
        this.change({
          do: "set",
          amounts: { [name]: checked ? Number(form.elements.namedItem(`${name}-amount`)?.dataset.usual ?? 1) : 0 },
        });
    });
    $("wear-region").addEventListener("change", () => this.shares());
    $("wear-pattern").addEventListener("click", () => this.change({ do: "set", seed: (this.plan.seed % 9999) + 1 }));
    for (const what of ["usual", "paint", "unpaint"])
      $(`wear-${what}`).addEventListener("click", () => this.change({ do: what }));
    for (const b of document.querySelectorAll("[data-wear-show]"))
      b.addEventListener("click", () => {
        this.showing = b.dataset.wearShow;
        for (const other of document.querySelectorAll("[data-wear-show]"))
          other.setAttribute("aria-pressed", String(other === b));
        this.look();
      });
  }

  enter() {
    this.table.layers.on("coats", true);
    return this.load();
  }
  leave() {
    this.table.layers.on("coats", false);
  }

  async load() {
    const turn = (this.loading = (this.loading || 0) + 1);
    const answer = await patient(`${this.base}/wear.json`);
    const plan = await answer.json();
    if (turn !== this.loading) return;
    if (plan.trouble || plan.error) {
      $("wear-note").textContent = plan.trouble || plan.error;
      return;
    }
    this.show(plan);
  }

  async change(wish) {
    if (await this.history.change("wear", wish)) await this.load();
  }

  show(plan) {
    this.plan = plan;
    const { elements } = $("wear-form");
    for (const layer of plan.layers) {
      const box = document.querySelector(`[data-layer="${layer.name}"]`),
        slider = elements.namedItem(`${layer.name}-amount`);
      elements.namedItem(layer.name).checked = layer.amount > 0;
      if (slider) {
        slider.value = layer.amount;
        slider.closest("label").hidden = !layer.amount;
      }
      box.querySelector("small").textContent = layer.amount ? layer.words : "";
    }
    $("wear-spared").replaceChildren(
      ...plan.regions.map((r) => {
        const label = document.createElement("label");
        label.className = "tick";
        label.append(
          Object.assign(document.createElement("input"), {
            type: "checkbox",
            name: "spared",
            value: r.number,
            checked: r.spared,
          }),
          ` ${r.name}`,
        );
        return label;
      }),
    );
    const chosen = $("wear-region").value;
    $("wear-region").replaceChildren(...plan.regions.map((r) => new Option(`${r.name} (${r.material})`, r.number)));
    if (chosen) $("wear-region").value = chosen;
    this.shares();
    $("wear-paint").textContent = plan.paint;
    $("wear-paint").disabled = plan.painted && !plan.stale;
    $("wear-unpaint").hidden = !plan.painted;
    $("wear-coats").replaceChildren(
      ...plan.coats.map((c) => {
        const item = document.createElement("li");
        item.className = "coat-row";
        item.innerHTML = `<svg class="dab" viewBox="0 0 10 10" aria-hidden="true"><rect width="10" height="10" fill="${c.hex}"/></svg><span><b></b><small></small></span>`;
        item.querySelector("b").textContent = `${c.number}. ${c.label}`;
        item.querySelector("small").textContent = c.words;
        return item;
      }),
    );
    this.look();
  }

  // how far each layer that is there goes on the chosen region
  shares() {
    const region = this.plan.regions.find((r) => r.number === Number($("wear-region").value));
    $("wear-shares").replaceChildren(
      ...(region ? this.plan.layers.filter((l) => l.amount > 0) : []).map((layer) => {
        const label = document.createElement("label");
        label.className = "field slide";
        const changed = region.changed.includes(layer.name) ? ", changed" : "";
        label.append(
          `${layer.title}${changed} `,
          Object.assign(document.createElement("output"), {
            textContent: `${Math.round(100 * region.shares[layer.name])} %`,
          }),
        );
        const slider = Object.assign(document.createElement("input"), {
          type: "range",
          min: 0,
          max: 1,
          step: 0.1,
          value: region.shares[layer.name],
        });
        slider.dataset.share = layer.name;
        label.append(slider);
        return label;
      }),
    );
  }

  async look(tried = "") {
    const address = (so) => `${this.base}/wear.bin?show=${this.showing}${so ? `&${so}` : ""}`;
    if (await this.looks.show(address, tried)) $("wear-note").dataset.looked = this.showing;
  }
}
