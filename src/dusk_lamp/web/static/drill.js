// A drill: builds the fields for the kind of answer that is wanted, sends it, shows the grade and the solution.
import { say, send } from "./page.js";

const room = document.getElementById("drill"),
  task = JSON.parse(room.dataset.task),
  form = document.getElementById("answer"),
  spots = task.data.spots?.length || task.data.jumps?.length || 0;

const field = (words, input) => {
  const label = document.createElement("label");
  label.className = "field";
  label.append(words, input);
  return label;
};
const number = (name, more = {}) =>
  Object.assign(document.createElement("input"), { type: "number", step: "any", required: true, name, className: "input", ...more });
const tick = (k) => {
  const label = document.createElement("label");
  label.className = "tick";
  label.append(Object.assign(document.createElement("input"), { type: "checkbox", name: `s${k}` }), ` ${k + 1}`);
  return label;
};

const kinds = {
  "yes-no": {
    make: () => Array.from({ length: spots }, (_, k) => tick(k)),
    read: () => Array.from({ length: spots }, (_, k) => form.elements[`s${k}`].checked),
  },
  order: {
    make: () => [
      field(
        "Numbers, the lightest first",
        Object.assign(document.createElement("input"), {
          name: "order",
          className: "input",
          required: true,
          placeholder: "3 1 2 6 4 5",
          autocomplete: "off",
        }),
      ),
    ],
    read: () => form.elements.order.value.split(/[\s,>]+/).filter(Boolean).map(Number),
  },
  choice: {
    make: () => [field("Number", number("one", { min: 1, max: spots, step: 1 }))],
    read: () => Number(form.elements.one.value),
  },
  dial: {
    make: () => [
      field("Azimuth, ° (0 front, 90 right, 180 behind)", number("azimuth", { min: -180, max: 180, value: 0 })),
      field("Height, °", number("height", { min: -90, max: 90, value: 45 })),
    ],
    read: () => [Number(form.elements.azimuth.value), Number(form.elements.height.value)],
  },
  place: {
    make: () => [
      field("Across (−1 left, 1 right)", number("across", { min: -1, max: 1, step: 0.05, value: 0 })),
      field("Up (−1 bottom, 1 top)", number("up", { min: -1, max: 1, step: 0.05, value: 0 })),
    ],
    read: () => [Number(form.elements.across.value), Number(form.elements.up.value)],
  },
  number: {
    make: () => [field("Your answer", number("number", { min: 0 }))],
    read: () => Number(form.elements.number.value),
  },
};

const kind = kinds[task.answers],
  button = Object.assign(document.createElement("button"), { className: "button is-primary", textContent: "Answer" });
const row = Object.assign(document.createElement("div"), { className: "drill-fields" });
row.append(...kind.make());
form.append(row, button);
row.querySelector("input")?.focus();

// a click on the ball is its place
document.getElementById("picture").addEventListener("click", (event) => {
  if (task.answers !== "place") return;
  const box = event.target.getBoundingClientRect();
  const { span } = task.data;
  form.elements.across.value = (span * (((event.clientX - box.left) / box.width) * 2 - 1)).toFixed(2);
  form.elements.up.value = (span * (1 - ((event.clientY - box.top) / box.height) * 2)).toFixed(2);
});

form.addEventListener("submit", async (event) => {
  event.preventDefault();
  button.disabled = true;
  const answer = await send(room.dataset.url, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ answer: kind.read() }),
  });
  const found = await answer.json();
  if (!answer.ok) {
    button.disabled = false;
    say(found.error, true);
    return;
  }
  document.getElementById("graded").hidden = false;
  document.getElementById("graded-words").textContent = found.words;
  document.getElementById("teaches").textContent = found.teaches;
  document.getElementById("picture").src = found.solved;
  document.getElementById("next").href = found.next;
  document.getElementById("next").textContent = `Next: ${found.next_title}`;
  document.getElementById("again").href = found.again;
  document.getElementById("next").focus();
});
