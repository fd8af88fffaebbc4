// Filters: a step of the tile bench Applies to the selected layers, seen on the picture before it is done.

import { readRows } from "./values.js";

const id = (name) => document.getElementById(name);

export class Filters {
  // layers: the LayerStrip, which tries and does what is asked; selected(): whether something is selected.
  constructor({ layers, selected }) {
    this.layers = layers;
    this.selected = selected;
    this.sheet = id("filter-sheet");
    this.seed = crypto.getRandomValues(new Uint32Array(1))[0];
    id("filter-step").addEventListener("change", () => this.shown());
    id("filter-now").addEventListener("click", () => {
      this.tried = false;
      this.layers.done(this.told);
      this.open(false);
    });
    id("filter-close").addEventListener("click", () => this.open(false));
    this.sheet.addEventListener("value", (event) => {
      event.stopPropagation();
      this.try();
    });
    this.sheet.addEventListener("change", ({ target }) => {
      if (target.id !== "filter-step" && !target.closest(".value")) this.try();
    });
  }

  get rows() {
    return this.sheet.querySelector(`[data-filter="${id("filter-step").value}"]`);
  }
  get told() {
    return {
      what: "filter",
      layers: this.layers.some.map((one) => one.id),
      step: id("filter-step").value,
      values: readRows(this.rows),
      seed: this.seed,
    };
  }

  open(on) {
    this.sheet.classList.toggle("hidden", !on);
    id("filter-open").setAttribute("aria-expanded", String(on));
    if (on) this.shown();
    else if (this.tried) {
      this.tried = false;
      this.layers.done({ what: "layers", layers: this.layers.stack });
    }
  }

  shown() {
    this.sheet.querySelectorAll("[data-filter]").forEach((one) => one.classList.toggle("hidden", one !== this.rows));
    id("filter-what").textContent = this.selected() ? "Applies to the selection" : "Applies to the selected layers";
    this.try();
  }

  try() {
    this.tried = true;
    this.layers.try(this.told);
  }
}
