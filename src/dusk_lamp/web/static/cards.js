// Cards of sculpts that are being worked on: each is drawn again when its job has moved on, and says when it has ended.
import { left, moved } from "./events.js";
import { say } from "./page.js";

const ENDED = { fit: "The passes are found", for_me: "The plan is ready" };
const followed = new Set();

async function follow(rest) {
  const sculpt = Number(rest.dataset.working),
    kind = rest.dataset.kind;
  if (followed.has(sculpt)) return;
  followed.add(sculpt);
  for (;;) {
    await moved(sculpt);
    const own = document.getElementById(`rest-${sculpt}`);
    if (!own?.dataset.working) break;
    await window.htmx.ajax("GET", own.dataset.url, { source: own, target: own, swap: "outerHTML" });
    const now = document.getElementById(`rest-${sculpt}`);
    if (!now?.dataset.working) {
      if (ENDED[kind] && now && !now.querySelector(".trouble")) say(`${ENDED[kind]}: ${now.dataset.name}.`);
      break;
    }
    const words = left(sculpt);
    if (words) now.querySelector(".now").append(` · ${words}`);
  }
  followed.delete(sculpt);
  followCards();
}

// every card that is being worked on, whenever there may be another
export function followCards() {
  for (const rest of document.querySelectorAll("[data-working]")) follow(rest);
}

document.addEventListener("htmx:afterSettle", followCards);
followCards();
