// Clock: tells the server the painter's time zone, and where a step was dragged to. Everything else is worked out there.
import { send } from "./page.js";

const form = document.getElementById("clock-form");
document.getElementById("clock-zone").value = Intl.DateTimeFormat().resolvedOptions().timeZone || "";

form.elements.hours.addEventListener("change", () => {
  const body = new FormData();
  body.set("hours", form.elements.hours.value);
  send(document.getElementById("clock-room").dataset.hoursUrl, { method: "POST", body });
});

let held = null;
document.addEventListener("pointerdown", (event) => {
  const batch = event.target.closest?.(".timeline .batch");
  if (!batch) return;
  const svg = batch.ownerSVGElement,
    box = svg.getBoundingClientRect();
  // one pixel of the screen in minutes
  const minutes = svg.viewBox.baseVal.width / box.width / Number(svg.dataset.scale);
  held = { batch, from: event.clientX, minutes, start: Number(batch.dataset.start) };
  batch.setPointerCapture?.(event.pointerId);
  event.preventDefault();
});
document.addEventListener("pointermove", (event) => {
  if (!held) return;
  const svg = held.batch.ownerSVGElement;
  const shift = ((event.clientX - held.from) * svg.viewBox.baseVal.width) / svg.getBoundingClientRect().width;
  held.batch.setAttribute("transform", `translate(${shift} 0)`);
});
document.addEventListener("pointerup", (event) => {
  if (!held) return;
  const { batch, from, minutes, start } = held;
  held = null;
  if (Math.abs(event.clientX - from) < 4) {
    batch.removeAttribute("transform");
    return;
  }
  pin(batch, Math.max(0, start + (event.clientX - from) * minutes));
});
document.addEventListener("keydown", (event) => {
  const batch = event.target.closest?.(".timeline .batch");
  const step = { ArrowLeft: -5, ArrowRight: 5 }[event.key];
  if (!batch || !step) return;
  event.preventDefault();
  pin(batch, Math.max(0, Number(batch.dataset.start) + step));
});

function pin(batch, at) {
  const pins = document.getElementById("clock-pins"),
    name = `${batch.dataset.pin}=`;
  for (const old of pins.querySelectorAll("input")) if (old.value.startsWith(name)) old.remove();
  const own = document.createElement("input");
  own.type = "hidden";
  own.name = "pin";
  own.value = `${name}${Math.round(at)}`;
  pins.append(own);
  window.htmx.trigger(form, "refresh");
}
