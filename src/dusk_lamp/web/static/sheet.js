// The plan sheet: has the pictures drawn before the PDF is asked for, and says how far that is.
import { say } from "./page.js";

const link = document.getElementById("pdf");
const words = link?.querySelector("span");
link?.addEventListener("click", async (event) => {
  event.preventDefault();
  if (link.getAttribute("aria-busy")) return;
  link.setAttribute("aria-busy", "true");
  const pictures = [...document.querySelectorAll(".step-views img, .finished")].map((i) => i.getAttribute("src"));
  const said = words.textContent;
  let done = 0;
  const left = [...pictures], draw = async () => {
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
    const own = document.createElement("a");
    own.href = URL.createObjectURL(await answer.blob());
    own.download = link.dataset.name;
    own.click();
    URL.revokeObjectURL(own.href);
  } catch { say("The PDF did not arrive; try again.", true); }
  words.textContent = said;
  link.removeAttribute("aria-busy");
});
