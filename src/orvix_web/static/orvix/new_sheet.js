// The sheet that begins something: it opens over its place, says what a size comes to, and shows it.
import { inUnit, mm, perUnit } from "./units.js";

const opened = (name) => /** @type {HTMLDialogElement} */ (document.getElementById(name));

document.addEventListener("click", (event) => {
  const target = /** @type {HTMLElement} */ (event.target);
  const opens = target.closest("[data-sheet]");
  if (opens) opened(/** @type {HTMLElement} */ (opens).dataset.sheet).showModal();
  if (target.closest("[data-close-sheet]")) target.closest("dialog").close();
  if (target instanceof HTMLDialogElement && target.matches(".sheet")) target.close();
});
const first = /** @type {HTMLDialogElement | null} */ (document.querySelector("dialog.sheet[data-opens]"));
first?.showModal();

// What a picture stands for, while the pointer or the focus is on it.
for (const box of document.querySelectorAll(".begin-sources")) {
  const hint = box.querySelector("[data-hint]");
  const says = ({ target }) => {
    const words = target.closest("[data-says]")?.dataset.says;
    if (hint && words) hint.textContent = words;
  };
  box.addEventListener("pointerover", says);
  box.addEventListener("focusin", says);
}

const MOST_PX = [220, 120];

function sized(form) {
  const { unit } = form.elements;
  let was = unit.value;
  const perInch = () => Number(form.elements.ppi.value);
  const size = (of) => ["width", "height"].map((name) => Number(form.elements[name].value) * perUnit(of, perInch()));
  const tell = () => {
    const px = size(unit.value);
    if (!px.every((one) => one > 0)) return;
    form.querySelector("[data-real-size]").textContent =
      `${px.map(Math.round).join(" × ")} px, ${px.map((one) => mm(one, perInch())).join(" × ")} mm in print`;
    const sheet = form.querySelector("[data-sheet-picture] span");
    if (!sheet) return;
    const scale = Math.min(MOST_PX[0] / px[0], MOST_PX[1] / px[1]);
    sheet.style.width = `${px[0] * scale}px`;
    sheet.style.height = `${px[1] * scale}px`;
    sheet.style.background = form.elements.ground.value;
    sheet.dataset.edges = form.elements.edges.value;
  };
  form.addEventListener("input", ({ target }) => {
    if (target === unit) {
      const px = size(was);
      ["width", "height"].forEach((name, axis) => {
        form.elements[name].value = inUnit(px[axis], unit.value, perInch());
      });
      was = unit.value;
    }
    tell();
  });
  form.addEventListener("change", tell);
  tell();
}
document.querySelectorAll("form[data-sized]").forEach(sized);
