// The history: which revision of the plan this page shows, undo and redo over everything in it, and what happens when
// another tab was quicker. Every change goes through here, one after another, each made on the revision the one
// before it left.
import { kept, patient, say, send } from "../page.js";

const $ = (id) => document.getElementById(id);
const JSON_HEADERS = { "Content-Type": "application/json" };

export class History {
  constructor(base, turn, reload) {
    Object.assign(this, { base, turn, reload, last: Promise.resolve() });
    for (const what of ["undo", "redo"]) $(what).addEventListener("click", () => this.step(what));
    addEventListener("keydown", (e) => {
      if (
        !(e.ctrlKey || e.metaKey) ||
        e.key.toLowerCase() !== "z" ||
        e.target.matches("input:not([type=radio]):not([type=checkbox]):not([type=range]), textarea")
      )
        return;
      e.preventDefault();
      this.step(e.shiftKey ? "redo" : "undo");
    });
    this.known = this.look();
  }

  // asks what can be undone
  async look() {
    const answer = await fetch(`${this.base}/history`).catch(() => null);
    if (answer?.ok) this.show(await answer.json());
  }

  show({ turn, undo, redo }) {
    if (turn !== undefined) this.turn = turn;
    for (const [what, words] of [
      ["undo", undo],
      ["redo", redo],
    ]) {
      $(what).disabled = !words;
      $(what).title = words ? `${what === "undo" ? "Undo" : "Redo"}: ${words}` : "";
    }
    $("history-words").title = undo || "";
    $("history-words").textContent = undo ? undo[0].toUpperCase() + undo.slice(1) : "Nothing to undo yet";
  }

  // one change, as JSON; the answer, or null where it was refused, which is said. mine: of a change that another
  // tab's came before
  change(path, wish, { method = "POST", read = "json", keepalive = false } = {}) {
    $("history-words").textContent = "Working …"; // at once, also while an earlier press is still being done
    const turn = this.last.then(() => this.sent(path, wish, method, read, keepalive));
    this.last = turn.catch(() => null);
    return turn;
  }

  async sent(path, wish, method, read, keepalive) {
    const body = JSON.stringify({ ...wish, turn: this.turn });
    const answer = await patient(`${this.base}/${path}`, {
      method,
      keepalive,
      headers: JSON_HEADERS,
      body,
    });
    if (answer.ok) {
      const found = read === "json" ? await answer.json() : await answer.arrayBuffer();
      if (read === "json" && found.turn !== undefined) this.turn = found.turn;
      await this.look();
      kept();
      return found;
    }
    const said = await answer.json();
    if (answer.status === 409 && said.stale && said.turn !== undefined) {
      this.turn = said.turn;
      await this.reload(); // theirs is shown
      if (!(await this.both())) return null;
      const found = await this.sent(path, { ...wish, again: undefined }, method, read, keepalive);
      await this.reload();
      return found;
    }
    say(said.error, true);
    await this.look();
    if (answer.status === 409) await this.reload();
    return null;
  }

  // another tab was quicker: whether this tab's change should go on top of what is there now
  both() {
    const dialog = $("two-tabs");
    return new Promise((done) => {
      const choose = (mine) => {
        dialog.close();
        done(mine);
      };
      dialog.querySelector('[data-choice="mine"]').onclick = () => choose(true);
      dialog.querySelector('[data-choice="theirs"]').onclick = () => choose(false);
      dialog.oncancel = (e) => e.preventDefault(); // nothing is lost by Escape: one of the two must be chosen
      if (!dialog.open) dialog.showModal();
    });
  }

  // another scheme is on the bench: a whole plan of its own
  async taken() {
    const { surface } = await (await fetch(`${this.base}/history`)).json();
    await this.reload(surface);
  }

  // after whatever is on its way: a second press must not be made on the revision the first one leaves
  step(what) {
    const turn = this.last.then(() => this.stepped(what));
    this.last = turn.catch(() => null);
    return turn;
  }

  async stepped(what) {
    if ($(what).disabled) return;
    const answer = await send(`${this.base}/history`, {
      method: "POST",
      headers: JSON_HEADERS,
      body: JSON.stringify({ do: what, turn: this.turn }),
    });
    const said = await answer.json();
    if (!answer.ok) {
      say(said.error, true);
      if (said.turn !== undefined) this.turn = said.turn;
    } else {
      this.show(said);
      if (said.did) say(said.did);
      kept();
    }
    await this.reload(said.surface);
  }
}
