// The glaze bench: sends the settings, draws the strip of passes that comes back.
import { say, send } from "./page.js";

const $ = (id) => document.getElementById(id);
const root = $("glaze"),
  form = $("glaze-form");
let asked = 0;

async function show(otherPaint) {
  const given = Object.fromEntries(new FormData(form));
  form.elements.thinning.previousElementSibling.textContent = `${Number(given.thinning)} : 1`;
  form.elements.passes.previousElementSibling.textContent = given.passes;
  form.elements.keep.previousElementSibling.textContent = `${Math.round(given.keep * 100)} %`;
  const turn = ++asked;
  const answer = await send(root.dataset.url, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify(given),
  });
  const strip = await answer.json();
  if (turn !== asked) return;
  if (!answer.ok) {
    say(strip.error, true);
    return;
  }
  const table = $("passes");
  table.querySelectorAll("tr").forEach((r) => r.remove());
  strip.passes.forEach((p, k) => {
    const row = document.createElement("tr"),
      head = document.createElement("th");
    head.scope = "row";
    head.innerHTML = "<b></b><small></small>";
    head.querySelector("b").textContent = k === 0 ? "The sketch" : `Pass ${k}`;
    head.querySelector("small").textContent =
      k === 0 ? "bare" : `${Math.round(p.left * 100)} % of the range left, colour ${p.chroma.toFixed(0)}`;
    row.append(head);
    row.className = k === strip.advised ? "stop" : k > strip.advised ? "too-far" : "";
    p.hexes.forEach((fill, j) => {
      const cell = document.createElement("td");
      cell.innerHTML = `<svg viewBox="0 0 100 60" preserveAspectRatio="none" aria-hidden="true"><rect width="100" height="60" fill="${fill}"/></svg><small>N ${p.values[j].toFixed(1)}</small>`;
      row.append(cell);
    });
    table.append(row);
  });
  const now = strip.advised
    ? `Stop after pass ${strip.advised}: the sketch still has ${Math.round(strip.passes[strip.advised].left * 100)} % of its range. Each pass lies ${strip.film_um} µm thick.`
    : "Even one pass takes too much of the sketch.";
  const to = strip.advice.water_to_one,
    other = to !== null && Number(given.thinning) !== to;
  $("advice").textContent =
    to === null ? strip.advice.reason : other ? `${now} Better: ${strip.advice.reason}` : strip.advice.reason;
  $("thin-it").hidden = !other;
  $("thin-it").onclick = () => {
    form.elements.thinning.value = to;
    form.elements.passes.value = Math.min(form.elements.passes.max, strip.advice.passes + 2);
    show();
  };
  if (otherPaint === true && other) $("thin-it").click(); // another paint: begin where it glazes
  root.dataset.ready = "true";
}
form.addEventListener("input", (e) => show(e.target.name === "name"));
form.addEventListener("submit", (e) => e.preventDefault());
show(true);
