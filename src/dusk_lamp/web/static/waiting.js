// A page that waits: for a sculpt to be laid out, or for a plan that is worked out; then it goes on.
import { moved } from "./events.js";
import { patient } from "./page.js";
import "./cards.js";

const box = document.querySelector("[data-state]");
if (box) {
  const sculpt = Number(box.dataset.sculpt);
  (async () => {
    for (;;) {
      const answer = await fetch(box.dataset.state).catch(() => null);
      const state = answer?.ok ? await answer.json() : null;
      if (state?.ready || (location.pathname.endsWith("/stand") && state?.share > 0.33)) break;
      await moved(sculpt);
    }
    location.reload();
  })();
}

const again = document.getElementById("again");
if (again) {
  const answer = await patient(location.href, {}, again);
  if (answer.ok) location.reload();
  else document.getElementById("stopped").hidden = false;
}
