// The rows of values of one coat: filled from the brush, and what is changed in them put back into it. Paths are
// "values.size", "grain.hold", "grain.tone.contrast", "tip.polygon.sides", "ribbon.values.laid" and "brush.use".
import { asNumber, putValue, setUpValues } from "./values.js";

// Of these only the one that the stamps are spaced by is shown.
const GAPS = ["values.spacing", "values.spacing_px", "values.overlap", "values.clear_px"];
const grainless = { values: {} };

// The px of the tile that a coat's grain is read from, across.
function grainWidth(coat) {
  const picked = document.querySelector(`#grain-pick option[value="${coat.grain?.source.grain_version ?? ""}"]`);
  return Number(picked?.dataset.width ?? 0);
}

// A fraction in its lowest terms, as it is shown; a decimal as it is.
function shortened(text) {
  const [above, below] = String(text).split("/").map(Number);
  if (!Number.isInteger(above) || !Number.isInteger(below)) return text;
  const common = (a, b) => (b ? common(b, a % b) : a);
  return `${above / common(above, below)}/${below / common(above, below)}`;
}

export function readPath(brush, coat, path) {
  const [first, ...rest] = path.split(".");
  if (path === "grain.scale" && coat.grain) return shortened(coat.grain.scale);
  if (path === "grain.period") {
    return coat.grain && grainWidth(coat)
      ? Number((asNumber(coat.grain.scale) * grainWidth(coat)).toFixed(2))
      : undefined;
  }
  if (first === "brush") return brush.values[rest[0]];
  if (first === "tip") return coat.tip.name === rest[0] ? coat.tip.values[rest[1]] : undefined;
  return [first, ...rest].reduce((inside, part) => inside?.[part], coat);
}

export function writePath(brush, coat, path, value) {
  const [first, ...rest] = path.split(".");
  if (path === "grain.period") {
    if (coat.grain && grainWidth(coat)) coat.grain.scale = `${Math.round(value * 100)}/${100 * grainWidth(coat)}`;
    return;
  }
  if (first === "brush") {
    brush.values[rest[0]] = value;
    return;
  }
  const parts = first === "tip" ? ["tip", "values", rest[1]] : [first, ...rest];
  const last = parts.pop();
  const inside = parts.reduce((found, part) => found?.[part], coat) ?? grainless;
  inside[last] = path === "grain.scale" ? String(value) : value;
}

// What a row's value is when nothing is set.
function defaultOf(row) {
  if (row.dataset.value) return row.dataset.kind === "fraction" ? row.dataset.default : Number(row.dataset.default);
  return undefined;
}

export class CoatRows {
  // change(path, value, settled): called when a row changes.
  constructor(box, change) {
    this.box = box;
    this.change = change;
    setUpValues(box);
    this.rows = [...box.querySelectorAll(".value[data-value]")];
    this.inputs = [...box.querySelectorAll("[data-path]")];
    for (const row of this.rows) row.after(this.under(row.dataset.value));
    for (const input of this.inputs) {
      if (input.type !== "radio" || !input.closest("label").previousElementSibling) {
        input.closest(".line-row, .bead")?.after(this.under(input.dataset.path));
      }
    }
    box.addEventListener("value", (event) => change(event.detail.name, event.detail.value, event.detail.settled));
    box.addEventListener("change", ({ target }) => {
      if (target.dataset.path) {
        change(target.dataset.path, target.type === "checkbox" ? target.checked : target.value, true);
      }
    });
  }

  // The line under a row: what leads its value, or why it does nothing.
  under(path) {
    const line = document.createElement("div");
    line.className = "under hidden";
    line.dataset.under = path;
    return line;
  }

  fill(brush, coat) {
    for (const row of this.rows) {
      const value = readPath(brush, coat, row.dataset.value);
      if (value !== undefined && row.now !== value) putValue(row.dataset.value, value);
    }
    for (const input of this.inputs) {
      const value = readPath(brush, coat, input.dataset.path);
      if (value === undefined) continue;
      if (input.type === "radio") input.checked = input.value === value;
      else if (input.type === "checkbox") input.checked = value;
      else input.value = value;
    }
  }

  // idle: why values do nothing, by path. led: words of what leads them, by path, each with the cell they come from.
  say(idle, led) {
    const said = JSON.stringify([idle, led]);
    if (said === this.said) return;
    this.said = said;
    let last = "";
    for (const line of this.box.querySelectorAll("[data-under]")) {
      const path = line.dataset.under;
      const row = line.previousElementSibling;
      const why = idle[path];
      const other = GAPS.includes(path) && Boolean(why);
      row.classList.toggle("idle", Boolean(why));
      row.classList.toggle("hidden", other);
      line.classList.toggle("hidden", other || (!why && !led[path]));
      line.replaceChildren();
      line.title = why ?? "";
      // One reason for several rows is written under the first of them.
      if (why && why === last) line.classList.add("hidden");
      if (!other) last = why ?? "";
      if (why) line.textContent = why;
      else {
        for (const { words, cell } of led[path] ?? []) {
          const button = document.createElement("button");
          button.type = "button";
          button.className = "plain";
          button.dataset.goCell = cell;
          button.textContent = words;
          line.append(button, " ");
        }
      }
    }
  }

  // Show only rows whose title holds the text; returns the first of them.
  find(text) {
    const wanted = text.trim().toLowerCase();
    let first = null;
    for (const row of this.box.querySelectorAll(".value, .line-row, .bead")) {
      const name = row.matches(".bead") ? row : row.querySelector("label, span");
      const hit = wanted && name.textContent.toLowerCase().includes(wanted);
      row.classList.toggle("found", Boolean(hit));
      if (hit && !first && row.offsetParent) first = row;
    }
    first?.scrollIntoView({ block: "nearest" });
    return first;
  }

  // Every row of a group back to what it is by default.
  reset(group, coat, fresh) {
    const section = this.box.querySelector(`[data-group="${group}"]`);
    const paths = new Set([...section.querySelectorAll(".value[data-value]")].map((row) => row.dataset.value));
    section.querySelectorAll("[data-path]").forEach((input) => paths.add(input.dataset.path));
    for (const path of paths) {
      const value =
        readPath(fresh.brush, fresh.coat, path) ??
        defaultOf(section.querySelector(`[data-value="${path}"]`) ?? { dataset: {} });
      if (value !== undefined && !["grain.scale", "grain.period"].includes(path)) {
        writePath(fresh.target, coat, path, structuredClone(value));
      }
    }
  }
}
