// Check: shows photo and sculpt side by side, reports clicks on both, shows what the server found. Decides nothing.
import { patient, say, send } from "./page.js";

const $ = (id) => document.getElementById(id);
const room = $("check");
const least = Number(room.dataset.least),
  [WIDE, TALL] = room.dataset.size.split(",").map(Number);
const state = { photo: "", width: 0, height: 0, pairs: [], open: null, view: "display", grey: null, pick: false, checks: new Map() };
const NS = "http://www.w3.org/2000/svg";

const posted = (body) => ({
  method: "POST",
  headers: { "Content-Type": "application/json" },
  body: JSON.stringify(body),
});
const json = (url, body) => send(url, posted(body));
// the photo, the step it shows, and the spots that are matched
const matched = () => ({
  photo: state.photo,
  step: Number($("step").value),
  points: state.pairs.map(({ photo, sculpt }) => ({ photo, sculpt })),
});

// has the plan take something, and says so on its button
async function take(button, wish, done) {
  button.disabled = true;
  const answer = await json(room.dataset.takeUrl, { ...wish, turn: Number(room.dataset.turn) });
  const said = await answer.json();
  if (answer.ok) {
    room.dataset.turn = said.turn;
    button.textContent = done;
  } else {
    button.disabled = false;
    say(said.error, true);
  }
}

function showSculpt() {
  $("sculpt").src = `${room.dataset.sculptUrl.replace("VIEW", state.view)}?step=${$("step").value}`;
  draw();
}

function draw() {
  const mark = (svg, x, y, words, open, r) => {
    const g = document.createElementNS(NS, "g");
    g.setAttribute("class", open ? "open" : "");
    const dot = document.createElementNS(NS, "circle");
    for (const [k, v] of Object.entries({ cx: x, cy: y, r })) dot.setAttribute(k, v);
    const text = document.createElementNS(NS, "text");
    text.setAttribute("x", x + 1.4 * r);
    text.setAttribute("y", y - 0.8 * r);
    text.setAttribute("font-size", 3 * r);
    text.textContent = words;
    g.append(dot, text);
    svg.append(g);
  };
  const photo = $("photo-points"),
    sculpt = $("sculpt-points");
  photo.setAttribute("viewBox", `0 0 ${state.width || 100} ${state.height || 100}`);
  photo.replaceChildren();
  sculpt.replaceChildren();
  const r = Math.max(state.width, state.height) / 150;
  state.pairs.forEach((p, k) => {
    mark(photo, ...p.photo, String(k + 1), false, r);
    if (p.at && p.view === state.view) mark(sculpt, ...p.at, String(k + 1), false, 5);
  });
  if (state.open?.photo) mark(photo, ...state.open.photo, String(state.pairs.length + 1), true, r);
  if (state.open?.sculpt && state.open.view === state.view)
    mark(sculpt, ...state.open.at, String(state.pairs.length + 1), true, 5);
  if (state.grey) mark(photo, ...state.grey, "grey", false, r);
  $("pairs").replaceChildren(
    ...(state.proposed ? [] : state.pairs).map((p) =>
      Object.assign(document.createElement("li"), { textContent: `on the ${p.view} side` }),
    ),
  );
  $("proposed").hidden = !state.proposed;
  $("last").disabled = !state.pairs.length && !state.open;
  for (const id of ["go", "lamp", "shine"]) if ($(id)) $(id).disabled = state.pairs.length < least;
  const left = least - state.pairs.length;
  $("next").textContent = !state.photo
    ? "Bring a photo: the whole model, sharp, in even light."
    : state.proposed
      ? "Laid over the photo by its outline: check it, or match spots by hand."
    : state.pick
      ? "Click on the grey card in the photo."
      : state.open?.photo
        ? "Now the same spot on the sculpt."
        : state.open?.sculpt
          ? "Now the same spot in the photo."
          : left > 0
            ? `Click on a spot you can tell exactly, in the photo and on the sculpt: ${left} more.`
            : "Enough to check. Six to eight spots, spread out, are better.";
}

function closed() {
  if (state.open?.photo && state.open?.sculpt) {
    state.pairs.push(state.open);
    state.open = null;
  }
  draw();
}

const placeIn = (event, box, width, height) => {
  const own = box.getBoundingClientRect();
  return [((event.clientX - own.left) / own.width) * width, ((event.clientY - own.top) / own.height) * height];
};

$("photo-box").addEventListener("click", (event) => {
  if (!state.photo) return;
  const at = placeIn(event, $("photo"), state.width, state.height);
  if (state.pick) {
    state.grey = at;
    state.pick = false;
    $("grey").setAttribute("aria-pressed", "true");
    draw();
    return;
  }
  byHand();
  state.open = { ...(state.open?.photo ? {} : state.open), photo: at };
  closed();
});

$("sculpt-box").addEventListener("click", async (event) => {
  const at = placeIn(event, $("sculpt"), WIDE, TALL);
  const view = state.view,
    answer = await json(room.dataset.spotUrl, { view, x: at[0], y: at[1] });
  const found = await answer.json();
  if (!answer.ok) {
    say(found.error, true);
    return;
  }
  byHand();
  state.open = { ...(state.open?.sculpt ? {} : state.open), sculpt: found.sculpt, at, view };
  closed();
});

// the proposal goes, the painter's own spots come
function byHand() {
  if (!state.proposed) return;
  Object.assign(state, { proposed: false, pairs: [], open: null });
  offer({});
  show("photo");
  draw();
}
$("by-hand").addEventListener("click", byHand);
$("last").addEventListener("click", () => {
  byHand();
  if (state.open) state.open = null;
  else state.pairs.pop();
  draw();
});
$("grey").addEventListener("click", () => {
  state.pick = !state.grey && !state.pick;
  if (state.grey) state.grey = null;
  $("grey").setAttribute("aria-pressed", String(state.pick));
  draw();
});
for (const b of document.querySelectorAll("[data-side]"))
  b.addEventListener("click", () => {
    state.view = b.dataset.side;
    for (const o of document.querySelectorAll("[data-side]")) o.setAttribute("aria-pressed", String(o === b));
    showSculpt();
  });
$("step").addEventListener("change", showSculpt);

async function propose() {
  const { photo } = state;
  $("next").textContent = "Looking for the look that fits the outline …";
  const answer = await patient(room.dataset.poseUrl, posted({ photo, step: Number($("step").value) }));
  const found = await answer.json();
  if (photo !== state.photo || state.pairs.length || state.open) return; // the painter was quicker
  if (!answer.ok) {
    say(found.error, true);
    draw();
    return;
  }
  Object.assign(state, { proposed: true, pairs: found.points.map((p) => ({ ...p, view: "outline" })) });
  offer({ over: found.over });
  show("over");
  draw();
}

function taken(found) {
  Object.assign(state, { photo: found.photo, width: found.width, height: found.height, pairs: [], open: null });
  Object.assign(state, { grey: null, proposed: false });
  offer({});
  const img = $("photo");
  img.src = found.url;
  img.hidden = false;
  $("over").hidden = true;
  $("drop-here").hidden = true;
  $("verdict").hidden = true;
  for (const id of ["lamp", "shine"])
    if ($(id)) {
      $(`${id}-words`).textContent = "";
      $(`${id}-take`).hidden = true;
    }
  show("photo");
  draw();
  propose();
}

async function bring(file) {
  const body = new FormData();
  body.set("photo", file);
  $("next").textContent = "Reading the photo …";
  const answer = await send(room.dataset.photoUrl, { method: "POST", body });
  const found = await answer.json();
  if (answer.ok) taken(found);
  else {
    say(found.error, true);
    draw();
  }
}
$("file").addEventListener("change", (event) => event.target.files[0] && bring(event.target.files[0]));
addEventListener("dragover", (event) => event.preventDefault());
addEventListener("drop", (event) => {
  event.preventDefault();
  if (event.dataTransfer.files[0]) bring(event.dataTransfer.files[0]);
});
$("simulated").addEventListener("click", async () => {
  $("next").textContent = "The simulated camera takes a photo …";
  const answer = await json(room.dataset.simulatedUrl, { step: $("step").value });
  const found = await answer.json();
  if (answer.ok) taken(found);
  else say(found.error, true);
});
for (const b of document.querySelectorAll(".earlier"))
  b.addEventListener("click", () => {
    const img = new Image();
    img.onload = () => taken({ photo: b.dataset.photo, width: img.width, height: img.height, url: img.src });
    img.src = `/photos/${b.dataset.photo}.jpg`;
  });

let seen = {};
// what can lie over the photo by now
function offer(found) {
  seen = found;
  for (const b of document.querySelectorAll("[data-show]"))
    b.hidden = b.dataset.show !== "photo" && !seen[b.dataset.show];
}
function show(what) {
  const over = $("over");
  over.hidden = what === "photo";
  if (what !== "photo") over.src = seen[what];
  for (const b of document.querySelectorAll("[data-show]"))
    b.setAttribute("aria-pressed", String(b.dataset.show === what));
}
for (const b of document.querySelectorAll("[data-show]")) b.addEventListener("click", () => show(b.dataset.show));

$("go").addEventListener("click", async () => {
  $("go").disabled = true;
  try {
    const answer = await patient(room.dataset.checkUrl, posted({ ...matched(), grey: state.grey }));
    const found = await answer.json();
    if (!answer.ok) {
      say(found.error, true);
      return;
    }
    offer(found);
    tell(found, [
      ...found.troubles,
      ...(found.left_out.length
        ? [`Spot ${found.left_out.map((n) => n + 1).join(", ")} was left out: it does not fit the others.`]
        : []),
    ]);
    state.checks.set(`${$("step").value} ${state.photo}`, found.key);
    offerTogether();
    show("map");
  } finally {
    draw();
  }
});

// a verdict, each fault with a button where it can be taken into the plan
function tell(found, troubles) {
  const box = $("verdict-words");
  const line = (words, bad) =>
    box.appendChild(Object.assign(document.createElement("p"), { textContent: words, className: bad ? "trouble" : "" }));
  box.replaceChildren();
  for (const words of troubles) line(words, true);
  if (!found.faults.length) for (const words of found.words) line(words);
  found.faults.forEach((fault, k) => {
    const own = line(`${fault.words} ${fault.mend}`);
    if (!fault.takes) return;
    const button = Object.assign(document.createElement("button"), {
      type: "button",
      className: "button is-small",
      textContent: "Take it into the plan",
    });
    button.addEventListener("click", () => take(button, { key: found.key, number: k }, "In the plan"));
    own.append(document.createElement("br"), button);
  });
  $("verdict").hidden = false;
}

// the photos of this step that were checked by now
const sameStep = () =>
  [...state.checks].filter(([name]) => name.startsWith(`${$("step").value} `)).map(([, key]) => key);
function offerTogether() {
  const count = sameStep().length;
  Object.assign($("together"), { hidden: count < 2, textContent: `Judge these ${count} photos together` });
  $("more-photos").hidden = count > 1;
}
$("together").addEventListener("click", async () => {
  const keys = sameStep();
  const answer = await json(room.dataset.togetherUrl, { keys, step: Number($("step").value) });
  const found = await answer.json();
  if (answer.ok) tell(found, [`${keys.length} photos together.`]);
  else say(found.error, true);
});

// lamp and shine: found in a photo, said in words, taken into the plan at a touch
function finder(what, busy, more, offered, done) {
  const button = $(what),
    words = $(`${what}-words`),
    taking = $(`${what}-take`);
  if (!button) return;
  button.addEventListener("click", async () => {
    button.disabled = true;
    words.textContent = busy;
    taking.hidden = true;
    try {
      const answer = await patient(room.dataset[`${what}Url`], posted({ ...matched(), ...more() }));
      const found = await answer.json();
      words.textContent = answer.ok ? found.words : "";
      if (!answer.ok) say(found.error, true);
      else Object.assign(taking, { hidden: false, disabled: false, textContent: offered }).dataset.key = found.key;
    } finally {
      draw();
    }
  });
  taking.addEventListener("click", () => take(taking, { do: what, key: taking.dataset.key }, done));
}
finder("lamp", "Trying the lamp all round …", () => ({}), "Plan for this lamp", "The plan has this lamp");
finder(
  "shine",
  "Looking for what shone …",
  () => ({ region: Number($("shine-region").value) }),
  "Paint it there",
  "In the plan",
);

showSculpt();
