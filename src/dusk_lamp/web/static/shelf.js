// Dropping files on the shelf: draws the veil and the upload's progress; the server judges the file.
import { followCards } from "./cards.js";
import { say, send } from "./page.js";

const line = document.querySelector(".drop-line");
const veil = document.getElementById("veil");
const uploads = document.getElementById("uploads");
const picker = line.querySelector('input[type="file"]');
const limit = Number(line.dataset.limitMb);

// several files at once are either parts of one sculpt or sculpts of their own: only the painter knows
const asked = document.getElementById("several");
function take(list) {
  const files = [...list];
  if (files.length < 2) {
    if (files.length) bring(files);
    return;
  }
  document.getElementById("several-count").textContent = String(files.length);
  asked.querySelector('[data-choice="one"]').onclick = () => {
    asked.close();
    bring(files);
  };
  asked.querySelector('[data-choice="each"]').onclick = () => {
    asked.close();
    for (const file of files) bring([file]);
  };
  asked.showModal();
}

function bring(files) {
  const name = files.length === 1 ? `“${files[0].name}”` : `${files.length} files`;
  if (files.reduce((sum, file) => sum + file.size, 0) > limit * 1e6) {
    say(`${name} ${files.length === 1 ? "is" : "are"} larger than the limit of ${limit} MB; decimate first.`, true);
    return;
  }
  const row = document.createElement("p");
  const bar = document.createElement("progress");
  bar.max = 1;
  bar.value = 0;
  const word = document.createElement("span");
  word.textContent = `Bringing ${name}`;
  const stop = document.createElement("button");
  stop.className = "quiet";
  stop.textContent = "Stop";
  row.append(bar, word, stop);
  uploads.append(row);
  const request = new XMLHttpRequest(); // fetch cannot tell how much has been sent
  request.open("POST", line.dataset.url);
  request.setRequestHeader("X-CSRFToken", document.querySelector('meta[name="csrf-token"]').content);
  request.setRequestHeader("X-Requested-With", "fetch");
  request.upload.onprogress = (e) => {
    if (e.lengthComputable) bar.value = e.loaded / e.total;
  };
  stop.onclick = () => {
    request.abort();
    row.remove();
  };
  request.onerror = () => {
    row.remove();
    say("The upload broke off. Drop the file again.", true);
  };
  request.onload = () => {
    row.remove();
    let answer = {};
    try {
      answer = JSON.parse(request.responseText);
    } catch {
      /* not ours */
    }
    if (request.status === 413) {
      say(`The file is larger than the limit of ${limit} MB; decimate it first.`, true);
      return;
    }
    if (request.status !== 201) {
      say(answer.error || "The upload did not work; drop the file again.", true);
      return;
    }
    document.querySelector(".empty")?.remove();
    const sculpts = document.getElementById("sculpts");
    sculpts.insertAdjacentHTML("afterbegin", answer.card);
    window.htmx.process(sculpts.firstElementChild);
    followCards();
    if (answer.said) say(answer.said);
  };
  const form = new FormData();
  for (const file of files) form.append("file", file);
  request.send(form);
}

picker.addEventListener("change", () => {
  take(picker.files);
  picker.value = "";
});
let depth = 0;
addEventListener("dragenter", (e) => {
  e.preventDefault();
  depth += 1;
  veil.hidden = false;
});
addEventListener("dragleave", () => {
  depth -= 1;
  if (depth <= 0) {
    depth = 0;
    veil.hidden = true;
  }
});
addEventListener("dragover", (e) => e.preventDefault());
addEventListener("drop", (e) => {
  e.preventDefault();
  depth = 0;
  veil.hidden = true;
  take(e.dataTransfer.files);
});

// what a demo shows, until it is put away in this browser
const welcome = document.getElementById("welcome");
if (welcome && localStorage.getItem("welcome") !== "away") {
  welcome.hidden = false;
  document.getElementById("welcome-away").addEventListener("click", () => {
    localStorage.setItem("welcome", "away");
    welcome.hidden = true;
  });
}

// how far one gets tonight, with the model that was painted last
const tonight = document.getElementById("tonight");
async function howFar(minutes = "") {
  for (let tries = 0; tries < 40; tries++) {
    const answer = await send(`${tonight.dataset.url}?minutes=${minutes}`);
    if (answer.status === 202) {
      await new Promise((go) => setTimeout(go, 2500));
      continue;
    }
    if (!answer.ok) return;
    const found = await answer.json();
    tonight.hidden = !found.words;
    document.getElementById("tonight-words").textContent = found.words;
    document.getElementById("tonight-minutes").value = found.minutes;
    if (found.url) document.getElementById("tonight-go").href = found.url;
    return;
  }
}
document.getElementById("tonight-minutes").addEventListener("change", (event) => {
  if (event.target.reportValidity()) howFar(event.target.value);
});
howFar();
