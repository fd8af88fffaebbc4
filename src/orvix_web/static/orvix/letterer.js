// Lettering in the canvas room: a press sets the text there on a layer of its own; of the one in hand every value is live.

const id = (name) => document.getElementById(name);
const NUMBERS = ["size", "tracking", "leading", "turn"];
const LEAST_PX = 4;

export class Letterer {
  // layers: the LayerStrip; picture; home(x, y): a place of the view in px of the canvas; colour(): the paint colour.
  constructor({ layers, picture, home, colour }) {
    this.layers = layers;
    this.picture = picture;
    this.home = home;
    this.colour = colour;
    for (const name of ["text", "font", "aligned", ...NUMBERS]) {
      const field = id(`letter-${name}`);
      field.addEventListener("input", () => this.changed(false));
      field.addEventListener("change", () => this.changed(true));
    }
    id("letter-text").addEventListener("input", () => {
      this.own = true;
    });
    id("letter-colour").addEventListener("click", () => this.changed(true, { colour: this.colour() }));
  }

  get inHand() {
    const layer = this.layers.layer();
    return layer?.lettering && this.layers.chosen === layer.id ? layer : null;
  }

  // What the bar says, over what the lettering in hand is.
  get values() {
    const [font, own] = id("letter-font").value.startsWith("own:")
      ? ["plain", Number(id("letter-font").value.slice(4))]
      : [id("letter-font").value, 0];
    const numbers = Object.fromEntries(NUMBERS.map((name) => [name, Number(id(`letter-${name}`).value)]));
    return { text: id("letter-text").value, font, own, aligned: id("letter-aligned").value, ...numbers };
  }

  changed(settled, more = {}) {
    const layer = this.inHand;
    // Typed before news of the new layer has come: it is taken over then, and kept if the field was left.
    this.typed = layer ? null : { settled };
    if (!layer || !this.values.text.trim()) return;
    const told = { what: "lettering", layer: layer.id, lettering: { ...layer.lettering, ...this.values, ...more } };
    if (settled) this.layers.done(told);
    else this.layers.try(told);
  }

  // Another lettering is in hand: the bar says what it is.
  shown() {
    const layer = this.inHand;
    const typing = id("lettering").contains(document.activeElement);
    if (layer && this.typed && layer.id === this.last) this.changed(this.typed.settled);
    if (!layer || (typing && layer.id === this.last)) return;
    this.last = layer.id;
    const { lettering } = layer;
    id("letter-text").value = lettering.text;
    id("letter-font").value = lettering.own ? `own:${lettering.own}` : lettering.font;
    id("letter-aligned").value = lettering.aligned;
    for (const name of NUMBERS) id(`letter-${name}`).value = String(Math.round(lettering[name] * 1000) / 1000);
  }

  // A press sets it there; a drag moves the one in hand.
  begin(event, x, y) {
    const { picture, layers } = this;
    const layer = this.inHand;
    const by = (px, py) => [Math.round((px - x) / picture.zoom), Math.round((py - y) / picture.zoom)];
    const moved = (px, py) => {
      const [mx, my] = by(px, py);
      return { what: "move", layers: [layer.id], x: mx, y: my };
    };
    const far = (px, py) => Math.hypot(px - x, py - y) >= LEAST_PX;
    return {
      move: (px, py) => {
        if (layer && far(px, py)) layers.try(moved(px, py));
      },
      end: (px, py) => {
        if (layer && far(px, py)) layers.done(moved(px, py));
        else this.set(this.home(x, y));
      },
      drop: () => layers.done({ what: "layers", layers: layers.stack }),
    };
  }

  set([x, y]) {
    const number = this.layers.next;
    this.layers.awaited = number;
    const place = { x: Math.round(x), y: Math.round(y) };
    this.last = number;
    this.typed = null;
    this.layers.done({
      what: "lettering",
      layer: number,
      over: this.layers.layer().id,
      lettering: { ...this.values, ...place, colour: this.colour() },
    });
    // What is typed next goes on with a text that was typed for it, and replaces one that was only there.
    const field = id("letter-text");
    field.focus({ preventScroll: true });
    if (this.own) field.setSelectionRange(field.value.length, field.value.length);
    else field.select();
    this.own = false;
  }
}
