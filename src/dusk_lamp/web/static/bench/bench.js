// The bench: the turntable, the views, the keys, and the stages that share them. Each stage has a script of its own
// in stages/: a class made with what the bench shares, with ready() once the sculpt is there, enter() and leave(),
// key(key), none of which it must have.
import { moved } from "../events.js";
import { say, send } from "../page.js";
import { Cursor } from "./cursor.js";
import { History } from "./history.js";
import { Lighting } from "./lighting.js";
import { Turntable, unpack } from "./turntable.js";

const bench = document.getElementById("bench");
const $ = (id) => document.getElementById(id);
const base = bench.dataset.base,
  sculpt = Number(base.split("/")[2]);
const table = new Turntable($("turntable"));
const history = new History(base, Number(bench.dataset.turn), reload);
const lighting = new Lighting(bench, table, history);
const views = {},
  stages = {};
const cursor = new Cursor(table, $("cursor"), (words) => {
  $("stage-note").textContent = words || skyNote();
});
let present = null,
  sky = bench.dataset.sky === "true";
const shared = {
  base,
  sculpt,
  table,
  lighting,
  history,
  stages,
  here: (name) => present === name,
  resky: () => {
    sky = false;
    waitForSky();
  },
};

for (const form of document.querySelectorAll(".controls form[method]")) {
  // a change made a blink ago goes with the form
  form.addEventListener("submit", async (e) => {
    const { next } = form.dataset; // a stage on this bench: nothing has to be loaded again for it
    if (!next && !lighting.keeping) return;
    e.preventDefault();
    if (lighting.keeping) await lighting.keep();
    if (!next) {
      form.submit();
      return;
    }
    const answer = await send(form.action, { method: "POST" });
    if (!answer.ok) {
      say((await answer.json()).error, true);
      return;
    }
    await history.look(); // going on may have kept the coats that were shown
    go(next);
  });
}

// --- the string of lamps: what is done, what to look at again
async function lamps() {
  const answer = await fetch(`${base}/state`).catch(() => null);
  if (!answer?.ok) return;
  for (const [name, lamp, words] of (await answer.json()).stages) {
    const link = document.querySelector(`.string [data-stage="${name}"]`);
    link.querySelector(".lamp").setAttribute("class", `icon lamp lamp-${lamp}`);
    link.querySelector("small").textContent = name === present ? "working on it" : words;
  }
  for (const group of document.querySelectorAll(".string [data-group]")) {
    const all = [...group.querySelectorAll(".lamp")],
      lit = all.filter((l) => l.classList.contains("lamp-lit"));
    group.querySelector("[data-count]").textContent = `${lit.length} of ${all.length}`;
  }
}
addEventListener("kept", lamps); // a change was kept: what rests on it may have to be looked at again

// what a panel holds can be pressed once its own data are there, and looks so: no press is lost
async function whenLoaded(panel, loading) {
  panel.inert = true;
  table.during(loading);
  try {
    await loading;
  } catch {
    /* the one that loads says so */
  } finally {
    panel.inert = false;
  }
}

// --- stages on this bench share the turntable
function go(stage, push = true) {
  stages[present]?.leave?.();
  if (cursor.at) cursor.show(false);
  present = stage;
  bench.dataset.stage = stage;
  for (const panel of document.querySelectorAll("[data-panel]")) panel.hidden = panel.dataset.panel !== stage;
  document.title = document.title.replace(
    /^.*? · /,
    `${document.querySelector(`[data-panel="${stage}"]`).dataset.title} · `,
  );
  for (const link of document.querySelectorAll(".string [data-stage]")) {
    const here = link.dataset.stage === stage;
    if (here) link.setAttribute("aria-current", "step");
    else link.removeAttribute("aria-current");
    if (here)
      for (const group of document.querySelectorAll(".string [data-group]")) group.open = group.contains(link);
  }
  lamps();
  whenLoaded(document.querySelector(`[data-panel="${stage}"]`), stages[stage].enter?.());
  if (push) window.history.pushState({ stage }, "", `${base}/${stage}`);
  table.draw();
}
for (const link of document.querySelectorAll(".string [data-here]"))
  link.addEventListener("click", (e) => {
    e.preventDefault();
    go(link.dataset.stage);
  });
addEventListener("popstate", () => go(location.pathname.split("/").pop(), false));

// --- looking
function pressed(view) {
  for (const b of document.querySelectorAll(".views [data-view]"))
    b.setAttribute("aria-pressed", String(b.dataset.view === view));
}
function look(view) {
  if (view === "lamp") table.look(lighting.rig.lamp.azimuth, lighting.rig.lamp.elevation);
  else if (view === "display") table.look(...stages.view.place());
  else table.look(...views[view]);
  pressed(view);
}
let before = null;
function eyeInLamp(on) {
  if (on && !before) {
    before = [table.azimuth, table.elevation];
    look("lamp");
    $("stage-note").textContent = "Your eye is in the lamp: all you see is lit";
  } else if (!on && before) {
    table.look(...before);
    before = null;
    pressed(null);
    $("stage-note").textContent = skyNote();
  }
}
const fromLamp = document.querySelector('[data-view="lamp"]');
fromLamp.addEventListener("pointerdown", () => eyeInLamp(true));
for (const end of ["pointerup", "pointerleave", "blur"]) fromLamp.addEventListener(end, () => eyeInLamp(false));
for (const key of ["keydown", "keyup"])
  fromLamp.addEventListener(key, (e) => {
    if (e.key === "Enter" || e.key === " ") {
      e.preventDefault();
      eyeInLamp(key === "keydown");
    }
  });
for (const button of document.querySelectorAll('.views [data-view]:not([data-view="lamp"])'))
  button.addEventListener("click", () => look(button.dataset.view));
$("turntable").addEventListener("turned", () => pressed(null));
const squint = document.querySelector("[data-squint]");
squint.addEventListener("click", () => {
  const on = $("stage").classList.toggle("squint");
  squint.setAttribute("aria-pressed", String(on));
});
const edges = document.querySelector("[data-edges]");
edges.addEventListener("click", async () => {
  const on = edges.getAttribute("aria-pressed") !== "true",
    note = $("edge-note");
  edges.setAttribute("aria-pressed", String(on));
  note.hidden = !on;
  if (!on) {
    table.edges(null);
    return;
  }
  note.textContent = "Looking for crests and creases …";
  const answer = await fetch(`${base}/edges.bin`);
  if (!answer.ok) {
    note.textContent = "The edges could not be read; try again.";
    return;
  }
  const bytes = await answer.arrayBuffer(),
    { heading, at } = unpack(bytes);
  const crests = new Float32Array(bytes, at, heading.crest_pieces * 6);
  table.edges(crests, new Float32Array(bytes, at + crests.byteLength, heading.crease_pieces * 6));
  const { crests: all, creases: deep } = heading.whole;
  note.replaceChildren();
  const line = (text) => {
    const p = document.createElement("span");
    p.textContent = text;
    note.append(p);
  };
  line(
    `Crests ${all.length.toFixed(0)} mm, of which the lamp sees ${all.lit.toFixed(0)} mm · creases (dashed) ${deep.length.toFixed(0)} mm`,
  );
  heading.names.forEach((name, k) => {
    if (k && heading.crests.length[k] >= 1)
      line(
        `${k}. ${name}: crests ${Math.round(heading.crests.length[k])} mm, ${Math.round(heading.crests.lit[k])} mm lit`,
      );
  });
});
const grounds = [...document.querySelectorAll("[data-ground]")];
function ground(button) {
  for (const g of grounds) g.setAttribute("aria-pressed", String(g === button));
  document.documentElement.style.setProperty("--ground", button.dataset.ground);
  $("stage").classList.toggle("dark-ground", grounds.indexOf(button) === 0);
  table.ground(button.dataset.ground);
  localStorage.setItem("ground", button.dataset.ground);
}
for (const g of grounds) g.addEventListener("click", () => ground(g));

addEventListener("keydown", (e) => {
  if (
    e.target.matches("select, textarea, input:not([type=radio]):not([type=checkbox])") ||
    e.ctrlKey ||
    e.metaKey ||
    e.altKey ||
    document.querySelector("dialog[open]")
  )
    return;
  const key = e.key.toLowerCase();
  const view = Object.keys(views).find((name) => name[0] === key);
  if (view) look(view);
  else if (key === "d") look("display");
  else if (key === "e") {
    if (!e.repeat) eyeInLamp(true);
  } else if (key === "m" && stages[present].marks) cursor.show(!cursor.at);
  else if (key === "s") squint.click();
  else if (key === "c") edges.click();
  else if (key === "g")
    ground(grounds[(grounds.findIndex((g) => g.getAttribute("aria-pressed") === "true") + 1) % grounds.length]);
  else if (key === "n") document.querySelector(`[data-panel="${present}"] form[method] .button.is-primary`).click();
  else Object.values(stages).some((stage) => stage.key?.(key));
});
addEventListener("keyup", (e) => {
  if (e.key.toLowerCase() === "e") eyeInLamp(false);
});
addEventListener("blur", () => eyeInLamp(false));

addEventListener("pointerup", (e) => {
  if (e.target.matches?.("input[type=range]")) e.target.blur();
}); // a slider drawn by hand gives the keys back

// --- the sky may still be on its way
function skyNote() {
  return sky ? "" : "The lamp is on; the sky and the bounce are still being worked out";
}
async function waitForSky() {
  $("stage-note").textContent = skyNote();
  let glimpse = false; // the first of it is shown
  while (!sky) {
    await moved(sculpt, 900);
    const state = await (await fetch(`${base}/state`)).json();
    if (state.sky) {
      sky = true;
      $("stage-note").textContent = "";
      lighting.relight(false);
      say("The sky is in: shadows now carry its light.");
    } else if (state.glimpse && !glimpse) {
      glimpse = true;
      $("stage-note").textContent = "The first of the sky is in; soft shadows are still being refined";
      lighting.relight(false);
    } else if (state.state === "failed" || state.state === "stopped") {
      $("stage-note").textContent = `Only the lamp: ${state.message}`;
      return;
    }
  }
}

// the light as it is kept now
async function relit() {
  const answer = await fetch(`${base}/light.json`).catch(() => null);
  if (!answer?.ok) return false;
  Object.assign(lighting, await answer.json());
  lighting.rig.lamp ||= { azimuth: 0, elevation: 90, size: 0 };
  lighting.controls();
  return true;
}

// the plan is another one now, undone or changed in another tab: everything that shows it is asked for again
async function reload(surface) {
  if (surface !== undefined && surface !== bench.dataset.surface) {
    location.reload();
    return;
  } // the sculpt itself is laid out another way
  if (await relit()) lighting.relight(false);
  await history.look();
  await Promise.all(["regions", "parts", "view"].map((name) => stages[name]?.load?.()));
  if (!["regions", "parts", "view"].includes(present)) stages[present]?.load?.();
}

async function begin() {
  const names = JSON.parse(bench.dataset.stages);
  const scripts = Promise.all(names.map((name) => import(`${bench.dataset.scripts}${name}.js`)));
  const loading = table.load(`${base}/surface.bin`);
  (await scripts).forEach((script, k) => {
    stages[names[k]] = new script.default(shared);
  });
  lighting.controls();
  try {
    await loading;
  } catch (e) {
    say(e.message, true);
    return;
  }
  await history.known;
  // the page before this one kept its last change while this one was made
  if (history.turn !== Number(bench.dataset.turn)) await relit();
  Object.assign(views, table.heading.views);
  ground(grounds.find((g) => g.dataset.ground === localStorage.getItem("ground")) || grounds[1]);
  look("front");
  const lit = lighting.relight(false);
  table.hold(lit);
  table.during(lit);
  await Promise.all(Object.values(stages).map((stage) => stage.ready?.()));
  go(bench.dataset.stage, false);
  await lit;
  bench.dataset.drawn = "true";
  waitForSky();
}
begin();
