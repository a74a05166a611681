// The cursor: marks on the sculpt without a mouse. Arrows move it (Shift: finely), Enter clicks, or lowers and lifts
// the brush.
const STEP = 14,
  FINE = 3,
  WAYS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

export class Cursor {
  constructor(table, mark, announce) {
    Object.assign(this, { table, mark, announce, at: null, down: false });
    table.canvas.addEventListener(
      "keydown",
      (e) => {
        if (this.at && this.key(e.key, e.shiftKey)) {
          e.preventDefault();
          e.stopImmediatePropagation();
        }
      },
      { capture: true },
    );
    table.canvas.addEventListener("blur", () => this.show(false));
  }

  show(on) {
    if (on) this.table.canvas.focus();
    this.lift("dropped");
    this.at = on ? this.at || [0.5, 0.5] : null;
    this.mark.toggleAttribute("hidden", !on);
    this.announce(on ? "Cursor: arrows move it, Enter marks, Esc puts it away" : "");
    if (on) this.place();
  }

  key(key, fine) {
    const box = this.table.canvas.getBoundingClientRect(),
      way = WAYS[key];
    if (way) {
      const by = fine ? FINE : STEP,
        size = [box.width, box.height];
      this.at = this.at.map((v, i) => Math.max(0, Math.min(1, v + (way[i] * by) / size[i])));
      this.place();
      if (this.down) this.say("dabbed");
    } else if (key === "Enter" || key === " ") {
      if (!this.table.brushing) this.say("picked");
      else if (this.down) this.lift("lifted");
      else {
        this.down = true;
        this.say("dabbed");
      }
      this.mark.classList.toggle("down", this.down);
    } else if (key === "Escape") this.show(false);
    else return false;
    return true;
  }

  place() {
    this.mark.style.left = `${100 * this.at[0]}%`;
    this.mark.style.top = `${100 * this.at[1]}%`;
    this.say("pointed");
  }

  say(what) {
    const box = this.table.canvas.getBoundingClientRect();
    const detail = this.table.sight(box.left + this.at[0] * box.width, box.top + this.at[1] * box.height);
    this.table.canvas.dispatchEvent(new CustomEvent(what, { detail }));
  }

  lift(how) {
    if (!this.down) return;
    this.down = false;
    this.mark.classList.remove("down");
    this.say(how);
  }
}
