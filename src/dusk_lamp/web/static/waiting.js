// A page that waits: for a sculpt to be laid out, or for a plan that is worked out; then it goes on.
import { patient } from "./page.js";

const box = document.querySelector("[data-state]");
if (box) {
  const timer = setInterval(async () => {
    const answer = await fetch(box.dataset.state);
    if (!answer.ok) return;
    const state = await answer.json();
    if (state.ready || (location.pathname.endsWith("/stand") && state.share > 0.33)) {
      clearInterval(timer);
      location.reload();
    }
  }, 700);
}

const again = document.getElementById("again");
if (again) {
  const answer = await patient(location.href, {}, again);
  if (answer.ok) location.reload();
  else document.getElementById("stopped").hidden = false;
}
