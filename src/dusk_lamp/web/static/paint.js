// Paint it: shows one step, reports what the hands did, counts seconds; what is done is kept by the server.
import { say, send } from "./page.js";

const $ = (id) => document.getElementById(id);
const easel = $("easel");
const clock = (s) =>
  s >= 3600
    ? `${Math.floor(s / 3600)} h ${String(Math.floor((s % 3600) / 60)).padStart(2, "0")}`
    : `${Math.floor(s / 60)}:${String(Math.floor(s % 60)).padStart(2, "0")}`;

class Easel {
  constructor() {
    this.keys = JSON.parse(easel.dataset.keys);
    this.steps = [...easel.querySelectorAll("[data-step]")];
    this.sides = [...easel.querySelectorAll("[data-side]")];
    this.side = "display";
    this.beads = [...document.querySelectorAll("#beads button")];
    this.counting = null;
    this.sent = Promise.resolve(); // one after another, in the order of the hands
    this.know(JSON.parse(easel.dataset.state));
    this.show(Math.max(0, this.keys.indexOf(this.state.place)));
    $("done").addEventListener("click", () => this.end("done"));
    $("skip").addEventListener("click", () => this.end("skipped"));
    $("back").addEventListener("click", () => this.show(this.at - 1));
    $("count").addEventListener("click", () => this.count());
    $("dry").addEventListener("click", () => this.tell("dry"));
    this.beads.forEach((b, k) => b.addEventListener("click", () => this.show(k)));
    for (const b of this.sides) b.addEventListener("click", () => this.look(b.dataset.side));
    for (const b of easel.querySelectorAll("[data-read]")) b.addEventListener("click", () => this.tell("read"));
    document.addEventListener("keydown", (e) => this.key(e));
    this.swipes();
    this.watch();
    setInterval(() => this.tick(), 250);
    this.awake();
    document.addEventListener("visibilitychange", () => {
      if (!document.hidden) this.awake();
    });
  }

  get step() {
    return this.steps[this.at];
  }

  know(state) {
    this.state = state;
    this.dryAt = state.wait && state.wait.left > 0 ? performance.now() + 1000 * state.wait.left : null;
    this.beads.forEach((b, k) => {
      const end = state.ends[this.keys[k]];
      b.className = end ? end.how : "";
      b.querySelector(".lamp").classList.toggle("lamp-lit", end?.how === "done");
      b.querySelector(".lamp").classList.toggle("lamp-unlit", end?.how !== "done");
      b.querySelector("span").textContent = `Step ${k + 1}${end ? `, ${end.how}` : ""}`;
    });
    this.steps.forEach((s) => {
      const end = state.ends[s.dataset.key],
        said = s.querySelector(".ended");
      said.hidden = !end;
      said.textContent = end ? `: ${end.how}${end.seconds ? ` in ${clock(end.seconds)}` : ""}` : "";
      const read = !state.unread.includes(s.dataset.key);
      s.querySelector(".caution").classList.toggle("read", read);
      s.querySelector("[data-read]").hidden = read;
    });
    $("pause").setAttribute("aria-pressed", String(Boolean(state.paused)));
    $("pause").textContent = state.paused ? "Go on" : "Pause";
    easel.classList.toggle("paused", Boolean(state.paused));
    if (this.at !== undefined) this.words();
  }

  words() {
    const end = this.step && this.state.ends[this.step.dataset.key];
    $("done-words").textContent = !this.step
      ? "To the first step"
      : end
        ? "Next step"
        : this.at === this.steps.length - 1
          ? "Done, the last"
          : "Done, next";
    $("skip").hidden = !this.step || Boolean(end);
    $("back").disabled = this.at <= 0;
  }

  show(at, kept = true) {
    this.at = Math.max(0, Math.min(this.steps.length, at));
    this.steps.forEach((s, k) => {
      s.hidden = k !== this.at;
    });
    this.beads.forEach((b, k) => b.toggleAttribute("aria-current", k === this.at));
    this.stop();
    const over = this.at === this.steps.length;
    $("all-done").hidden = !over;
    easel.classList.toggle("over", over);
    if (over) {
      const took = Object.values(this.state.ends).reduce((sum, e) => sum + (e.seconds || 0), 0);
      $("took").textContent = took ? `${clock(took)} with a step in hand, all together.` : "";
    } else {
      $("count").hidden = !this.step.dataset.seconds;
      if (kept) this.tell("take");
    }
    this.look(this.side);
    this.words();
    easel.querySelector(".telling").scrollTop = 0;
  }

  look(side) {
    this.side = side;
    for (const b of this.sides) b.setAttribute("aria-pressed", String(b.dataset.side === side));
    const step = this.step || this.steps[this.steps.length - 1];
    const of = (s, look) => s.dataset[look].replace("VIEW", side);
    const name = step.querySelector("h2").textContent;
    this.picture("before", of(step, this.step ? "before" : "after"));
    $("before").alt = `The model before: ${name}. Amber is where the paint goes.`;
    this.picture("after", of(step, "after"));
    $("after").alt = `The model after: ${name}.`;
    for (const near of [this.steps[this.at + 1]])
      if (near) for (const look of ["before", "after"]) new Image().src = of(near, look);
  }

  // until it is there, the one that still stands is dimmed: it shows another step
  picture(id, source) {
    const picture = $(id),
      around = picture.closest("figure");
    if (picture.getAttribute("src") === source) return;
    around.setAttribute("aria-busy", "true");
    picture.onload = picture.onerror = () => around.removeAttribute("aria-busy");
    picture.src = source;
  }

  tell(what, key = this.step?.dataset.key) {
    this.sent = this.sent.then(async () => {
      try {
        const answer = await send(easel.dataset.url, {
          method: "POST",
          headers: { "Content-Type": "application/json" },
          body: JSON.stringify({ do: what, key: key || this.keys[0] }),
        });
        const state = await answer.json();
        if (answer.ok) this.know(state);
        else say(state.error, true);
      } catch {
        say("The bench does not answer; what you just did is not kept yet.", true);
      }
      easel.dataset.sent = String(Number(easel.dataset.sent || 0) + 1);
    });
  }

  end(how) {
    if (!this.step) {
      this.show(0);
      return;
    }
    if (!this.state.ends[this.step.dataset.key]) {
      this.state.ends[this.step.dataset.key] = { how };
      this.tell(how);
      this.show(this.at + 1, false);
    } else this.show(this.at + 1);
  }

  count() {
    if (this.counting) {
      this.stop();
      return;
    }
    this.counting = { until: performance.now() + 3000, seconds: Number(this.step.dataset.seconds), began: false };
    $("count").classList.add("running");
    this.tick();
  }

  stop() {
    this.counting = null;
    $("count").classList.remove("running", "go");
    $("count-words").textContent = this.step ? `Count ${this.step.dataset.seconds} s` : "";
  }

  tick() {
    const now = performance.now(),
      c = this.counting;
    if (c) {
      if (!c.began && now >= c.until) {
        c.began = true;
        c.until = now + 1000 * c.seconds;
        $("count").classList.add("go");
      }
      const left = Math.max(0, (c.until - now) / 1000);
      if (c.began && left === 0) {
        this.stop();
        $("count-words").textContent = "Off the trigger";
        navigator.vibrate?.(200);
      } else $("count-words").textContent = c.began ? `${left.toFixed(1)} s` : `Ready … ${Math.ceil(left)}`;
    }
    const drying = this.dryAt !== null && this.dryAt !== undefined;
    $("drying").hidden = !drying;
    if (drying) {
      const left = Math.max(0, (this.dryAt - now) / 1000);
      $("drying-left").textContent = clock(Math.ceil(left));
      document.title = left > 0 ? `${clock(Math.ceil(left))} · Paint it` : "Dry · Paint it";
      if (left === 0) {
        this.dryAt = null;
        say("The last coat is dry.");
        navigator.vibrate?.([200, 100, 200]);
        this.tell("dry");
      }
    }
  }

  key(e) {
    if (
      e.target.matches("input, textarea, select") ||
      document.querySelector("dialog[open]") ||
      e.ctrlKey ||
      e.metaKey ||
      e.altKey
    )
      return;
    const does = {
      " ": () => this.end("done"),
      ArrowRight: () => this.show(this.at + 1),
      ArrowLeft: () => this.show(this.at - 1),
      s: () => this.end("skipped"),
      t: () => this.step?.dataset.seconds && this.count(),
      o: () => this.step && this.tell("open"),
      p: () => this.pause(),
      v: () =>
        this.look(
          this.sides[(this.sides.findIndex((b) => b.dataset.side === this.side) + 1) % this.sides.length].dataset
            .side,
        ),
    }[e.key.length === 1 ? e.key.toLowerCase() : e.key];
    if (!does || (e.key === " " && e.target.matches("button, summary, a") && !e.target.matches("#done"))) return;
    e.preventDefault();
    does();
  }

  // when it will be done, and what would have to be skipped to be done by a time; asked again now and then
  watch() {
    const by = $("done-by"),
      skip = $("skip-those");
    by.value = sessionStorage.getItem("done-by") || "";
    by.addEventListener("change", () => {
      sessionStorage.setItem("done-by", by.value);
      this.clock();
    });
    skip.addEventListener("click", () => {
      for (const key of JSON.parse(skip.dataset.keys)) {
        this.state.ends[key] = { how: "skipped" };
        this.tell("skipped", key);
      }
      this.show(this.at);
      this.clock();
    });
    $("pause").addEventListener("click", () => this.pause());
    this.clock();
    setInterval(() => this.clock(), 60000);
  }

  async clock() {
    await this.sent;
    const zone = Intl.DateTimeFormat().resolvedOptions().timeZone || "";
    const query = new URLSearchParams({ zone, until: $("done-by").value });
    try {
      const answer = await send(`${$("clock-line").dataset.url}?${query}`);
      const { words, skip, error } = await answer.json();
      $("clock-words").textContent = words || error || "";
      $("skip-those").hidden = !skip?.length;
      $("skip-those").dataset.keys = JSON.stringify(skip || []);
    } catch {
      $("clock-words").textContent = "";
    }
  }

  pause() {
    this.tell(this.state.paused ? "go on" : "pause");
  }

  // a finger drawn across the pictures turns the step over, as a page
  swipes() {
    let from = null;
    const looks = easel.querySelector(".looks");
    looks.addEventListener("pointerdown", (e) => {
      from = e.target.matches("button") ? null : e.clientX;
    });
    looks.addEventListener("pointerup", (e) => {
      if (from !== null && Math.abs(e.clientX - from) > 60) this.show(this.at + (e.clientX < from ? 1 : -1));
      from = null;
    });
  }

  async awake() {
    try {
      await navigator.wakeLock?.request("screen");
    } catch {
      /* the browser does not give it now */
    }
  }
}

if (easel) new Easel();
