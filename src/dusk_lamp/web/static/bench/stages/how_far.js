// How far? Plans for an evening, a game piece, display and a time of one's own as pictures of this model; and the
// palette of the one taken.
import { patient, say } from "../../page.js";

const $ = (id) => document.getElementById(id);

export default class HowFar {
  constructor(colour) {
    Object.assign(this, { colour, own: null });
    $("how-far-own").addEventListener("submit", (e) => {
      e.preventDefault();
      this.own = Object.fromEntries([...new FormData(e.target)].filter(([, v]) => v));
      this.load(true);
    });
    $("front-box").addEventListener("toggle", () => {
      if ($("front-box").open) this.front();
    });
  }

  // asked for again only where the plan is another one
  async load(again = false) {
    const mark = `${this.colour.plan?.under}-${this.colour.plan?.aim}-${this.colour.plan?.planned}`;
    if (!again && $("how-far").dataset.of === mark) return;
    const turn = (this.loading = (this.loading || 0) + 1);
    $("how-far-words").textContent = "Working out what an evening brings …";
    const answer = await patient(
      `${this.colour.base}/economy.json${this.own ? `?${new URLSearchParams(this.own)}` : ""}`,
    );
    const found = await answer.json();
    if (turn !== this.loading) return;
    if (found.trouble || found.error) {
      $("how-far-words").textContent = found.trouble || found.error;
      $("how-far").replaceChildren();
      return;
    }
    $("how-far").dataset.of = mark;
    if ($("front-box").open) this.front();
    $("how-far").replaceChildren(...found.plans.map((plan) => this.button(plan)));
    const here = found.plans.find((p) => p.here);
    $("how-far-words").textContent = here
      ? `${here.words} ${found.more}`
      : "Choose how far to go: all regions are planned together, from few pots.";
  }

  // steps that a painter wants on a region, one field each
  regions(regions) {
    const box = $("how-far-steps");
    const mark = regions.map((r) => `${r.number} ${r.name}`).join();
    if (box.dataset.of === mark) return;
    box.dataset.of = mark;
    box.replaceChildren(
      ...regions.map((r) => {
        const label = document.createElement("label");
        label.className = "field";
        label.textContent = r.name;
        label.append(
          Object.assign(document.createElement("input"), {
            className: "input",
            type: "number",
            min: 1,
            max: 12,
            name: `on-${r.number}`,
            placeholder: "any",
          }),
        );
        return label;
      }),
    );
  }

  async front() {
    $("front-words").textContent = "Working out six plans …";
    const found = await (await patient(`${this.colour.base}/economy/front.json`)).json();
    $("front-words").textContent = found.trouble || found.error || "Touch a point to take that plan.";
    $("front").innerHTML = found.svg || "";
    $("front")
      .querySelectorAll(".touch")
      .forEach((point) => {
        const plan = found.plans[point.dataset.place];
        point.setAttribute("role", "button");
        point.setAttribute("tabindex", "0");
        point.setAttribute("aria-label", plan.words);
        const show = () => {
          $("front-words").textContent = plan.words;
        };
        const take = () => {
          say(`Planned: ${plan.words}`);
          this.colour.change({ do: "plan", minutes: plan.minutes });
        };
        point.addEventListener("pointerenter", show);
        point.addEventListener("focus", show);
        point.addEventListener("click", take);
        point.addEventListener("keydown", (e) => {
          if (e.key === "Enter" || e.key === " ") {
            e.preventDefault();
            take();
          }
        });
      });
  }

  button(plan) {
    const button = document.createElement("button");
    button.type = "button";
    button.title = plan.words;
    button.setAttribute("aria-pressed", String(plan.here));
    button.innerHTML = `<img alt="" width="132" height="168" src="${plan.picture}"><span></span><small></small>`;
    button.querySelector("span").textContent = plan.title;
    button.querySelector("small").textContent = plan.short;
    button.addEventListener("click", () => {
      say(`Planned: ${plan.words}`);
      this.colour.change({ do: "plan", ...plan.asked });
    });
    return button;
  }

  // the puddles of what is painted, with what each is mixed from
  palette({ puddles, count, words }) {
    $("palette-box").hidden = !puddles.length;
    $("palette-count").textContent = count;
    $("pots-out").textContent = words;
    $("puddles").replaceChildren(
      ...puddles.map((p) => {
        const item = document.createElement("li");
        item.innerHTML = `<svg viewBox="0 0 30 30" aria-hidden="true"><circle cx="15" cy="15" r="14" fill="${p.hex}"/></svg><span><b></b> <span></span><small></small></span>`;
        item.querySelector("b").textContent = p.letter;
        item.querySelector("span > span").textContent = p.words;
        item.querySelector("small").textContent = p.used;
        return item;
      }),
    );
  }
}
