// The layers of a canvas: each with its own picture, its opacity, in its place. Every change is asked of the core.
import { Turns } from "./turns.js";

const PICTURE_AFTER_MS = 250;

export class LayerList {
  constructor(box, link, asking, canvas) {
    this.box = box;
    this.link = link;
    this.asking = asking;
    this.canvas = canvas;
    this.stack = [];
    this.pictures = null;
    this.chosen = 0;
    this.next = 2;
    this.turns = new Turns(link);
    document.getElementById("add-layer").addEventListener("click", () => this.turns.run(() => this.add()));
    box.addEventListener("click", (event) => this.pressed(event.target));
    box.addEventListener("change", (event) => this.changed(event.target));
  }

  // The layer above the current one, or below.
  step(by) {
    const next = this.stack[this.stack.findIndex((one) => one.id === this.chosen) + by];
    if (next) this.choose(next.id);
  }

  // news: layers, the lowest first, and next_layer, a number no layer has had.
  show({ layers, next_layer: next, edited = 0 }) {
    if (!this.turns.answered(edited)) return;
    this.next = next;
    if (!layers.some((one) => one.id === this.chosen)) this.chosen = layers.at(-1).id;
    if (JSON.stringify(layers) === JSON.stringify(this.stack)) return;
    this.stack = layers;
    this.draw();
    this.refresh(true);
  }

  draw() {
    const rows = [...this.stack].reverse().map((layer) => {
      const row = document.createElement("li");
      row.dataset.layer = layer.id;
      row.className = layer.id === this.chosen ? "chosen" : "";
      const part = (tag, told) => Object.assign(document.createElement(tag), told);
      const shown = part("label", { className: "bead-only", title: "Shows or hides the layer." });
      shown.append(
        Object.assign(part("input", { type: "checkbox", checked: layer.visible }), {
          name: "visible",
          ariaLabel: `Show ${layer.name}`,
        }),
      );
      const take = part("button", {
        type: "button",
        className: "take",
        title: "Paint on this layer",
        ariaPressed: String(layer.id === this.chosen),
      });
      take.append(this.pictures?.get(layer.id) ?? part("canvas", { width: 48, height: 32 }));
      const name = part("input", {
        className: "line",
        name: "name",
        value: layer.name,
        maxLength: 60,
        ariaLabel: "Layer name",
      });
      const opacity = part("input", {
        className: "line",
        name: "opacity",
        type: "number",
        min: 0,
        max: 100,
        value: Math.round(100 * layer.opacity),
        ariaLabel: `${layer.name}, opacity in percent`,
        title: "Opacity, %",
      });
      const buttons = [
        ["up", "↑", "Bring forward"],
        ["down", "↓", "Send backward"],
        ["out", "×", "Delete layer"],
      ].map(([what, sign, title]) =>
        Object.assign(
          part("button", {
            type: "button",
            className: "mini",
            textContent: sign,
            title,
            ariaLabel: `${title}: ${layer.name}`,
          }),
          { value: what },
        ),
      );
      buttons[2].disabled = this.stack.length === 1;
      row.append(shown, take, name, opacity, ...buttons);
      return row;
    });
    this.box.replaceChildren(...rows);
  }

  choose(layer) {
    this.chosen = layer;
    this.draw();
  }

  // The stack as it shall be, the lowest first.
  ask(layers) {
    if (!this.turns.send({ what: "layers", layers }, { known: true })) return;
    this.stack = layers;
    this.draw();
  }

  // What was asked was refused, or the connection was lost.
  back() {
    this.turns.drop();
  }

  add() {
    const at = this.stack.findIndex((one) => one.id === this.chosen) + 1;
    const number = this.next++;
    const fresh = { id: number, name: `Layer ${number}`, opacity: 1, visible: true };
    this.chosen = fresh.id;
    this.ask([...this.stack.slice(0, at), fresh, ...this.stack.slice(at)]);
  }

  pressed(target) {
    const layer = Number(target.closest("[data-layer]")?.dataset.layer);
    if (!layer) return;
    const button = target.closest("button");
    if (button?.classList.contains("take")) this.choose(layer);
    else if (button?.value === "out") this.ask(this.stack.filter((one) => one.id !== layer));
    else if (button?.value) this.shift(layer, button.value === "up" ? 1 : -1);
  }

  shift(layer, by) {
    const at = this.stack.findIndex((one) => one.id === layer);
    const to = at + by;
    if (to < 0 || to >= this.stack.length) return;
    const next = [...this.stack];
    [next[at], next[to]] = [next[to], next[at]];
    this.ask(next);
  }

  changed(field) {
    const layer = Number(field.closest("[data-layer]").dataset.layer);
    const value = {
      visible: () => field.checked,
      name: () => field.value.trim(),
      opacity: () => Number(field.value) / 100,
    }[field.name]();
    this.ask(this.stack.map((one) => (one.id === layer ? { ...one, [field.name]: value } : one)));
    this.stack = [];
    this.pictures = null;
  }

  // Pictures follow once nothing more changes: that of the layer in hand, or all.
  refresh(all = false) {
    this.all = this.all || all;
    clearTimeout(this.later);
    this.later = setTimeout(async () => {
      const wanted = this.all ? this.stack.map((one) => one.id) : [this.chosen];
      this.all = false;
      for (const layer of wanted) await this.take(layer);
    }, PICTURE_AFTER_MS);
  }

  async take(layer) {
    const answer = await this.asking.ask("layer", { what: "layer", canvas: this.canvas, layer });
    if (!answer || answer.facts.refused) return;
    const picture = Object.assign(document.createElement("canvas"), {
      width: answer.facts.width,
      height: answer.facts.height,
    });
    picture
      .getContext("2d", { alpha: false })
      .putImageData(new ImageData(answer.pixels, picture.width, picture.height), 0, 0);
    this.pictures ??= new Map();
    this.pictures.set(layer, picture);
    this.box.querySelector(`[data-layer="${layer}"] .take canvas`)?.replaceWith(picture);
    this.box.dataset.pictures = String(Number(this.box.dataset.pictures || 0) + 1);
  }
}
