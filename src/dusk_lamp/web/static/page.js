// What every page does: speak, send safely, show the keys.
import { until } from "./events.js";

const token = document.querySelector('meta[name="csrf-token"]').content;
let quieter;

export function say(sentence, bad = false) {
  const box = document.getElementById("say");
  box.textContent = sentence;
  box.classList.toggle("bad", bad);
  clearTimeout(quieter);
  quieter = setTimeout(
    () => {
      box.textContent = "";
    },
    bad ? 12000 : 5000,
  );
}

const AGAIN_MS = 2500,
  TIMES = 24; // a minute
// what the server could not keep just now (503: nothing was saved) is sent again until it can
export async function send(url, options = {}) {
  const headers = { "X-CSRFToken": token, "X-Requested-With": "fetch", ...(options.headers || {}) };
  for (let time = 0; ; time++) {
    const answer = await fetch(url, { ...options, headers });
    if (answer.status !== 503 || time === TIMES) return answer;
    say("The bench cannot keep this just now; trying again …", true);
    await new Promise((done) => setTimeout(done, AGAIN_MS));
  }
}

// tells the string of lamps that something was kept
export function kept() {
  dispatchEvent(new Event("kept"));
}

// what is still being worked out says how far it is and how long it takes yet, and can be stopped; what has to wait
// until the sculpt is lit comes then
export async function patient(url, options = {}, box = document.getElementById("working")) {
  const now = box.querySelector(".now"),
    stop = box.querySelector("button");
  const tell = (step, share, left) => {
    box.hidden = false;
    if (share === null) box.querySelector("progress").removeAttribute("value");
    else box.querySelector("progress").value = share;
    const words = left ? `${step} … ${left}` : `${step} …`;
    if (now.textContent !== words) now.textContent = words; // said once, not every time
  };
  try {
    for (;;) {
      const answer = await send(url, { ...options, headers: { "X-Waits": "1", ...(options.headers || {}) } });
      if (answer.status !== 202) return answer;
      const { step, share, number, then } = await answer.json();
      if (then) [url, options] = [then, {}]; // the change is kept: only its page is still on its way
      tell(step, share, "");
      stop.hidden = !number;
      if (!number) {
        await until(() => false, 900, 2000);
        continue;
      }
      stop.onclick = () => send(`/working/${number}/stop`, { method: "POST" });
      await until((going) => {
        const own = going.working.find((w) => w.number === number);
        if (own) tell(own.step, own.share, own.left);
        return !own;
      }, 300);
    }
  } finally {
    box.hidden = true;
  }
}

document.addEventListener("htmx:configRequest", (event) => {
  event.detail.headers["X-CSRFToken"] = token;
});
document.addEventListener("htmx:responseError", (event) => {
  let sentence = "That did not work; nothing was lost.";
  try {
    sentence = JSON.parse(event.detail.xhr.responseText).error;
  } catch {
    /* a page came back instead */
  }
  say(sentence, true);
});
document.addEventListener("htmx:sendError", () =>
  say("The bench does not answer. Is Dusk Lamp still running?", true),
);

document.querySelector(".string [aria-current]")?.scrollIntoView({ inline: "center", block: "nearest" });
const help = document.getElementById("help");
document.querySelector("[data-help]").addEventListener("click", () => help.showModal());
document.addEventListener("keydown", (event) => {
  if (event.key === "?" && !event.target.matches("input, textarea")) help.showModal();
});
for (const radio of document.querySelectorAll("[data-fill]")) {
  radio.addEventListener("change", () => {
    document.querySelector(radio.dataset.fill).value = radio.value;
  });
}
for (const form of document.querySelectorAll("form[data-keep]")) {
  // a height is kept when it is set
  form.addEventListener("change", async () => {
    if (!form.checkValidity()) return;
    const answer = await send(form.action, { method: "POST", body: new FormData(form) });
    if (!answer.ok) {
      say((await answer.json()).error, true);
      return;
    }
    document.getElementById("height-words").classList.remove("unsure");
    say("Kept.");
  });
}
