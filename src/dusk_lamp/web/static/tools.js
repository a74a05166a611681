// My tools: reads the room's sensor into the form; it is kept with everything else.
import { say, send } from "./page.js";

document.getElementById("read-room")?.addEventListener("click", async (event) => {
  const button = event.currentTarget;
  button.disabled = true;
  try {
    const answer = await send(button.dataset.url),
      said = await answer.json();
    if (!answer.ok) {
      say(said.error, true);
      return;
    }
    for (const name of ["temperature", "humidity"])
      document.querySelector(`[name="${name}"]`).value = Math.round(said[name]);
    document.getElementById("room-words").textContent = said.words;
    say("The sensor's reading is in the form. “Plan with these” keeps it.");
  } finally {
    button.disabled = false;
  }
});
