// The form of a new canvas says what its size comes to in px and in mm; another unit keeps the size.
const form = document.getElementById("canvas-form");
const MM_AN_INCH = 25.4;
const DIGITS = { px: 0, mm: 1, inch: 3 };
const per = (unit, ppi) => ({ px: 1, mm: ppi / MM_AN_INCH, inch: ppi })[unit];
const size = (unit) => ["width", "height"].map((name) => Number(form.elements[name].value) * per(unit, Number(form.elements.ppi.value)));
let { value: was } = form.elements.unit;

function tell() {
  const { unit, ppi } = form.elements;
  const px = size(unit.value);
  if (!px.every((one) => one > 0)) return;
  const mm = (one) => ((one / Number(ppi.value)) * MM_AN_INCH).toFixed(1);
  document.getElementById("real-size").textContent = `${px.map(Math.round).join(" × ")} px, ${px.map(mm).join(" × ")} mm when printed. With joined edges, what leaves on one side comes in on the other.`;
}

form.addEventListener("input", ({ target }) => {
  const { unit } = form.elements;
  if (target === unit) {
    const px = size(was);
    ["width", "height"].forEach((name, axis) => { form.elements[name].value = String(Number((px[axis] / per(unit.value, Number(form.elements.ppi.value))).toFixed(DIGITS[unit.value]))); });
    was = unit.value;
  }
  tell();
});
tell();
