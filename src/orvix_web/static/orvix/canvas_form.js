// The form of a new canvas says what its size comes to in px and in mm; another unit keeps the size.
import { inUnit, mm, perUnit } from "./units.js";

const form = document.getElementById("canvas-form");
const perInch = () => Number(form.elements.ppi.value);
const size = (unit) => ["width", "height"].map((name) => Number(form.elements[name].value) * perUnit(unit, perInch()));
let { value: was } = form.elements.unit;

function tell() {
  const px = size(form.elements.unit.value);
  if (!px.every((one) => one > 0)) return;
  document.getElementById("real-size").textContent =
    `${px.map(Math.round).join(" × ")} px, ${px.map((one) => mm(one, perInch())).join(" × ")} mm in print. With joined edges, a stroke that leaves one side continues on the opposite side.`;
}

// The name that is typed is that of the canvas, whichever way it is made.
for (const other of document.querySelectorAll("form[data-named]")) {
  other.addEventListener("submit", () => {
    other.elements.name.value = form.elements.name.value.trim();
  });
}

form.addEventListener("input", ({ target }) => {
  const { unit } = form.elements;
  if (target === unit) {
    const px = size(was);
    ["width", "height"].forEach((name, axis) => {
      form.elements[name].value = inUnit(px[axis], unit.value, perInch());
    });
    was = unit.value;
  }
  tell();
});
tell();
