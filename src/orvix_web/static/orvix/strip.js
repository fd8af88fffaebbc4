// The painter's own strokes on the brush bench: painted live like a canvas, and again whenever the brush changes.
import { Hand } from "./hand.js";
import { PaintLink } from "./paint_link.js";
import { Picture } from "./picture.js";

const WIDTH = 780;
const HEIGHT = 120;
const KEY = "orvix-scribbles";
const MOST_KEPT = 24;
const MOST_OCTETS = 600_000;

export class Strip {
  // told(): colours in hand; size(): of the mark, px of the hand; penSeen(): a pen was used; height: px of the hand;
  // keeps: strokes are still there when the page is opened again, on any brush's bench.
  constructor(box, { told, size, refused, penSeen, height = HEIGHT, keeps = true }) {
    this.box = box;
    this.height = height;
    this.keeps = keeps;
    this.scribbles = keeps ? JSON.parse(localStorage.getItem(KEY) || "[]") : [];
    this.factor = 1;
    const facts = {
      width: WIDTH,
      height,
      joined: false,
      places: [[0, 0]],
      ground: "#f7f7f7",
      repeat: "straight",
      moved: 0,
    };
    this.picture = new Picture(box, facts, () => {});
    this.stay();
    const token = Array.from(crypto.getRandomValues(new Uint8Array(12)), (octet) =>
      octet.toString(16).padStart(2, "0"),
    ).join("");
    this.link = new PaintLink(
      0,
      this.picture,
      {
        state: (news) => {
          document.getElementById("strip-undo").disabled = !news.can_undo;
          box.dataset.strokes = news.strokes;
        },
        committed: () => {},
        refused,
        kept: () => {},
        resumed: () => this.again(),
      },
      { path: `/live/strip/${token}/`, stores: false },
    );
    box.addEventListener(
      "wheel",
      (event) => {
        event.preventDefault();
        event.stopImmediatePropagation();
      },
      { capture: true, passive: false },
    );
    box.addEventListener(
      "pointerdown",
      (event) => {
        if (event.pointerType === "pen") penSeen();
      },
      { capture: true },
    );
    const begun = (pointer) => ({ brush: 1, ...told(), mode: "paint", pointer });
    this.hand = new Hand(this.link, this.picture, { told: begun, size });
    for (const end of ["pointerup", "pointercancel"]) {
      box.addEventListener(end, () => {
        const { waiting } = this;
        this.waiting = null;
        this.keep(this.going);
        this.going = null;
        if (waiting) this.show(...waiting);
      });
    }
    box.addEventListener("pointerdown", () => {
      this.going = this.hand.stroke;
    });
    document.getElementById("strip-undo").addEventListener("click", () => {
      this.link.undo();
      this.scribbles.pop();
      this.store();
    });
    document.getElementById("strip-clear").addEventListener("click", () => {
      this.link.edit({ what: "clear" });
      this.scribbles = [];
      this.store();
    });
  }

  // A stroke as the hand made it, in px of the hand.
  keep(stroke) {
    if (!stroke) return;
    const { pointer, mouse, fixed, seed } = stroke.told;
    const samples = stroke.samples.map(([t, x, y, ...rest]) =>
      [t, x / this.factor, y / this.factor, ...rest].map((one) => Number(Math.fround(one).toPrecision(9))),
    );
    this.scribbles.push({ told: { pointer, mouse, fixed, seed }, samples });
    if (this.scribbles.length > MOST_KEPT) this.scribbles.shift();
    this.store();
  }

  store() {
    if (!this.keeps) return;
    while (JSON.stringify(this.scribbles).length > MOST_OCTETS) this.scribbles.shift();
    localStorage.setItem(KEY, JSON.stringify(this.scribbles));
  }

  // A connection, the first or a later one: the server's strip is empty.
  again() {
    this.sized = false;
    if (this.scribbles.length) this.link.edit({ what: "strokes", strokes: this.scribbles });
    if (this.shown) this.show(...this.shown);
  }

  // The strip is shown whole and stays where it is.
  stay() {
    const { picture } = this;
    picture.follow = false;
    Object.assign(picture, { zoom: 1 / this.factor, left: 0, top: 0 });
    picture.fit = () => {};
    picture.look();
  }

  // pen: a response that the pressures are taken through, if not that of the painter's own pen.
  show(definition, factor, ground, colours, pen = null) {
    // What is under way is painted with the brush it was begun with.
    if (this.hand.stroke) {
      this.waiting = [definition, factor, ground, colours, pen];
      return;
    }
    this.shown = [definition, factor, ground, colours, pen];
    const told = {
      what: "brush",
      definition,
      factor,
      height: this.height,
      ground,
      colour: colours[0],
      second_colour: colours[1],
      ...(pen && { pen }),
    };
    if (!this.link.edit(told)) return;
    if (factor === this.factor && this.sized) return;
    this.factor = factor;
    this.sized = true;
    Object.assign(this.picture.facts, { width: WIDTH * factor, height: this.height * factor });
    this.picture.region = null;
    this.stay();
  }
}
