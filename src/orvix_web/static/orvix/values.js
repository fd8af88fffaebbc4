// Rows of values: a slider and a typed number that say the same. Emits "value" on the row with {name, value, settled}.
import { asText, numberOf } from "./sums.js";

const STEPS = 1000;

function spread(row) {
  const low = Number(row.dataset.low);
  const high = Number(row.dataset.high);
  return { low, high, log: low > 0 && high / low > 50 };
}

function toShare(row, value) {
  const { low, high, log } = spread(row);
  const share = log ? Math.log(value / low) / Math.log(high / low) : (value - low) / (high - low);
  return Math.min(Math.max(share, 0), 1);
}

function fromShare(row, share) {
  const { low, high, log } = spread(row);
  const value = log ? low * (high / low) ** share : low + (high - low) * share;
  if (row.dataset.kind === "whole") return Math.round(value);
  const span = log ? value : high - low;
  const digits = span > 200 ? 0 : span > 20 ? 1 : span > 0.2 ? 2 : 3;
  return Math.min(Math.max(Number(value.toFixed(digits)), low), high);
}

export function asNumber(text) {
  const parts = String(text).trim().split("/");
  if (parts.length === 2) return Number(parts[0]) / Number(parts[1]);
  return parts[0] === "" ? NaN : Number(parts[0]);
}

// Values from 0 to 1 without a unit are shown and typed as percent.
function isShare(row) {
  return (
    row.dataset.kind === "number" &&
    Number(row.dataset.high) <= 1 &&
    !row.dataset.unit &&
    row.dataset.value !== "stagger"
  );
}

function shownAs(row, value) {
  const unit = row.dataset.unit ?? "";
  return isShare(row)
    ? { number: String(Math.round(value * 1000) / 10), unit: "%" }
    : { number: String(value), unit: unit === "stamp lengths" ? "len" : unit.startsWith("% of") ? "%" : unit };
}

function typedAs(row, text) {
  const typed = numberOf(text, { unit: row.querySelector(".unit").textContent });
  return isShare(row) ? typed / 100 : typed;
}

// What one press of an arrow changes, in the unit that is shown: one, or the last digit that matters where the span is small.
function stepOf(row) {
  const span = (Number(row.dataset.high) - Number(row.dataset.low)) * (isShare(row) ? 100 : 1);
  return row.dataset.kind === "whole" || span > 20 ? 1 : span > 2 ? 0.1 : 0.01;
}

function show(row, value, keepText = false) {
  const range = row.querySelector("input[type=range]");
  const typed = row.querySelector(".number input");
  const share = toShare(row, asNumber(value));
  range.value = String(Math.round(share * STEPS));
  row.querySelector(".track").style.setProperty("--share", share.toFixed(4));
  const told = shownAs(row, value);
  if (!keepText) typed.value = told.number;
  row.querySelector(".unit").textContent = told.unit;
  range.setAttribute("aria-valuetext", `${told.number} ${told.unit}`);
}

function tell(row, settled) {
  row.dispatchEvent(
    new CustomEvent("value", { bubbles: true, detail: { name: row.dataset.value, value: row.now, settled } }),
  );
}

function setUp(row) {
  const range = row.querySelector("input[type=range]");
  const typed = row.querySelector(".number input");
  range.min = "0";
  range.max = String(STEPS);
  range.step = "1";
  const first = range.dataset.now;
  row.now = row.dataset.kind === "fraction" ? first : Number(first);
  row.dataset.step = String(stepOf(row));
  row.querySelector(".tick").style.setProperty("left", `${100 * toShare(row, Number(row.dataset.default))}%`);
  show(row, row.now);
  range.addEventListener("input", () => {
    row.classList.add("changing");
    const value = fromShare(row, Number(range.value) / STEPS);
    row.now = row.dataset.kind === "fraction" ? String(value) : value;
    row.classList.remove("bad");
    show(row, row.now);
    tell(row, false);
  });
  range.addEventListener("change", () => {
    row.classList.remove("changing");
    tell(row, true);
  });
  range.addEventListener("keydown", (event) => {
    const step = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
    if (!step) return;
    event.preventDefault();
    const { low, high } = spread(row);
    const reach = event.shiftKey ? 10 : event.altKey && row.dataset.kind !== "whole" ? 0.1 : 1;
    const unit = (stepOf(row) * reach) / (isShare(row) ? 100 : 1);
    const next = Number(Math.min(Math.max(asNumber(row.now) + step * unit, low), high).toFixed(6));
    row.now = row.dataset.kind === "fraction" ? String(next) : next;
    show(row, row.now);
    tell(row, true);
  });
  typed.addEventListener("change", () => {
    const value = typedAs(row, typed.value);
    const { low, high } = spread(row);
    const good = value >= low && value <= high && (row.dataset.kind !== "whole" || Number.isInteger(value));
    row.classList.toggle("bad", !good);
    if (!good) {
      const rule = `${row.querySelector("label").textContent}: enter ${shownAs(row, low).number} to ${shownAs(row, high).number} ${shownAs(row, low).unit}.`;
      row.dispatchEvent(new CustomEvent("bad-value", { bubbles: true, detail: { rule } }));
      return;
    }
    const fraction = /^\d+(\.\d+)?(\/\d+)?$/.test(typed.value.trim()) ? typed.value.trim() : asText(value);
    row.now = row.dataset.kind === "fraction" ? fraction : value;
    show(row, row.now);
    tell(row, true);
  });
}

export function setUpValues(root = document) {
  root.querySelectorAll(".value").forEach(setUp);
}

export function valueOf(name) {
  return document.querySelector(`.value[data-value="${name}"]`)?.now;
}

export function putValue(name, value) {
  const row = document.querySelector(`.value[data-value="${name}"]`);
  if (!row) return;
  row.now = value;
  row.classList.remove("bad");
  show(row, value);
}

export function checked(name) {
  return document.querySelector(`input[name="${name}"]:checked`)?.value;
}

const lastName = (path) => path.split(".").at(-1);

// The values that rows in a box hold, by their names.
export function readRows(box) {
  const told = {};
  box.querySelectorAll(".value").forEach((row) => {
    told[lastName(row.dataset.value)] = row.now;
  });
  box.querySelectorAll("[data-path]").forEach((one) => {
    if (one.type === "radio") {
      if (one.checked) told[lastName(one.dataset.path)] = one.value;
    } else told[lastName(one.dataset.path)] = one.type === "checkbox" ? one.checked : one.value;
  });
  box.querySelectorAll("[data-colours]").forEach((rows) => {
    told[lastName(rows.dataset.colours)] = [...rows.querySelectorAll(".colour-row")].map((row) => [
      Number(row.querySelector("input.line").value),
      row.querySelector("input[type=color]").value,
    ]);
  });
  return told;
}

// Put values into the rows of a box.
export function writeRows(box, values) {
  box.querySelectorAll(".value").forEach((row) => {
    const now = values[lastName(row.dataset.value)];
    if (now !== undefined) putValue(row.dataset.value, now);
  });
  box.querySelectorAll("[data-path]").forEach((one) => {
    const now = values[lastName(one.dataset.path)];
    if (now === undefined) return;
    if (one.type === "radio") one.checked = one.value === now;
    else if (one.type === "checkbox") one.checked = now;
    else one.value = now;
  });
}
