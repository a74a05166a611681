// Lighting: asks the server for the light as it is set, and keeps it a moment after the last change. Light and greys
// share it.
import { say, send } from "../page.js";
import { unpack } from "./turntable.js";

const $ = (id) => document.getElementById(id);

export class Lighting {
  constructor(bench, table, history) {
    const own = (name) => JSON.parse(bench.dataset[name]);
    Object.assign(this, {
      bench,
      table,
      history,
      base: bench.dataset.base,
      rig: own("rig"),
      greys: own("greys"),
      exposure: own("exposure"),
      bands: null,
      motion: 0,
      shown: [],
      // two lanes: a lamp in motion asks for the rough form, again and again, one request at a time; once it
      // rests, the whole sculpt is lit. A whole picture that was asked for before the latest motion is given up.
      lane: { moving: { busy: false, wish: false }, whole: { busy: false, wish: false } },
    });
    this.rig.lamp ||= { azimuth: 0, elevation: 90, size: 0 };
    // what was set a blink ago is kept before the next page is asked for, and goes on when this one is gone
    addEventListener("beforeunload", () => this.keeping && this.keep(true));
  }

  kept() {
    return { rig: this.rig, greys: this.greys, exposure: this.exposure };
  }
  whenShown(what) {
    this.shown.push(what);
  } // called with the bands, or the histogram alone while a lamp moves
  whenSet(what) {
    (this.set ||= []).push(what);
  }
  controls() {
    for (const what of this.set || []) what();
  }

  async ask(moving, signal) {
    const answer = await send(`${this.base}/relight`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      signal,
      body: JSON.stringify({ ...this.kept(), moving }),
    });
    if (answer.status === 204) return null; // it gave way to a newer one
    if (!answer.ok) throw new Error((await answer.json()).error);
    const bytes = await answer.arrayBuffer();
    return { bytes, ...unpack(bytes) };
  }

  async run(name) {
    const own = this.lane[name];
    own.wish = true;
    if (own.busy) return;
    own.busy = true;
    while (own.wish) {
      own.wish = false;
      const then = this.motion;
      own.stop = new AbortController();
      try {
        const answer = await this.ask(name === "moving", own.stop.signal);
        if (!answer) continue;
        const { bytes, heading, at } = answer;
        const n = this.table.heading.samples;
        if (name === "moving") this.table.showMoving(new Uint8Array(bytes, at));
        else if (then !== this.motion || own.wish)
          continue; // overtaken
        else {
          this.table.show(new Uint8Array(bytes, at, n), new Uint8Array(bytes, at + n, n));
          this.bands = heading;
        }
        for (const what of this.shown) what(heading);
      } catch (e) {
        if (e.name !== "AbortError" && !this.away)
          say(e.message || "The bench does not answer. Is Dusk Lamp still running?", true);
      }
    }
    own.busy = false;
  }

  relight(moving) {
    clearTimeout(this.resting);
    if (!moving) return this.run("whole");
    this.motion += 1;
    this.lane.whole.stop?.abort(); // the server gives way to the motion
    return this.run("moving");
  }

  // a moment after the last change it is kept
  changed(moving = false) {
    this.controls();
    if (moving) this.relight(true);
    else {
      clearTimeout(this.resting);
      this.motion += 1;
      this.resting = setTimeout(() => this.relight(false), 120);
    } // a held key is still motion
    if (!moving) {
      clearTimeout(this.keeping);
      this.keeping = setTimeout(() => this.keep(), 250);
    }
  }

  async keep(leaving = false) {
    clearTimeout(this.keeping);
    this.keeping = null;
    try {
      await this.history.change("plan", this.kept(), { method: "PUT", keepalive: leaving });
    } catch {
      // the bench is away: what is set stays set, and is kept once it is back
      this.unsaved("Not saved: the bench does not answer. Trying again …");
      this.keeping = setTimeout(() => this.keep(), 2000);
      return;
    }
    this.unsaved("");
  }

  unsaved(words) {
    $("unsaved").textContent = words;
    if (Boolean(words) === $("unsaved").hidden) $("unsaved").hidden = !words;
    onbeforeunload = words ? (e) => e.preventDefault() : null;
    if (!words && this.away) this.relight(false);
    this.away = Boolean(words);
  }
}
