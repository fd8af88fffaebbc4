// The drawing bench: a tile drawn on its cloth. Shows pixels the core painted, gathers what the hand does, asks for readings.
import { Again } from "./again.js";
import { Cloth } from "./cloth.js";
import { fitLine } from "./fits.js";
import { Guides } from "./guides.js";
import { Hand } from "./hand.js";
import { InUse } from "./in_use.js";
import { Keys, chooseMode } from "./keys.js";
import { LayerList } from "./layer_list.js";
import { BenchLink } from "./bench_link.js";
import { count, post, refuse } from "./page.js";
import { PaintLink } from "./paint_link.js";
import { Picture } from "./picture.js";
import { Publishing } from "./publish.js";
import { Readings } from "./readings.js";
import { Sizing } from "./sizing.js";
import { Tray } from "./tray.js";
import { checked, setUpValues, valueOf } from "./values.js";

const QUICK_AFTER_MS = 60;
const FULL_AFTER_MS = 900;
const id = (name) => document.getElementById(name);

class DrawBench {
  // Given by Alpine: the element that the page's part is on.
  $root = /** @type {any} */ (null);
  // The cloth of another version beside this one, once it was asked for.
  other = null;

  zoomText = "";

  init() {
    setUpValues();
    const told = this.$root.dataset;
    this.facts = {
      width: Number(told.width),
      height: Number(told.height),
      joined: true,
      cloth: true,
      ghost: 1,
      repeat: told.repeat,
      moved: Number(told.moved),
      places: JSON.parse(told.places),
      ground: told.ground,
    };
    this.canvas = Number(told.canvas);
    this.asking = new BenchLink();
    this.picture = new Picture(id("picture"), this.facts, (picture) => {
      this.zoomText = `${Math.round(picture.zoom * picture.ratio * 100)} %`;
      this.hand?.moveRing();
      this.again?.follow();
    });
    this.guides = new Guides(this.picture, told.keep, () => this.hand.moveRing());
    this.picture.marks = (picture, live) => this.marks(live);
    this.link = new PaintLink(this.canvas, this.picture, {
      state: (news) => this.state(news),
      committed: (news) => this.committed(news),
      refused: (message) => {
        refuse(message);
        this.layers.back();
      },
      resumed: () => this.layers?.back(),
      kept: (words) => {
        id("kept").textContent = words;
      },
    });
    this.layers = new LayerList(id("layers"), this.link, this.asking, this.canvas);
    this.tray = new Tray(this.$root, () => {
      this.hand?.moveRing();
      this.askFit();
    });
    this.hand = new Hand(this.link, this.picture, {
      told: (pointer, hovers) => this.told(pointer, hovers),
      size: () => this.tray.size,
      place: (x, y) => this.guides.snapped(x, y),
      straight: () => id("straight").checked,
      line: (from, to) => this.run(from, to),
      other: (_event, x, y) => this.instead(x, y),
    });
    this.sizing = new Sizing({ tray: this.tray, box: id("picture"), moved: () => this.hand.moveRing() });
    document.addEventListener("value", () => this.hand.moveRing());
    document.addEventListener("bad-value", (event) => refuse(event.detail.rule));
    document.addEventListener("click", (event) => this.pressed(event.target));
    this.publishing = new Publishing({
      ready: () => this.stored(),
      splitHref: told.split,
      published: () => {
        id("publish").disabled = true;
      },
      dropped: () => this.takeUp(this.publishedState()),
      split: (answer) => this.leave(answer),
    });
    id("publish").disabled = id("draft-words").dataset.changed === "no";
    this.again = new Again({
      canvas: this.canvas,
      picture: this.picture,
      asking: this.asking,
      edit: (asked) => {
        if (!this.hand.stroke) this.link.edit(asked);
      },
    });
    this.inUse = new InUse(told.inUse, { tray: this.tray, picture: this.picture, layers: this.layers });
    this.layers.chosen = this.inUse.layer || this.layers.chosen;
    this.keys();
    this.readings = new Readings({
      link: this.asking,
      band: id("band"),
      question: () => ({ what: "drawing-readings", canvas: this.canvas }),
      busy: () => Boolean(this.hand.stroke),
      shown: () => {
        const marks = Boolean(this.readings.gauge);
        if (marks || this.marked) this.picture.draw();
        this.marked = marks;
      },
      quickAfter: QUICK_AFTER_MS,
      fullAfter: FULL_AFTER_MS,
    });
    this.changed();
    window.orvixDraw = this;
  }

  told(pointer, hovers) {
    if (!this.tray.brush) {
      if (!hovers) refuse("No brush is selected. Choose one below, or create one on the Brushes page.");
      return null;
    }
    const told = this.tray.told(pointer, checked("mode"));
    return {
      ...told,
      layer: this.layers.chosen,
      steady: valueOf("steady"),
      trail: valueOf("trail"),
      greys: this.guides.settings.greys,
    };
  }

  // News from the core.
  state(news) {
    id("undo").disabled = !news.can_undo;
    id("redo").disabled = !news.can_redo;
    this.half = news.history.half;
    this.guides.former = this.half;
    document
      .querySelectorAll("[data-half]")
      .forEach((button) =>
        button.setAttribute(
          "aria-pressed",
          String(button.dataset.half === "both" ? this.half.across && this.half.down : this.half[button.dataset.half]),
        ),
      );
    this.layers.show(news);
    this.sizes(news.history.sizes);
    if (JSON.stringify(news.layers) !== this.stack) {
      this.stack = JSON.stringify(news.layers);
      this.picture.draw();
    }
  }

  committed(news) {
    if (news.what === "state") {
      window.htmx.ajax("GET", this.$root.dataset.states, { target: "#states", swap: "outerHTML" });
      return;
    }
    this.layers.refresh();
    this.askFit();
    id("draft-words").dataset.changed = "yes";
    id("draft-words").textContent = `Changed since v${id("draft-words").dataset.version}`;
    id("publish").disabled = false;
    this.changed();
    this.awaiting?.();
  }

  // Whether the grains painted with here, and that of the brush in use, fit this tile: said before the first stroke.
  async askFit() {
    const brush = this.tray?.brush ?? Number(this.$root.dataset.chosen);
    const answer = await this.asking.ask("fits", { what: "canvas-fits", canvas: this.canvas, brush });
    if (!answer?.facts.fits) return;
    const worst = answer.facts.fits.find((one) => !one.closes);
    id("fit").classList.toggle("hidden", !worst);
    if (worst) {
      id("fit").replaceChildren(fitLine(answer.facts.fits, brush, (fit, scale) => this.takeScale(fit, scale)));
    }
  }

  // The brush's next version, its grain at a scale that fits; what was painted with it before can be repainted.
  async takeScale(fit, scale) {
    const told = await post("/brushes/fit/", { version: fit.brush_version, coat: fit.coat, scale });
    if (told.refused) {
      refuse(told.refused);
      return;
    }
    this.tray.renew(fit.brush_version, told);
    this.again.soon();
  }

  // Everything painted so far stands in the log.
  async stored() {
    while (this.link.unsaved.size || this.hand.stroke) await new Promise((resolve) => setTimeout(resolve, 30));
  }

  sizes(used) {
    const chips = used.map(([brush, size, times]) => {
      const button = document.createElement("button");
      const of = document.querySelector(`[data-brush="${brush}"]`);
      Object.assign(button, {
        type: "button",
        className: "chip",
        textContent: `${Number(size.toFixed(1))} px`,
        title: `${of ? of.title : "An older brush version"}, ${times} ${times === 1 ? "stroke" : "strokes"}`,
      });
      button.dataset.takeSize = size;
      button.dataset.with = brush;
      return button;
    });
    if (chips.length) id("sizes").replaceChildren(...chips);
  }

  changed() {
    this.readings.clear();
    this.readings.soon();
  }

  // What lies over the cloth: guides always, the overlay of a pressed gauge while no stroke is under way.
  marks(live) {
    this.guides?.draw();
    if (live || !this.readings?.gauge || !this.readings.now || this.hand?.stroke) return;
    const { picture } = this;
    const { context } = picture;
    const { w, h } = picture.whole;
    const scale = picture.zoom * picture.ratio;
    const { x: fx, y: fy } = this.guides.frame;
    const copies = picture.wholes().map(([x, y]) => [x, y]);
    const at = (x, y) => [Math.round((x + fx - picture.left) * scale), Math.round((y + fy - picture.top) * scale)];
    const { overlay, seam } = this.readings;
    if (overlay) overlay({ context, zoom: scale, copies, at, size: [w, h] });
    if (seam) {
      for (const [x, y] of copies) {
        Cloth.prototype.drawSeam.call({ context, seam }, at(x, y), at(x + w, y + h));
      }
    }
  }

  run(from, to) {
    const line = id("run").querySelector("line");
    id("run").classList.toggle("shown", Boolean(from));
    if (!from) return;
    const ends = [from, to].map(([x, y]) => this.guides.snappedOnScreen(x, y));
    line.setAttribute("x1", ends[0][0]);
    line.setAttribute("y1", ends[0][1]);
    line.setAttribute("x2", ends[1][0]);
    line.setAttribute("y2", ends[1][1]);
  }

  // Presses.
  pressed(target) {
    const { half, takeUp, beside, takeSize } = target.dataset;
    if (half) this.halfMove(half);
    else if (target.id === "corners") this.corners();
    else if (target.closest("#keep-state")) this.keepState();
    else if (takeUp) this.takeUp(Number(takeUp));
    else if (beside) this.showBeside(Number(beside));
    else if (takeSize) this.takeSize(Number(takeSize), Number(target.dataset.with));
    else if (target.closest("#undo")) this.undo();
    else if (target.closest("#redo")) this.redo();
  }

  halfMove(axis) {
    if (this.hand.stroke) return;
    const axes = axis === "both" ? ["across", "down"] : [axis];
    this.link.edit({ what: "half-move", axis, back: axes.every((one) => this.half[one]) });
  }

  corners() {
    if (this.hand.stroke) return;
    const layer = this.layers.next;
    this.layers.choose(layer);
    this.link.edit({ what: "corners", layer, back: this.half.across && this.half.down });
  }

  keepState() {
    if (!this.hand.stroke) this.link.edit({ what: "keep-state" });
  }
  takeUp(state) {
    if (!this.hand.stroke && state) this.link.edit({ what: "take-up", state });
  }
  publishedState() {
    return Number(id("states").dataset.published);
  }

  takeSize(size, brush) {
    const button = document.querySelector(`[data-brush="${brush}"]`);
    if (button) this.tray.choose(button, size);
    else this.tray.resize(size);
    this.hand.moveRing();
  }

  // After a split this drawing goes back to what it was published as, and the new one is opened.
  async leave({ href, state }) {
    const before = id("picture").dataset.committed;
    const moved = new Promise((resolve) => {
      this.awaiting = resolve;
      setTimeout(resolve, 3000);
    });
    this.takeUp(state);
    if (id("draft-words").dataset.changed === "yes" && before === id("picture").dataset.committed) {
      await moved;
    }
    location.assign(href);
  }

  async showBeside(number) {
    const box = id("beside");
    const again = this.besideNumber === number;
    this.besideNumber = again ? null : number;
    box.classList.toggle("hidden", again);
    if (again) return;
    this.other ??= new Cloth(box);
    const answer = await this.asking.ask("beside", {
      what: "kept-state",
      canvas: this.canvas,
      state: number,
      level: this.picture.level,
    });
    if (!answer || answer.facts.refused) return;
    this.other.resize();
    this.other.put(answer.facts, answer.pixels);
    count(box, "shown");
  }

  keys() {
    const { tray, sizing } = this;
    this.keyboard = new Keys(
      {
        ...Object.fromEntries(["paint", "erase", "smear", "soften"].map((mode) => [mode, () => chooseMode(mode)])),
        "pick-colour": () => this.picksNext(true),
        grow: () => tray.resize(tray.size * 1.1 + 0.1),
        shrink: () => tray.resize(tray.size / 1.1),
        denser: () => sizing.fainter(0.1),
        thinner: () => sizing.fainter(-0.1),
        "swap-colours": () => tray.swap(),
        brushes: () => tray.focus(),
        nth: (n) => tray.nth(n),
        fit: () => this.whole(),
        real: () => this.real(),
        nearer: () => this.zoom(1.25),
        further: () => this.zoom(0.8),
        "next-stamp": () => this.hand.stamp.toggle(),
        "layer-back": () => this.layers.step(-1),
        "layer-forward": () => this.layers.step(1),
        undo: () => this.undo(),
        redo: () => this.redo(),
        close: () => {
          this.picksNext(false);
          this.hand.drop();
        },
      },
      { held: { grow: {}, denser: {} }, after: () => this.hand.moveRing(), leave: () => id("picture").focus() },
    );
  }

  // What a press does instead of painting.
  instead(x, y) {
    const sizes = this.keyboard.holds("grow") ? "size" : this.keyboard.holds("denser") ? "opacity" : "";
    if (sizes) return this.sizing.begin(x, y, sizes);
    if (!this.picking) return null;
    return {
      end: (px, py) => {
        this.picksNext(false);
        this.tray.pick(this.picture.colourAt(...this.hand.home(px, py)), "picked");
      },
      drop: () => this.picksNext(false),
    };
  }

  // The next press takes the colour that it hits.
  picksNext(on) {
    this.picking = on;
    id("picture").classList.toggle("picking", on);
  }

  undo() {
    if (!this.hand.stroke) this.link.undo();
  }
  redo() {
    if (!this.hand.stroke) this.link.redo();
  }
  zoom(by) {
    this.picture.zoomTo(this.picture.zoom * by, this.picture.width / 2, this.picture.height / 2);
  }
  whole() {
    this.picture.fit();
  }
  real() {
    this.picture.zoomTo(1 / this.picture.ratio, this.picture.width / 2, this.picture.height / 2);
  }
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("drawBench", () => new DrawBench());
});
