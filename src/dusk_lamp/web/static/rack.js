// The rack: shows the half of the form that is wanted; sends clicks on a photo and takes the colour that comes back.
import { say, send } from "./page.js";

const $ = (id) => document.getElementById(id);

function dress() {
  // also after a form was swapped in
  const by = document.querySelector('[name="by"]:checked')?.value;
  for (const own of document.querySelectorAll("[data-by]")) own.hidden = own.dataset.by !== by;
}
document.addEventListener("change", (e) => {
  if (e.target.name === "by") dress();
  if (e.target.matches("[data-fill-hiding]") && e.target.value) e.target.form.elements.hiding.value = e.target.value;
  if (e.target.closest("[data-auto]")) e.target.form.submit();
});
document.addEventListener("input", (e) => {
  if (e.target.dataset.into) $(e.target.dataset.into).value = e.target.value;
});
document.addEventListener("htmx:afterSwap", dress);
dress();

// --- a colour from a photo: first the grey card, then the swatch
const photo = $("photo");
let grey = null,
  colour = null;
const words = (text) => {
  $("photo-words").textContent = text;
};
function begin() {
  grey = colour = null;
  $("photo-take").disabled = true;
  $("photo-again").hidden = true;
  words("Click on the grey card.");
}
document.addEventListener("click", (e) => {
  if (e.target.closest("[data-photo]")) {
    begin();
    words("");
    photo.showModal();
  }
});
$("photo-close").addEventListener("click", () => photo.close());
$("photo-again").addEventListener("click", begin);
$("photo-file").addEventListener("change", async () => {
  const form = new FormData();
  form.append("file", $("photo-file").files[0]);
  const answer = await send("/rack/photo", { method: "POST", body: form });
  const answered = await answer.json();
  if (!answer.ok) {
    words(answered.error);
    return;
  }
  $("photo-picture").src = answered.url;
  $("photo-well").hidden = false;
  begin();
});
$("photo-picture").addEventListener("click", async (e) => {
  const box = e.target.getBoundingClientRect();
  const at = [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height];
  if (!grey) {
    grey = at;
    $("photo-again").hidden = false;
    words("Now click on the swatch.");
    return;
  }
  const answer = await send("/rack/photo/colour", {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ grey, swatch: at }),
  });
  const answered = await answer.json();
  if (!answer.ok) {
    words(answered.error);
    return;
  }
  colour = answered.colour;
  words(`${colour}${answered.clipped ? ": brighter than white against this card; is the light even?" : ""}`);
  $("photo-take").disabled = false;
});
$("photo-take").addEventListener("click", () => {
  const field = $("paint-colour");
  field.value = colour;
  document.querySelector('[data-into="paint-colour"]').value = colour;
  photo.close();
  say("The colour is in the form.");
});
