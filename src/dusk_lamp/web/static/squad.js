// A squad: sends what is chosen at once, waits for what all models take together, and shows them painted.
import { patient, say } from "./page.js";

for (const field of document.querySelectorAll("[data-submits]"))
  field.addEventListener("change", () => field.form.reportValidity() && field.form.requestSubmit());

const squad = document.getElementById("squad"),
  waits = document.getElementById("squad-waits");

async function work() {
  const box = document.getElementById("squad-paint"),
    answer = await patient(squad.dataset.paint),
    found = await answer.json();
  if (!answer.ok) {
    say(found.error, true);
    return;
  }
  const line = (tag, words, parent) => parent.appendChild(Object.assign(document.createElement(tag), { textContent: words }));
  box.replaceChildren();
  line("p", `${found.time} at the models; ${Math.round(100 * found.shared)} % of the steps are shared.`, box);
  if (found.buy.length) {
    const buy = line("p", `Too little of, or missing: ${found.buy.join(", ")}.`, box);
    buy.className = "trouble";
  }
  const list = box.appendChild(document.createElement("ul"));
  list.className = "pots-for-all";
  for (const pot of found.pots) line("li", `${pot.name}: ${pot.ml.toFixed(2)} ml`, list);
  const stands = document.querySelectorAll(".stands");
  found.pictures.forEach((url, k) => {
    stands[k].src = url;
  });
}

if (squad) {
  document.getElementById("work-out").addEventListener("click", work);
  // while the scheme is being carried over, how far it is changes by itself
  if (Number(squad.dataset.open)) setTimeout(() => location.reload(), 4000);
}
if (waits) {
  const answer = await patient(waits.dataset.url);
  if (answer.ok) location.reload();
  else say((await answer.json()).error, true);
}
