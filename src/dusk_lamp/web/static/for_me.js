// Plan it for me: sends words or a picture, shows the schemes that come back, has one planned and goes on to its
// sheet.
import { left, moved } from "./events.js";
import { patient, say, send } from "./page.js";

const $ = (id) => document.getElementById(id);
const root = $("for-me"),
  base = root.dataset.base,
  making = $("making");
const sculpt = Number(base.split("/")[2]);
const JSON_HEADERS = { "Content-Type": "application/json" };
let turn = null;

async function show(wish) {
  $("show").disabled = true;
  $("schemes").replaceChildren(
    ...[1, 2, 3].map(() => Object.assign(document.createElement("div"), { className: "scheme-card is-waiting" })),
  );
  making.hidden = false;
  making.querySelector("p").textContent = "Looking for regions and colours …";
  const answer = await patient(
    `${base}/schemes`,
    { method: "POST", headers: JSON_HEADERS, body: JSON.stringify(wish) },
    making,
  ).catch(() => null);
  making.hidden = true;
  $("show").disabled = false;
  const found = await answer?.json().catch(() => null);
  if (!answer?.ok) {
    $("schemes").replaceChildren();
    say(found?.error || "The bench does not answer; try again.", true);
    return;
  }
  turn = found.turn;
  $("schemes").replaceChildren(...found.schemes.map(card));
}

function card(scheme) {
  const box = document.createElement("article"),
    picture = new Image(264, 336),
    title = document.createElement("h3"),
    strip = document.createElement("p"),
    take = document.createElement("button");
  box.className = "scheme-card";
  picture.src = scheme.picture;
  picture.alt = `${root.dataset.pictureWords} “${scheme.name}”`;
  title.textContent = scheme.name;
  strip.className = "palette-strip";
  strip.append(...scheme.colours.map(swatch));
  take.type = "button";
  take.className = "button is-primary is-fullwidth";
  take.textContent = "Plan this";
  take.addEventListener("click", () => plan(scheme, take));
  box.append(picture, title, strip, take);
  return box;
}

function swatch(colour) {
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg"),
    rect = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  svg.setAttribute("viewBox", "0 0 20 20");
  svg.setAttribute("aria-hidden", "true");
  for (const [name, value] of [
    ["width", 20],
    ["height", 20],
    ["fill", colour],
  ])
    rect.setAttribute(name, value);
  svg.append(rect);
  return svg;
}

async function plan(scheme, button) {
  for (const b of $("schemes").querySelectorAll("button")) b.disabled = true;
  button.textContent = "Begun …";
  const answer = await send(base, {
    method: "POST",
    headers: JSON_HEADERS,
    body: JSON.stringify({ turn, colours: scheme.colours }),
  }).catch(() => null);
  if (!answer?.ok) {
    const said = await answer?.json().catch(() => null);
    say(said?.error || "The bench does not answer; try again.", true);
    for (const b of $("schemes").querySelectorAll("button")) b.disabled = false;
    button.textContent = "Plan this";
    return;
  }
  follow();
}

// how far the plan is, until its sheet can be shown; leaving the page stops nothing
async function follow() {
  making.hidden = false;
  making.scrollIntoView({ block: "nearest" });
  for (;;) {
    const answer = await fetch(`${base}/state`).catch(() => null);
    const state = answer?.ok ? await answer.json() : null;
    if (state) {
      making.querySelector("progress").value = state.share || 0;
      making.querySelector("p").textContent = `${state.step || "Waiting for its turn"} … ${left(sculpt)}`;
      making.querySelector("button").onclick = () => send(state.stop, { method: "POST" });
      if (!state.open) {
        if (state.state === "done") {
          location.href = state.sheet;
          return;
        }
        making.hidden = true;
        say(state.message || "Stopped; what was kept before is as it was.", state.state === "failed");
        for (const b of $("schemes").querySelectorAll("button")) {
          b.disabled = false;
          b.textContent = "Plan this";
        }
        return;
      }
    }
    await moved(sculpt);
  }
}

$("words-form").addEventListener("submit", (e) => {
  e.preventDefault();
  show({ words: [...document.querySelectorAll("[name=word]")].map((s) => s.value).filter(Boolean) });
});
$("picture").addEventListener("change", async () => {
  const file = $("picture").files[0];
  if (!file) return;
  const form = new FormData();
  form.append("file", file);
  const answer = await send(`${base}/palette`, { method: "POST", body: form }).catch(() => null);
  const found = await answer?.json().catch(() => null);
  $("picture").value = "";
  if (!answer?.ok) {
    say(found?.error || "The bench does not answer; try again.", true);
    return;
  }
  $("palette-strip").hidden = false;
  $("palette-strip").replaceChildren(...found.palette.map(swatch));
  show({ palette: found.palette });
});
$("show").disabled = false;
const now = await fetch(`${base}/state`)
  .then((a) => a.json())
  .catch(() => null);
if (now?.open) follow();
