// Looks that the server draws, sample by sample: one is asked for at a time while a slider moves, and none overtakes
// a later one.
import { unpack } from "./turntable.js";

export class Looks {
  constructor(table) {
    Object.assign(this, { table, asked: 0, seen: 0, busy: false, next: null });
  }

  // address: of the look, given what is tried; true once it is drawn
  async show(address, tried = "") {
    const turn = (this.asked += 1);
    if (this.busy && tried) {
      this.next = [address, tried];
      return false;
    }
    this.busy = true;
    const answer = await fetch(address(tried));
    // read in any case: a body that is left lying keeps its connection
    const bytes = answer.ok ? await answer.arrayBuffer() : null;
    this.busy = false;
    if (this.next) {
      const next = this.next;
      this.next = null;
      return this.show(...next);
    }
    if (!bytes || turn < this.seen) return false; // a later one was quicker
    this.seen = turn;
    const { at } = unpack(bytes);
    this.table.layers.put("coats", new Uint8Array(bytes, at, this.table.heading.samples * 4));
    this.table.draw();
    return true;
  }
}
