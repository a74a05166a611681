// The face: sends which eye was clicked and what it looks at; shows the drawing that comes back.
const $ = (id) => document.getElementById(id);

export default class Face {
  constructor(colour, here) {
    const { base, table, history } = colour;
    Object.assign(this, { base, table, history, marking: null });
    for (const button of document.querySelectorAll("[data-face]"))
      button.addEventListener("click", () => {
        const what = button.dataset.face;
        if (what === "ahead" || what === "viewer") this.change({ do: what });
        else this.wait(this.marking === what ? null : what);
      });
    $("face-paint").addEventListener("click", async () => {
      await this.change({ do: this.painted ? "unpaint" : "paint" });
      colour.load();
    });
    for (const button of document.querySelectorAll("[data-mouth]"))
      button.addEventListener("click", async () => {
        await this.change({
          do: "mouth",
          mouth: button.getAttribute("aria-pressed") === "true" ? "" : button.dataset.mouth,
        });
        colour.load();
      });
    table.canvas.addEventListener("picked", (e) => {
      if (here("colour") && this.marking) this.change({ do: this.marking, ...e.detail });
    });
  }

  wait(what) {
    this.marking = what;
    $("face-note").textContent =
      what === "at"
        ? "Touch what it looks at."
        : what
          ? `Touch the middle of its ${what} eye.`
          : "Left and right are the model's own. Touch a button, then the sculpt.";
    this.press();
  }

  press() {
    for (const b of document.querySelectorAll("[data-face]"))
      b.setAttribute("aria-pressed", String(b.dataset.face === this.marking || b.dataset.face === this.looks));
  }

  async load() {
    const answer = await fetch(`${this.base}/face.json`);
    if (answer.ok) this.show(await answer.json());
  }

  async change(wish) {
    const face = await this.history.change("face", wish);
    if (!face) return;
    const next = wish.do === "right" && !face.spots.left ? "left" : null;
    this.show(face);
    this.wait(next);
  }

  show(face) {
    this.looks = face.looks;
    $("face-drawing").hidden = !face.drawing;
    if (face.drawing) $("face-drawing").src = face.drawing;
    $("face-words").replaceChildren(
      ...[...(face.trouble ? [face.trouble] : []), ...face.words].map((w) =>
        Object.assign(document.createElement("li"), { textContent: w }),
      ),
    );
    this.painted = face.painted;
    $("face-paint").disabled = !face.can;
    $("face-paint").textContent = face.painted ? "Take the eyes off the plan" : "Put the eyes in the plan";
    for (const b of document.querySelectorAll("[data-mouth]")) {
      b.disabled = !face.can;
      b.setAttribute("aria-pressed", String(face.mouth === b.dataset.mouth));
    }
    this.press();
  }
}
