// Every field for a number: it takes sums and units, and is stepped by arrows, by the wheel and by a drag.
import { asText, numberOf } from "./sums.js";

const FIELDS = "input[inputmode=decimal], input[inputmode=numeric], input[type=number]";
const PX_A_STEP = 4;
const STARTS_PX = 5;

const fieldOf = (target) => {
  const field = target.closest?.(FIELDS);
  return field && !field.disabled && !field.readOnly && field.closest(".value")?.dataset.kind !== "fraction"
    ? field
    : null;
};

function unitOf(field) {
  const row = field.closest(".value");
  if (row) return row.querySelector(".unit").textContent;
  return (
    field.dataset.unit ?? /, (px|mm|cm|m|in|percent|degrees)\b/.exec(field.getAttribute("aria-label") ?? "")?.[1] ?? ""
  );
}

const ppiOf = (field) =>
  Number((field.closest("[data-ppi]") ?? document.querySelector("[data-ppi]"))?.dataset.ppi) || 300;

function valueOf(field) {
  return numberOf(field.value, { unit: unitOf(field), ppi: ppiOf(field) });
}

// The sum that was typed becomes its number before anything else reads the field.
// A native field for numbers takes no sum: while someone types in it, it is one for text.
function openForText(field) {
  const kept = field.value;
  field.type = "text";
  field.inputMode = "decimal";
  field.dataset.wasNumber = "yes";
  field.value = kept;
}

function settle(field) {
  const value = valueOf(field);
  if (field.dataset.wasNumber) {
    field.setCustomValidity(field.value.trim() && Number.isNaN(value) ? "Enter a number." : "");
    if (field.validity.customError) return;
  }
  // The result first: a native field for numbers drops what is none.
  if (!Number.isNaN(value) && /[^\d.-]/.test(field.value)) field.value = asText(value);
  if (field.dataset.wasNumber) {
    field.type = "number";
    delete field.dataset.wasNumber;
  }
}

function limited(field, value) {
  const [low, high] = [field.min, field.max].map((one) => (one === "" ? NaN : Number(one)));
  return Math.min(Math.max(value, Number.isNaN(low) ? -Infinity : low), Number.isNaN(high) ? Infinity : high);
}

function step(field, by) {
  const value = valueOf(field);
  if (Number.isNaN(value)) return;
  field.value = asText(limited(field, value + by));
  field.dispatchEvent(new Event("input", { bubbles: true }));
}
const changed = (field) => field.dispatchEvent(new Event("change", { bubbles: true }));
// What the keys that are held make of one step.
function reach(field, event) {
  const one = Number(field.closest(".value")?.dataset.step) || 1;
  const whole = field.inputMode === "numeric" || field.closest(".value")?.dataset.kind === "whole";
  return one * (event.shiftKey ? 10 : event.altKey && !whole ? 0.1 : 1);
}

document.addEventListener("change", ({ target }) => fieldOf(target) && settle(fieldOf(target)), { capture: true });
document.addEventListener("focusin", (event) => {
  const target = /** @type {HTMLInputElement} */ (event.target);
  if (!target.matches("input[type=number]")) return;
  openForText(target);
  target.select();
});
document.addEventListener("focusout", ({ target }) => {
  if (target.dataset?.wasNumber) settle(target);
});
document.addEventListener("keydown", (event) => {
  if (event.target.matches("input[type=number]")) openForText(event.target);
  const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
  const field = way && fieldOf(event.target);
  if (!field || event.defaultPrevented) return;
  event.preventDefault();
  step(field, way * reach(field, event));
  changed(field);
});
document.addEventListener(
  "wheel",
  (event) => {
    const field = fieldOf(event.target);
    if (!field || field !== document.activeElement || event.defaultPrevented) return;
    event.preventDefault();
    step(field, (event.deltaY < 0 ? 1 : -1) * reach(field, event));
    changed(field);
  },
  { passive: false },
);
document.addEventListener("pointerdown", (event) => {
  const field = fieldOf(event.target);
  if (!field || event.button !== 0 || field === document.activeElement) return;
  let from = event.clientX;
  let drags = false;
  const move = (moved) => {
    if (!drags && Math.abs(moved.clientX - from) < STARTS_PX) return;
    drags = true;
    field.setPointerCapture(event.pointerId);
    const steps = Math.trunc((moved.clientX - from) / PX_A_STEP);
    if (!steps) return;
    from += steps * PX_A_STEP;
    step(field, steps * reach(field, moved));
  };
  const end = () => {
    document.removeEventListener("pointermove", move);
    ["pointerup", "pointercancel"].forEach((kind) => document.removeEventListener(kind, end));
    if (!drags) return;
    changed(field);
    field.blur();
  };
  document.addEventListener("pointermove", move);
  ["pointerup", "pointercancel"].forEach((kind) => document.addEventListener(kind, end));
});
