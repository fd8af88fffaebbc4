// The painter's own strokes on the brush bench: painted live like a canvas, and again whenever the brush changes.
import { Hand } from "./hand.js";
import { PaintLink } from "./paint_link.js";
import { Picture } from "./picture.js";

const WIDTH = 780;
const HEIGHT = 120;

export class Strip {
  // told(): colours in hand; size(): of the mark, px of the hand; penSeen(): a pen was used.
  constructor(box, { told, size, refused, penSeen }) {
    this.box = box;
    this.factor = 1;
    const facts = { width: WIDTH, height: HEIGHT, joined: false, places: [[0, 0]], ground: "#f7f7f7", repeat: "straight", moved: 0 };
    this.picture = new Picture(box, facts, () => {});
    this.stay();
    const token = Array.from(crypto.getRandomValues(new Uint8Array(12)), (octet) => octet.toString(16).padStart(2, "0")).join("");
    this.link = new PaintLink(0, this.picture, {
      state: (news) => { document.getElementById("strip-undo").disabled = !news.can_undo; box.dataset.strokes = news.strokes; },
      committed: () => {}, refused, kept: () => {}, resumed: () => { if (this.last) this.link.edit(this.last); },
    }, `/live/strip/${token}/`);
    box.addEventListener("wheel", (event) => { event.preventDefault(); event.stopImmediatePropagation(); }, { capture: true, passive: false });
    box.addEventListener("pointerdown", (event) => { if (event.pointerType === "pen") penSeen(); }, { capture: true });
    const begun = (pointer) => ({ brush: 1, ...told(), mode: "paint", pointer });
    this.hand = new Hand(this.link, this.picture, { told: begun, size });
    for (const end of ["pointerup", "pointercancel"]) box.addEventListener(end, () => { const { waiting } = this; this.waiting = null; if (waiting) this.show(...waiting); });
    document.getElementById("strip-undo").addEventListener("click", () => this.link.undo());
    document.getElementById("strip-clear").addEventListener("click", () => this.link.edit({ what: "clear" }));
  }

  // The strip is shown whole and stays where it is.
  stay() {
    const { picture } = this;
    picture.follow = false;
    Object.assign(picture, { zoom: 1 / this.factor, left: 0, top: 0 });
    picture.fit = () => {};
    picture.look();
  }

  show(definition, factor, ground, colours) {
    // What is under way is painted with the brush it was begun with.
    if (this.hand.stroke) { this.waiting = [definition, factor, ground, colours]; return; }
    this.last = { what: "brush", definition, factor, ground, colour: colours[0], second_colour: colours[1] };
    if (!this.link.edit(this.last)) return;
    if (factor === this.factor) return;
    this.factor = factor;
    Object.assign(this.picture.facts, { width: WIDTH * factor, height: HEIGHT * factor });
    this.picture.region = null;
    this.stay();
  }
}
