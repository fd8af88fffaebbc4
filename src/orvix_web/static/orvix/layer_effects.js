// The effects at the edges of the layers that are taken: each switched on or off, its values live.
import { readRows, writeRows } from "./values.js";

export class LayerEffects {
  // layers: the LayerStrip, which tries and does what is asked.
  constructor({ layers }) {
    this.layers = layers;
    this.box = document.getElementById("layer-effects");
    this.kinds = [...this.box.querySelectorAll("[data-effect]")];
    this.box.addEventListener("value", (event) => {
      event.stopPropagation();
      this.changed(event.detail.settled);
    });
    this.box.addEventListener("change", ({ target }) => {
      if (!target.closest(".value")) {
        this.unfold();
        this.changed(true);
      }
    });
    this.box.addEventListener("input", ({ target }) => {
      if (target.type === "color") this.changed(false);
    });
  }

  on(kind) {
    return kind.querySelector("[data-effect-on]").checked;
  }
  unfold() {
    for (const kind of this.kinds) kind.lastElementChild.classList.toggle("hidden", !this.on(kind));
  }

  changed(settled) {
    const effects = this.kinds
      .filter((kind) => this.on(kind))
      .map((kind) => ({ kind: kind.dataset.effect, ...readRows(kind.lastElementChild) }));
    const told = { what: "layers", layers: this.layers.with({ effects }) };
    if (settled) this.layers.done(told);
    else this.layers.try(told);
  }

  // What the layer in hand has.
  shown() {
    if (
      this.box.contains(document.activeElement) &&
      document.activeElement.matches("input[type=text], input[type=color]")
    ) {
      return;
    }
    const { effects = [] } = this.layers.layer() ?? {};
    for (const kind of this.kinds) {
      const found = effects.find((one) => one.kind === kind.dataset.effect);
      kind.querySelector("[data-effect-on]").checked = Boolean(found);
      if (found) writeRows(kind.lastElementChild, found);
    }
    this.box.querySelector("summary").classList.toggle("on", effects.length > 0);
    this.unfold();
  }
}
