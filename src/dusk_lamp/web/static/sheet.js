// The plan sheet: has the pictures drawn before the PDF is asked for, says how far that is, and keeps or prints its
// pages.
import { say } from "./page.js";

const link = document.getElementById("pdf"),
  printer = document.getElementById("print");
let pages = null; // once they are set

// the pages as a file in the browser's hands
async function set(words) {
  if (pages) return pages;
  const pictures = [...document.querySelectorAll(".step-views img, .finished")].map((i) => i.getAttribute("src"));
  const said = words.textContent,
    left = [...pictures];
  let done = 0;
  const draw = async () => {
    while (left.length) {
      await fetch(left.shift()).catch(() => null);
      words.textContent = `Drawing ${++done} of ${pictures.length}`;
    }
  };
  await Promise.all([draw(), draw(), draw()]);
  words.textContent = "Setting the pages …";
  try {
    const answer = await fetch(link.href);
    if (!answer.ok) throw new Error();
    pages = URL.createObjectURL(await answer.blob());
  } catch {
    say("The pages did not arrive; try again.", true);
  }
  words.textContent = said;
  return pages;
}

function whenClicked(what, then) {
  what?.addEventListener("click", async (event) => {
    event.preventDefault();
    if (what.getAttribute("aria-busy")) return;
    what.setAttribute("aria-busy", "true");
    const found = await set(what.querySelector("span"));
    what.removeAttribute("aria-busy");
    if (found) then(found);
  });
}

// big letters, for a tablet at arm's length; kept in this browser
const big = document.getElementById("big");
const enlarge = (on) => {
  document.querySelector(".sheet").classList.toggle("is-big", on);
  big?.setAttribute("aria-pressed", String(on));
};
if (big) {
  enlarge(localStorage.getItem("big-letters") === "1");
  big.addEventListener("click", () => {
    const on = big.getAttribute("aria-pressed") !== "true";
    localStorage.setItem("big-letters", on ? "1" : "0");
    enlarge(on);
  });
}

whenClicked(link, (found) =>
  Object.assign(document.createElement("a"), { href: found, download: link.dataset.name }).click(),
);
whenClicked(printer, (found) => {
  // the same pages as the PDF
  document.getElementById("pages")?.remove();
  const frame = Object.assign(document.createElement("iframe"), {
    id: "pages",
    className: "visually-hidden",
    title: "Pages to print",
    src: found,
  });
  frame.addEventListener("load", () => {
    try {
      frame.contentWindow.focus();
      frame.contentWindow.print();
    } catch {
      open(found);
    }
  });
  document.body.append(frame);
});
