// The bench: passes gestures to the server and draws what comes back.
import { say, send } from "../page.js";
import { Dial } from "./dial.js";
import { Ruler } from "./ruler.js";
import { Parts } from "./parts.js";
import { Regions } from "./regions.js";
import { Undercoat } from "./undercoat.js";
import { Turntable, unpack } from "./turntable.js";
import { View } from "./view.js";

const bench = document.getElementById("bench");
const $ = (id) => document.getElementById(id);
const base = bench.dataset.base;
const state = {
  stage: bench.dataset.stage, revision: Number(bench.dataset.revision), only: null, sky: bench.dataset.sky === "true",
  rig: JSON.parse(bench.dataset.rig), ladder: JSON.parse(bench.dataset.ladder), exposure: JSON.parse(bench.dataset.exposure),
};
state.rig.lamp ||= { azimuth: 0, elevation: 90, size: 0 };
const table = new Turntable($("turntable"));
const views = {};

// --- relighting. Two lanes: a lamp in motion asks for the quick samples, again and again, one request at a time; once
// it rests, the whole sculpt is lit. A whole picture that was asked for before the latest motion is thrown away.
const lane = { moving: { busy: false, wish: false }, whole: { busy: false, wish: false } };
let motion = 0, resting;
async function ask(moving) {
  const answer = await send(`${base}/relight`, {
    method: "POST", headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ rig: state.rig, ladder: state.ladder, exposure: state.exposure, moving }),
  });
  if (!answer.ok) throw new Error((await answer.json()).error);
  const bytes = await answer.arrayBuffer();
  return { bytes, ...unpack(bytes) };
}
async function run(name) {
  const own = lane[name];
  own.wish = true;
  if (own.busy) return;
  own.busy = true;
  while (own.wish) {
    own.wish = false;
    const then = motion;
    try {
      const { bytes, heading, at } = await ask(name === "moving");
      const n = table.level.count;
      if (name === "moving") table.showMoving(new Uint8Array(bytes, at));
      else if (then !== motion || own.wish) continue; // overtaken
      else { table.show(new Uint8Array(bytes, at, n), new Uint8Array(bytes, at + n, n)); state.bands = heading; showBands(); }
      ruler.histogram(heading.histogram);
    } catch (e) { say(e.message || "The bench does not answer. Is Dusk Lamp still running?", true); }
  }
  own.busy = false;
}
function relight(moving) {
  clearTimeout(resting);
  if (!moving) return run("whole");
  motion += 1;
  return run("moving");
}

// --- keeping: a moment after the last change
let keeping;
function changed(moving = false) {
  showControls();
  if (moving) relight(true);
  else { clearTimeout(resting); motion += 1; resting = setTimeout(() => relight(false), 120); } // a held key is still motion
  if (!moving) { clearTimeout(keeping); keeping = setTimeout(keep, 250); }
}
async function keep(anyway = false) {
  clearTimeout(keeping); keeping = null;
  const answer = await send(`${base}/plan`, {
    method: "PUT", headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ rig: state.rig, ladder: state.ladder, exposure: state.exposure, revision: state.revision, anyway }),
  });
  const told = await answer.json();
  if (answer.status === 409 && told.theirs) { twoTabs(told); return; }
  if (!answer.ok) { say(told.error, true); return; }
  state.revision = told.revision;
  bench.dataset.revision = told.revision;
}
function twoTabs(told) {
  const dialog = $("two-tabs");
  dialog.querySelector('[data-choice="mine"]').onclick = () => { dialog.close(); state.revision = told.revision; keep(true); };
  dialog.querySelector('[data-choice="theirs"]').onclick = () => {
    dialog.close();
    Object.assign(state, told.theirs, { revision: told.revision });
    showControls(); relight(false);
  };
  if (!dialog.open) dialog.showModal();
}
for (const form of document.querySelectorAll(".controls form[method]")) { // a change made a blink ago goes with the form
  form.addEventListener("submit", async (e) => {
    if (!keeping) return;
    e.preventDefault();
    await keep();
    form.submit();
  });
}

// --- the lamp
const dial = new Dial($("dial"), (azimuth, elevation) => { Object.assign(state.rig.lamp, { azimuth, elevation }); changed(true); }, () => changed());
for (const button of document.querySelectorAll(".presets [data-azimuth]")) {
  button.addEventListener("click", () => { Object.assign(state.rig.lamp, { azimuth: Number(button.dataset.azimuth), elevation: Number(button.dataset.elevation) }); changed(); });
}
for (const id of ["azimuth", "elevation"]) {
  $(id).addEventListener("change", () => { if ($(id).checkValidity() && $(id).value !== "") { state.rig.lamp[id] = Number($(id).value); changed(); } else { say($(id).validationMessage || "Type a number of degrees.", true); showControls(); } });
}
function slider(id, put) {
  $(id).addEventListener("input", () => { put(Number($(id).value)); changed(true); });
  $(id).addEventListener("change", () => changed());
}
slider("size", (v) => { state.rig.lamp.size = v; });
slider("sky", (v) => { state.rig.sky = v; });
slider("bounce", (v) => { state.rig.bounce = v; });
slider("gain", (v) => { state.exposure.gain = 2 ** v; });

function showControls() {
  const { lamp, sky, bounce } = state.rig;
  dial.show(lamp.azimuth, lamp.elevation, lamp.size);
  $("azimuth").value = Math.round(lamp.azimuth); $("elevation").value = Math.round(lamp.elevation);
  $("size").value = lamp.size; $("size-out").textContent = lamp.size < 1 ? "hard" : `${Math.round(lamp.size)}°`;
  $("sky").value = sky; $("sky-out").textContent = `${Math.round(sky * 100)} %`;
  $("bounce").value = bounce; $("bounce-out").textContent = `${Math.round(bounce * 100)} %`;
  $("gain").value = Math.log2(state.exposure.gain); $("gain-out").textContent = `× ${state.exposure.gain.toFixed(2)}`;
  for (const radio of document.querySelectorAll('[name="steps"]')) radio.checked = Number(radio.value) === state.ladder.steps;
  const budget = state.ladder.white_budget;
  $("rationed").checked = budget !== null; $("budget").disabled = budget === null;
  if (budget !== null) $("budget").value = budget * 100;
  $("budget-out").textContent = budget === null ? "no ration" : `${(budget * 100).toFixed(1)} %`;
  $("even").hidden = !state.ladder.cuts;
}

// --- the ladder
for (const radio of document.querySelectorAll('[name="steps"]')) {
  radio.addEventListener("change", () => { Object.assign(state.ladder, { steps: Number(radio.value), cuts: null }); only(null); changed(); });
}
$("rationed").addEventListener("change", () => { state.ladder.white_budget = $("rationed").checked ? Number($("budget").value) / 100 : null; changed(); });
$("budget").addEventListener("input", () => { state.ladder.white_budget = Number($("budget").value) / 100; showControls(); });
$("budget").addEventListener("change", () => changed());
$("even").addEventListener("click", () => { state.ladder.cuts = null; changed(); });
const ruler = new Ruler($("ruler"), $("ruler-steps"), [], {
  touched: (k) => only(state.only === k ? null : k),
  slid: (k, value) => { const cuts = [...state.bands.cuts]; cuts[k] = Math.round(value * 100) / 100; state.ladder.cuts = cuts; changed(); },
});

function only(k) {
  state.only = k;
  table.uniforms.only.value = k ?? -1;
  table.draw();
  if (state.bands) showBands();
}
function showBands() {
  const b = state.bands;
  b.greys.forEach((_, k) => { table.uniforms.stepGrey.value[k] = parseInt(b.hex[k].slice(1, 3), 16) / 255; });
  ruler.ladder(b, state.only, state.ladder.white_budget !== null);
  const list = $("greys");
  list.replaceChildren();
  b.greys.forEach((grey, k) => {
    const item = document.createElement("li"), button = document.createElement("button");
    button.type = "button";
    button.setAttribute("aria-pressed", String(state.only === k));
    button.innerHTML = `<svg viewBox="0 0 48 38" aria-hidden="true"><rect width="48" height="38" fill="${b.hex[k]}"/></svg><span>${k + 1}. N ${grey.toFixed(1)}<small>${k === 0 ? "primer" : `from N ${b.cuts[k - 1].toFixed(2)}`}</small></span><span class="share">${(b.share[k] * 100).toFixed(1)} %<small>${b.area_mm2[k].toFixed(0)} mm²</small></span>`;
    button.addEventListener("click", () => only(state.only === k ? null : k));
    item.append(button); list.append(item);
  });
  $("notice").hidden = !b.notice; $("notice").textContent = b.notice;
  const note = $("band-note");
  note.hidden = state.only === null;
  if (state.only !== null) note.textContent = `Step ${state.only + 1} only: N ${b.greys[state.only].toFixed(1)}, ${(b.share[state.only] * 100).toFixed(1)} % of the surface, ${b.area_mm2[state.only].toFixed(0)} mm². Press 0 to show all.`;
  table.draw();
}

// --- stages on this bench share the turntable
function go(stage, push = true) {
  state.stage = stage;
  bench.dataset.stage = stage;
  for (const panel of document.querySelectorAll("[data-panel]")) panel.hidden = panel.dataset.panel !== stage;
  for (const link of document.querySelectorAll(".string [data-stage]")) {
    const here = link.dataset.stage === stage;
    if (here) link.setAttribute("aria-current", "step"); else link.removeAttribute("aria-current");
    const word = link.querySelector("small");
    if (here) { word.dataset.was ||= word.textContent; word.textContent = "working on it"; } else if (word.textContent === "working on it") word.textContent = word.dataset.was && word.dataset.was !== "working on it" ? word.dataset.was : (link.querySelector(".lamp-lit") ? "done" : "to do");
  }
  table.uniforms.banded.value = stage === "ladder";
  table.uniforms.marked.value = stage === "regions";
  table.uniforms.painted.value = stage === "undercoat";
  if (table.jet) table.jet.visible = stage === "undercoat";
  if (stage === "undercoat") undercoat.load();
  if (table.marks) for (const mark of table.marks.children) mark.visible = stage === "view";
  regions.tool();
  if (stage === "view") looking.load();
  if (stage === "parts") parts.load();
  if (push) history.pushState({ stage }, "", `${base}/${stage}`);
  table.draw();
}
for (const link of document.querySelectorAll('.string [data-stage="parts"], .string [data-stage="regions"], .string [data-stage="view"], .string [data-stage="light"], .string [data-stage="ladder"], .string [data-stage="undercoat"]')) {
  link.addEventListener("click", (e) => { e.preventDefault(); go(link.dataset.stage); });
}
addEventListener("popstate", () => go(location.pathname.split("/").pop(), false));

// --- looking
function pressed(view) { for (const b of document.querySelectorAll(".views [data-view]")) b.setAttribute("aria-pressed", String(b.dataset.view === view)); }
function look(view) {
  if (view === "lamp") table.look(state.rig.lamp.azimuth, state.rig.lamp.elevation);
  else if (view === "display") table.look(looking.told.azimuth, looking.told.elevation);
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
    table.look(...before); before = null; pressed(null);
    $("stage-note").textContent = skyNote();
  }
}
const fromLamp = document.querySelector('[data-view="lamp"]');
fromLamp.addEventListener("pointerdown", () => eyeInLamp(true));
for (const end of ["pointerup", "pointerleave", "blur"]) fromLamp.addEventListener(end, () => eyeInLamp(false));
for (const key of ["keydown", "keyup"]) fromLamp.addEventListener(key, (e) => { if (e.key === "Enter" || e.key === " ") { e.preventDefault(); eyeInLamp(key === "keydown"); } });
for (const button of document.querySelectorAll('.views [data-view]:not([data-view="lamp"])')) button.addEventListener("click", () => look(button.dataset.view));
$("turntable").addEventListener("turned", () => pressed(null));
const squint = document.querySelector("[data-squint]");
squint.addEventListener("click", () => { const on = $("stage").classList.toggle("squint"); squint.setAttribute("aria-pressed", String(on)); });
const edges = document.querySelector("[data-edges]");
edges.addEventListener("click", async () => {
  const on = edges.getAttribute("aria-pressed") !== "true", note = $("edge-note");
  edges.setAttribute("aria-pressed", String(on));
  note.hidden = !on;
  if (!on) { table.edges(null); return; }
  note.textContent = "Looking for crests and creases …";
  const answer = await fetch(`${base}/edges.bin`);
  if (!answer.ok) { note.textContent = "The edges could not be read; try again."; return; }
  const bytes = await answer.arrayBuffer(), { heading, at } = unpack(bytes);
  const crests = new Float32Array(bytes, at, heading.crest_pieces * 6);
  table.edges(crests, new Float32Array(bytes, at + crests.byteLength, heading.crease_pieces * 6));
  const { crests: all, creases: deep } = heading.whole;
  note.replaceChildren();
  const line = (text) => { const p = document.createElement("span"); p.textContent = text; note.append(p); };
  line(`Crests ${all.length.toFixed(0)} mm, of which the lamp sees ${all.lit.toFixed(0)} mm · creases (dashed) ${deep.length.toFixed(0)} mm`);
  heading.names.forEach((name, k) => { if (k && heading.crests.length[k] >= 1) line(`${k}. ${name}: crests ${Math.round(heading.crests.length[k])} mm, ${Math.round(heading.crests.lit[k])} mm lit`); });
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
  if (e.target.matches("input:not([type=radio]):not([type=range]):not([type=checkbox])") || e.ctrlKey || e.metaKey || e.altKey || document.querySelector("dialog[open]")) return;
  const key = e.key.toLowerCase();
  const view = Object.keys(views).find((name) => name[0] === key);
  if (view) look(view);
  else if (key === "d") look("display");
  else if (key === "e") { if (!e.repeat) eyeInLamp(true); }
  else if (key === "s") squint.click();
  else if (key === "c") edges.click();
  else if (key === "g") ground(grounds[(grounds.findIndex((g) => g.getAttribute("aria-pressed") === "true") + 1) % grounds.length]);
  else if (key === "0" || key === "escape") only(null);
  else if (/^[1-9]$/.test(key) && state.bands && Number(key) <= state.bands.greys.length) only(Number(key) - 1);
  else if (key === "n") document.querySelector(`[data-panel="${state.stage}"] form[method] .button`).click();
});
addEventListener("keyup", (e) => { if (e.key.toLowerCase() === "e") eyeInLamp(false); });
addEventListener("blur", () => eyeInLamp(false));

// --- the sky may still be on its way
function skyNote() { return state.sky ? "" : "The lamp is on; the sky and the bounce are still being worked out"; }
async function waitForSky() {
  $("stage-note").textContent = skyNote();
  while (!state.sky) {
    await new Promise((r) => setTimeout(r, 900));
    const told = await (await fetch(`${base}/state`)).json();
    if (told.sky) { state.sky = true; $("stage-note").textContent = ""; relight(false); say("The sky is in: shadows now carry its light."); }
    else if (told.state === "failed" || told.state === "stopped") { $("stage-note").textContent = `Only the lamp: ${told.message}`; return; }
  }
}

const parts = new Parts(base, table, () => { state.sky = false; waitForSky(); });
const regions = new Regions(base, table, () => state.stage === "regions", () => parts.seen());
const undercoat = new Undercoat(base, table);
const looking = new View(base, table, () => state.stage === "view");

async function begin() {
  showControls();
  try { await table.load(`${base}/surface.bin`); } catch (e) { say(e.message, true); return; }
  const heading = table.heading;
  Object.assign(views, heading.views);
  ruler.greys = heading.greys;
  ground(grounds.find((g) => g.dataset.ground === localStorage.getItem("ground")) || grounds[1]);
  look("front");
  await Promise.all([regions.load(), parts.load(), looking.load()]);
  go(state.stage, false);
  await relight(false);
  bench.dataset.drawn = "true";
  waitForSky();
}
begin();
