// The canvas room: shows pixels the core painted, gathers what the hand does, and nothing else.
import { Again } from "./again.js";
import { ColourMixer } from "./colour_mixer.js";
import { fitLine } from "./fits.js";
import { Hand } from "./hand.js";
import { HistorySheet } from "./history_sheet.js";
import { InUse } from "./in_use.js";
import { Keys, chooseMode } from "./keys.js";
import { LayerEffects } from "./layer_effects.js";
import { LayerStrip } from "./layer_strip.js";
import { Letterer } from "./letterer.js";
import { CanvasSheet } from "./canvas_sheet.js";
import { Clips } from "./clips.js";
import { Filters } from "./filters.js";
import { BenchLink } from "./bench_link.js";
import { Mover } from "./mover.js";
import { note, post, refuse } from "./page.js";
import { PaintLink } from "./paint_link.js";
import { Picture } from "./picture.js";
import { Reference } from "./reference.js";
import { RoomGuides } from "./room_guides.js";
import { Selector } from "./selector.js";
import { ShapeEditor } from "./shape_editor.js";
import { StrokePicker } from "./stroke_picker.js";
import { Sizing } from "./sizing.js";
import { takeOut } from "./take_out.js";
import { Tray } from "./tray.js";
import { checked, setUpValues, valueOf } from "./values.js";

const SEAM_PX = 4_000_000;
const SEAM_AFTER_MS = 1500;

class Room {
  // Given by Alpine: the element that the page's part is on.
  $root = /** @type {any} */ (null);

  zoomText = "";
  turnText = "0°";
  flipped = false;
  cannotUndo = true;
  cannotRedo = true;

  // All is made in this order, each from what was made before it. What one tells another is connected last, before
  // anything can have come from the server.
  init() {
    setUpValues();
    const { width, height, joined, repeat, moved, places, canvas, inUse } = this.$root.dataset;
    this.facts = {
      width: Number(width),
      height: Number(height),
      joined: Boolean(joined),
      repeat,
      moved: Number(moved),
      places: JSON.parse(places),
      ground: "#b4b4b4",
    };
    this.id = Number(canvas);
    this.box = document.getElementById("picture");
    this.last = null;
    this.used = [];
    this.makePicture();
    this.makeHand();
    this.makeTools();
    this.makeSheets();
    this.connect();
    this.inUse = new InUse(inUse, {
      tray: this.tray,
      picture: this.picture,
      layers: this.layers,
      looked: () => this.viewShown(),
    });
    this.layers.chosen = this.inUse.layer || this.layers.chosen;
    this.presses();
    this.keys();
    this.modeShown();
    const notKnown = new URLSearchParams(window.location.search).get("told");
    if (notKnown) note("Opened, with changes", notKnown);
    window.orvixRoom = this;
  }

  // What is looked at, where it comes from, and its layers.
  makePicture() {
    this.picture = new Picture(this.box, this.facts, () => {});
    this.asking = new BenchLink();
    this.link = new PaintLink(this.id, this.picture, {
      state: (news) => this.stands(news),
      committed: (news) => this.committed(news),
      refused: (message, code) => this.refused(message, code),
      kept: (words) => {
        document.getElementById("kept").textContent = words;
      },
      resumed: () => {
        this.askFit();
        if (this.layers.kept) this.layers.back();
      },
    });
    this.layers = new LayerStrip(document.getElementById("layers"), {
      link: this.link,
      asking: this.asking,
      canvas: this.id,
      onChosen: null,
    });
  }

  // What is in hand, and the hand.
  makeHand() {
    this.tray = new Tray(this.$root);
    this.mixer = new ColourMixer({ tray: this.tray, asking: this.asking, canvas: this.id });
    this.hand = new Hand(this.link, this.picture, {
      told: (pointer, hovers) => this.told(pointer, hovers),
      size: () => this.tray.size,
      place: (x, y) => this.guides.snapped(x, y),
      other: (event, x, y) => this.other(event, x, y),
      straight: () => document.getElementById("lines").value,
      ribbon: () => this.tray.ribbon,
    });
    this.sizing = new Sizing({ tray: this.tray, box: this.box, moved: () => this.hand.moveRing() });
    this.home = (x, y) => this.hand.home(x, y);
    this.guides = new RoomGuides({ canvas: this.id, picture: this.picture, home: this.home });
  }

  // What the hand does instead of painting.
  makeTools() {
    const { link, picture, layers, home, facts } = this;
    this.picker = new StrokePicker({
      link,
      picture,
      hand: () => ({ brush: this.tray.brush, colour: this.colours().colour }),
      layer: () => ({ id: layers.chosen }),
      byJob: (asked, why) => this.again.byJob(`/canvases/${this.id}/rework/`, { told: JSON.stringify(asked) }, why),
    });
    this.shapes = new ShapeEditor({
      layers,
      picture,
      home,
      hand: () => ({ brush: this.tray.brush, size: this.tray.size, ...this.colours() }),
    });
    this.letterer = new Letterer({ layers, picture, home, colour: () => this.colours().colour });
    this.selector = new Selector({ link, picture, home, layers, facts, onChange: null });
    this.mover = new Mover({ link, picture, layers, selector: this.selector });
    this.clips = new Clips({ link, layers, picture, facts });
    this.clips.takesDropped(document.getElementById("layer-file"));
    this.filters = new Filters({ layers, selected: () => Boolean(this.selector.box) });
    this.effects = new LayerEffects({ layers });
    this.reference = new Reference({
      pick: (colour, why) => {
        if (why) {
          refuse(why);
          return;
        }
        this.tray.pick(colour, "picked");
        this.mixer.look(colour);
      },
    });
  }

  // What opens beside the picture.
  makeSheets() {
    const { link, layers, picture } = this;
    this.again = new Again({
      canvas: this.id,
      picture,
      asking: this.asking,
      edit: (asked) => {
        if (!this.hand.stroke) link.edit(asked);
      },
    });
    this.canvasSheet = new CanvasSheet({
      link,
      layers,
      selector: this.selector,
      facts: this.facts,
      brush: () => this.tray.brush,
      take: (fit, scale, turn) => this.takeScale(fit, scale, turn),
    });
    this.past = new HistorySheet({
      link,
      canvas: this.id,
      byJob: (href, why) => this.again.byJob(href, {}, why),
    });
    takeOut(document.getElementById("export-more"), () => [...layers.picked]);
  }

  connect() {
    this.picture.onView = () => this.viewed();
    this.layers.onChosen = () => this.layerChosen();
    this.tray.onChange = () => this.brushTaken();
    this.selector.onChange = () => this.mover.shown();
    this.viewed();
    this.brushTaken();
  }

  colours() {
    return {
      colour: document.getElementById("colour").value,
      second: document.getElementById("second-colour").value,
    };
  }

  // The view has moved, or is another one.
  viewed() {
    const { picture } = this;
    this.zoomText = `${Math.round(picture.zoom * picture.ratio * 100)} %`;
    this.hand.moveRing();
    this.again.follow();
    for (const one of [this.picker, this.shapes, this.selector, this.mover, this.guides]) one.place();
  }

  layerChosen() {
    this.hand.moveRing();
    this.lastStroke(this.last);
    for (const one of [this.shapes, this.mover, this.letterer, this.effects]) one.shown();
  }

  brushTaken() {
    this.hand.moveRing();
    this.askFit();
    this.sizing.list(this.used);
  }

  // News from the server: how the canvas stands, what was stored, what was refused.
  stands(news) {
    this.cannotUndo = !news.can_undo;
    this.cannotRedo = !news.can_redo;
    this.layers.show(news);
    this.selector.take(news.selected);
    this.canvasSheet.news(news.sheet);
    this.hand.stands(news.history.last);
    this.chainShown();
    this.lastStroke(news.history.last);
    this.used = news.history.sizes;
    this.sizing.list(this.used);
  }

  committed(news) {
    if (news.what === "stroke") this.hand.ran(news.number);
    this.askFit();
    this.layers.refresh();
    this.mover.shown();
    this.past.refresh();
    if (news.what === "rework" || news.what === "undo" || news.what === "redo") this.picker.refresh();
  }

  refused(message, code) {
    if (code === "long") this.picker.long(message);
    else refuse(message);
    if (this.layers.kept) this.layers.back();
  }

  presses() {
    document
      .getElementById("last-here")
      .addEventListener("click", () => this.picker.rework({ strokes: [this.last[0]], layer: this.layers.chosen }));
    document.getElementById("layer-strokes").addEventListener("click", () => {
      document.querySelector("input[name=mode][value=pick]").checked = true;
      this.picker.pickLayer(this.layers.chosen);
    });
    document.querySelectorAll("[data-clip]").forEach((one) =>
      one.addEventListener("click", () =>
        ({
          copy: () => this.clips.copy(),
          cut: () => this.clips.copy({ cut: true }),
          clear: () => this.clips.clear(),
          paste: () => this.clips.pasted(null),
        })[one.dataset.clip](),
      ),
    );
    document
      .querySelectorAll("[data-open-filter]")
      .forEach((one) => one.addEventListener("click", () => this.filters.open(true)));
    document.addEventListener("value", () => this.hand.moveRing());
    document.addEventListener("bad-value", (event) => refuse(event.detail.rule));
    document
      .querySelectorAll("input[name=mode]")
      .forEach((one) => one.addEventListener("change", () => this.modeShown()));
  }

  told(pointer, hovers) {
    if (!this.tray.brush) {
      if (!hovers) refuse("No brush is selected. Choose one below, or create one on the Brushes page.");
      return null;
    }
    const mode = checked("mode");
    if (hovers && ["move", "pick", "fill", "shape", "select", "letters"].includes(mode)) return null;
    if (!hovers) this.mixer.used(document.getElementById("colour").value);
    return {
      ...this.tray.told(pointer, mode),
      ...this.guides.told,
      layer: this.layers.chosen,
      steady: valueOf("steady"),
      trail: valueOf("trail"),
    };
  }

  modeShown() {
    this.shapes.shown();
    for (const [bar, mode] of [
      ["shaping", "shape"],
      ["filling", "fill"],
      ["selecting", "select"],
      ["moving", "move"],
      ["lettering", "letters"],
    ]) {
      document.getElementById(bar).classList.toggle("hidden", checked("mode") !== mode);
    }
    this.mover.shown();
  }

  // What the hand does instead of painting.
  other(event, x, y) {
    const dragged = this.guides.begin(event);
    if (dragged) return dragged;
    if (this.keyboard.holds("turn")) return this.turning(event);
    const sizes = this.keyboard.holds("grow") ? "size" : this.keyboard.holds("denser") ? "opacity" : "";
    const painting = ["paint", "erase", "smear", "soften"].includes(checked("mode"));
    if (painting && (sizes || event.ctrlKey || event.metaKey)) return this.sizing.begin(x, y, sizes);
    if (this.picking || (event.altKey && checked("mode") !== "move")) {
      return {
        end: (...at) => {
          this.picksNext(false);
          this.pickColour(...at);
        },
        drop: () => this.picksNext(false),
      };
    }
    const acts = {
      shape: () => this.shapes.begin(event, x, y),
      fill: () => this.filling(x, y),
      move: () => this.mover.begin(event, x, y),
      select: () => this.selector.begin(event, x, y),
      letters: () => this.letterer.begin(event, x, y),
      pick: () => ({ end: (px, py, let_go) => this.picker.pick(this.hand.home(px, py), let_go.shiftKey) }),
    };
    return acts[checked("mode")]?.() ?? null;
  }

  // The last stroke lies on another layer than the one in hand: it can be brought here.
  lastStroke(last) {
    this.last = last;
    const { chosen, stack } = this.layers;
    const from = stack.find((one) => last && last[1] === one.id && one.id !== chosen);
    document.getElementById("last-here").classList.toggle("hidden", !from);
    if (from) {
      document.getElementById("last-here").title = `Moves the last stroke from ${from.name} to the current layer.`;
    }
  }

  // A press fills an area, a drag lays a gradient.
  filling(x, y) {
    const { picture } = this;
    const layer = this.layers.chosen;
    const [from, colours] = [
      this.hand.home(x, y),
      ["colour", "second-colour"].map((name) => document.getElementById(name).value),
    ];
    const far = (px, py) => Math.hypot(px - x, py - y) > 6;
    const done = (told) => {
      this.line();
      this.mixer.used(colours[0]);
      this.link.edit(told);
    };
    const pour = () => {
      const at = from.map((one, axis) =>
        Math.min(Math.max(Math.floor(one), 0), [this.facts.width, this.facts.height][axis] - 1),
      );
      const tile = document.getElementById("fill-with").value;
      done({
        what: "pour",
        layer,
        x: at[0],
        y: at[1],
        tolerance: valueOf("fill.tolerance"),
        grow: Number(document.getElementById("fill-grow").value),
        all: document.getElementById("fill-all").checked,
        ...(tile ? { fill: { tile: Number(tile) } } : { colour: colours[0] }),
      });
    };
    const lay = (px, py) => {
      const end = from.map((one, axis) => one + ([px, py][axis] - [x, y][axis]) / picture.zoom);
      done({
        what: "gradient",
        layer,
        start: from,
        end,
        colours,
        shape: document.getElementById("fill-shape").value,
      });
    };
    return {
      move: (px, py) =>
        this.line(
          ...(far(px, py)
            ? [
                [x, y],
                [px, py],
              ]
            : []),
        ),
      end: (px, py) => (far(px, py) ? lay(px, py) : pour()),
      drop: () => this.line(),
    };
  }

  // Whether the next straight run goes on from the last one, and how that ends.
  chainShown() {
    const goes = Boolean(this.hand.lastEnd) && document.getElementById("lines").value === "on";
    document.getElementById("chain-words").classList.toggle("hidden", !goes);
  }

  // A line over the picture while something is dragged.
  line(from, to) {
    const line = document.getElementById("run").querySelector("line");
    document.getElementById("run").classList.toggle("shown", Boolean(from));
    if (!from) return;
    [
      ["x1", from[0]],
      ["y1", from[1]],
      ["x2", to[0]],
      ["y2", to[1]],
    ].forEach(([name, value]) => line.setAttribute(name, value));
  }

  // The colour that is seen at a place.
  pickColour(x, y) {
    this.tray.pick(this.picture.colourAt(...this.hand.home(x, y)), "picked");
    this.mixer.look(document.getElementById("colour").value);
  }

  async askFit() {
    const answer = await this.asking.ask("fits", {
      what: "canvas-fits",
      canvas: this.id,
      brush: this.tray.brush ?? 0,
    });
    if (answer?.facts.fits) this.canvasSheet.fits(answer.facts.fits);
    this.askSeam();
    if (answer && !answer.facts.refused) {
      document
        .getElementById("fit")
        .replaceChildren(fitLine(answer.facts.fits, this.tray.brush, (fit, scale) => this.takeScale(fit, scale)));
    }
  }

  // Whether the picture closes, read once the hand rests; of a large one when it is asked for.
  askSeam(asked = false) {
    clearTimeout(this.seamLater);
    if (!this.facts.joined) return;
    const box = document.getElementById("seam");
    const press = Object.assign(document.createElement("button"), {
      type: "button",
      className: "plain",
      textContent: "Check seam",
    });
    press.addEventListener("click", () => this.askSeam(true));
    if (!asked && this.facts.width * this.facts.height > SEAM_PX) {
      box.replaceChildren(press);
      return;
    }
    this.seamLater = setTimeout(
      async () => {
        if (this.hand.stroke) {
          this.askSeam(asked);
          return;
        }
        const answer = await this.asking.ask("seam", { what: "canvas-readings", canvas: this.id });
        const seam = answer?.facts.seam;
        if (!seam) return;
        const words = document.createElement("b");
        words.className = seam.verdict === "seamless" ? "" : "warm";
        words.textContent = `${seam.value.toFixed(2)} ${seam.verdict}`;
        box.replaceChildren("Seam ", words);
        box.title = seam.by_construction
          ? "Every mark wraps and every grain fits, so the canvas is always seamless."
          : "Measured across the borders. Around 1 means no visible seam.";
        box.dataset.verdict = seam.verdict;
      },
      asked ? 0 : SEAM_AFTER_MS,
    );
  }

  // The brush in hand, with its grain at a scale that closes here: its next version, taken in hand.
  async takeScale(fit, scale, turn) {
    const laid = { scale, ...(turn === undefined ? {} : { turn }) };
    if (fit.layer) {
      this.layers.ask(
        this.layers.stack.map((one) => (one.id === fit.layer ? { ...one, fill: { ...one.fill, ...laid } } : one)),
      );
      return;
    }
    const told = await post("/brushes/fit/", { version: fit.brush_version, coat: fit.coat, ...laid });
    if (told.refused) refuse(told.refused);
    else {
      this.tray.renew(fit.brush_version, told);
      this.again.soon();
    }
  }

  keys() {
    const hidden = (sheet) => document.getElementById(sheet).classList.contains("hidden");
    const { tray, sizing, selector } = this;
    this.keyboard = new Keys(
      {
        ...Object.fromEntries(
          Object.entries({
            paint: "paint",
            erase: "erase",
            smear: "smear",
            soften: "soften",
            fill: "fill",
            shape: "shape",
            text: "letters",
            select: "select",
            move: "move",
            strokes: "pick",
          }).map(([name, mode]) => [name, () => chooseMode(mode)]),
        ),
        "pick-colour": () => this.picksNext(true),
        grow: () => tray.resize(tray.size * 1.1 + 0.1),
        shrink: () => tray.resize(tray.size / 1.1),
        denser: () => sizing.fainter(0.1),
        thinner: () => sizing.fainter(-0.1),
        "swap-colours": () => this.mixer.swap(),
        brushes: () => tray.focus(),
        nth: (n) => tray.nth(n),
        fit: () => this.zoomFit(),
        real: () => this.zoomReal(),
        nearer: () => this.zoomIn(),
        further: () => this.zoomOut(),
        turn: () => this.turnView(15),
        upright: () => this.lookFrom(0, false),
        "next-stamp": () => this.hand.stamp.toggle(),
        "layer-settings": () => this.layers.open(hidden("layer-sheet")),
        "layer-back": () => this.layers.step(-1),
        "layer-forward": () => this.layers.step(1),
        "select-all": () => selector.acts("all"),
        deselect: () => selector.acts("none"),
        invert: () => selector.acts("invert"),
        copy: () => this.clips.copy(),
        cut: () => this.clips.copy({ cut: true }),
        delete: () => this.remove(),
        undo: () => this.undo(),
        redo: () => this.redo(),
        close: () => this.close(),
      },
      {
        held: { grow: {}, denser: {}, turn: {} },
        ready: () => this.layers.stack.length > 0, // before it is opened there is nothing that a key could change
        after: () => this.hand.moveRing(),
        leave: () => this.box.focus({ preventScroll: true }),
      },
    );
  }

  // Escape: what is under way is dropped, else what is open closes.
  close() {
    if (this.hand.stroke || this.hand.doing || this.hand.run) this.hand.drop();
    else if (this.picking) this.picksNext(false);
    else if (this.hand.endChain()) this.chainShown();
    else if (this.picker.strokes.length) this.picker.take([]);
    else {
      this.layers.open(false);
      this.mixer.open(false);
      this.canvasSheet.open(false);
      this.filters.open(false);
      this.past.open(false);
    }
  }

  // The next press takes the colour that it hits.
  /** @param {boolean} on */
  picksNext(on) {
    this.picking = on;
    this.box.classList.toggle("picking", on);
  }

  // What Delete takes away: the current point of a shape, else what is selected of the layers.
  remove() {
    if (this.shapes.deletePoint()) return;
    const layer = this.layers.layer();
    if (layer.shape || layer.lettering) {
      refuse(
        `${layer.name} holds no paint. ${layer.shape ? "Click one of its points to delete that, or delete" : "Change its text, or delete"} its layer.`,
      );
      return;
    }
    this.clips.clear();
  }

  replay() {
    this.hand.replay(document.getElementById("recording").value);
  }
  undo() {
    if (!this.hand.stroke) this.link.undo();
  }
  redo() {
    if (!this.hand.stroke) this.link.redo();
  }
  zoomIn() {
    this.picture.zoomTo(this.picture.zoom * 1.25, this.picture.width / 2, this.picture.height / 2);
  }
  zoomOut() {
    this.picture.zoomTo(this.picture.zoom / 1.25, this.picture.width / 2, this.picture.height / 2);
  }
  zoomReal() {
    this.picture.zoomTo(1 / this.picture.ratio, this.picture.width / 2, this.picture.height / 2);
  }
  zoomFit() {
    this.picture.fit();
  }
  turnView(by) {
    this.lookFrom(by ? this.picture.turn + by : 0, this.picture.flipped);
  }
  // A drag about the middle of the view rotates it.
  turning(event) {
    const { picture } = this;
    const from = picture.turn;
    const { left, top, width, height } = this.box.getBoundingClientRect();
    const angle = ({ clientX, clientY }) =>
      (Math.atan2(clientY - top - height / 2, clientX - left - width / 2) * 180) / Math.PI;
    const first = angle(event);
    return {
      move: (_x, _y, moved) => this.lookFrom(Math.round(from + angle(moved) - first), picture.flipped),
      end: () => {},
      drop: () => this.lookFrom(from, picture.flipped),
    };
  }
  flipView() {
    this.lookFrom(this.picture.turn, !this.picture.flipped);
  }
  lookFrom(turn, flipped) {
    if (this.hand.stroke) return;
    this.picture.lookFrom(turn, flipped);
    this.viewShown();
  }
  viewShown() {
    this.turnText = `${this.picture.turn > 180 ? this.picture.turn - 360 : this.picture.turn}°`;
    this.flipped = this.picture.flipped;
  }
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("room", () => new Room());
});
