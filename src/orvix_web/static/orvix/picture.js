// The picture of a canvas room: a bitmap of what is looked at, at one level, and how it is shown. It copies and scales.
import { works } from "./work.js";
import { basisOf, homeOf, lattice } from "./lattice.js";

const WHOLE_PX = 6_000_000;
const MOST_PX = 4096 * 4096;
const MOST_LIVE_COPIES = 24;
const REDRAW_MS = 120;

// What is looked at: zoom in screen px a canvas px, and the canvas px at the view's upper left.
export class Picture {
  constructor(box, facts, onView) {
    this.box = box;
    this.facts = facts;
    this.onView = onView;
    this.screen = document.createElement("canvas");
    this.context = this.screen.getContext("2d", { alpha: false });
    // What is turned and flipped with the view, where the page has it: the picture and all that lies over it.
    this.stage = box.querySelector(".turned") ?? box;
    this.stage.prepend(this.screen);
    this.turn = 0;
    this.flipped = false;
    this.region = null;
    // Called when another box or level is looked at; and what is drawn over a cloth.
    this.onRegion = null;
    this.marks = null;
    this.width = 0;
    this.height = 0;
    this.follow = true;
    this.zoom = 1;
    this.left = 0;
    this.top = 0;
    new ResizeObserver(() => this.resize()).observe(box);
    this.resize();
    works("picture", async () => {
      if (!this.redraw) return true;
      this.draw();
      return false;
    });
  }

  get ratio() {
    return window.devicePixelRatio || 1;
  }

  resize() {
    const { width, height } = this.box.getBoundingClientRect();
    this.room = [width, height];
    // A turned view is a square that covers the room whichever way it is turned.
    const side = Math.ceil(Math.hypot(width, height));
    [this.width, this.height] = this.turn % 180 ? [side, side] : [width, height];
    this.turnStage();
    this.screen.width = Math.max(Math.round(this.width * this.ratio), 1);
    this.screen.height = Math.max(Math.round(this.height * this.ratio), 1);
    this.screen.style.width = `${this.width}px`;
    this.screen.style.height = `${this.height}px`;
    if (this.follow) this.fit();
    else this.look();
  }

  turnStage() {
    if (this.stage === this.box) return;
    const [width, height] = this.room;
    const turned = this.turn || this.flipped;
    Object.assign(this.stage.style, {
      left: `${(width - this.width) / 2}px`,
      top: `${(height - this.height) / 2}px`,
      width: `${this.width}px`,
      height: `${this.height}px`,
      transform: turned ? `rotate(${this.turn}deg) scaleX(${this.flipped ? -1 : 1})` : "none",
    });
  }

  // The colour that a place of the canvas shows, as #rrggbb.
  colourAt(x, y) {
    const { region } = this;
    const at = [x, y].map((one, axis) => Math.floor((one - region.box[axis]) / region.step));
    const [red, green, blue] = region.context.getImageData(at[0], at[1], 1, 1).data;
    return `#${[red, green, blue].map((one) => one.toString(16).padStart(2, "0")).join("")}`;
  }

  // Turn and flip the view about its middle; nothing of the picture is changed.
  lookFrom(turn, flipped) {
    const middle = this.toCanvas(this.width / 2, this.height / 2);
    [this.turn, this.flipped] = [((turn % 360) + 360) % 360, flipped];
    const { follow } = this;
    this.follow = false;
    this.resize();
    this.left = middle[0] - this.width / 2 / this.zoom;
    this.top = middle[1] - this.height / 2 / this.zoom;
    if (follow) this.fit();
    else this.look();
  }

  // A way on the screen as a way on the view.
  way(dx, dy) {
    const angle = (-this.turn * Math.PI) / 180;
    const [x, y] = [dx * Math.cos(angle) - dy * Math.sin(angle), dx * Math.sin(angle) + dy * Math.cos(angle)];
    return [this.flipped ? -x : x, y];
  }

  // Where a pointer is on the view, in its px.
  at({ clientX, clientY }) {
    const { left, top } = this.box.getBoundingClientRect();
    if (!this.turn && !this.flipped) return [clientX - left, clientY - top];
    const [x, y] = this.way(clientX - left - this.room[0] / 2, clientY - top - this.room[1] / 2);
    return [x + this.width / 2, y + this.height / 2];
  }

  fit() {
    this.follow = true;
    const { w, h } = this.whole;
    const room = this.facts.cloth ? 0.56 : this.facts.joined ? 0.8 : 0.94;
    const [c, s] = [Math.cos, Math.sin].map((part) => Math.abs(part((this.turn * Math.PI) / 180)));
    this.zoom = Math.min((this.room[0] * room) / (w * c + h * s), (this.room[1] * room) / (w * s + h * c), 4);
    this.left = (w - this.width / this.zoom) / 2;
    this.top = (h - this.height / this.zoom) / 2;
    this.look();
  }

  zoomTo(zoom, x, y) {
    this.follow = false;
    const next = Math.min(Math.max(zoom, 0.02), 16);
    this.left += x / this.zoom - x / next;
    this.top += y / this.zoom - y / next;
    this.zoom = next;
    if (Math.abs(this.zoom * this.ratio - 1) < 1e-9) {
      this.left = Math.round(this.left);
      this.top = Math.round(this.top);
    }
    this.look();
  }

  pan(dx, dy) {
    this.follow = false;
    this.left -= dx / this.zoom;
    this.top -= dy / this.zoom;
    this.look();
  }

  toCanvas(x, y) {
    return [this.left + x / this.zoom, this.top + y / this.zoom];
  }

  // Where a place of the canvas is on the view.
  /** @param {number[]} place */
  seen([x, y]) {
    return [(x - this.left) * this.zoom, (y - this.top) * this.zoom];
  }

  get level() {
    return Math.min(Math.max(Math.floor(Math.log2(1 / (this.zoom * this.ratio))), 0), 8);
  }

  // The box of the canvas that should be at hand: all of it where that is small, else the view and a margin.
  wanted() {
    const { facts, level } = this;
    const step = 2 ** level;
    if ((facts.width / step) * (facts.height / step) <= (facts.cloth ? MOST_PX : WHOLE_PX)) {
      return [0, 0, facts.width, facts.height];
    }
    const [w, h] = [this.width / this.zoom, this.height / this.zoom];
    const snap = (value) => Math.floor(value / step / 64) * step * 64;
    const low = [Math.max(snap(this.left - w / 4), 0), Math.max(snap(this.top - h / 4), 0)];
    return [
      ...low,
      Math.min(snap(this.left + w * 1.25) + step * 64, facts.width),
      Math.min(snap(this.top + h * 1.25) + step * 64, facts.height),
    ];
  }

  look() {
    const { level, region } = this;
    const view = [
      Math.max(this.left, 0),
      Math.max(this.top, 0),
      Math.min(this.left + this.width / this.zoom, this.facts.width),
      Math.min(this.top + this.height / this.zoom, this.facts.height),
    ];
    if (this.facts.cloth) view.splice(0, 4, 0, 0, this.facts.width, this.facts.height);
    const inside =
      region &&
      region.level === level &&
      view[0] >= region.box[0] &&
      view[1] >= region.box[1] &&
      view[2] <= region.box[2] &&
      view[3] <= region.box[3];
    if (!inside && view[2] > view[0] && view[3] > view[1]) this.take(level, this.wanted());
    this.draw();
    this.onView(this);
  }

  take(level, box) {
    const step = 2 ** level;
    const bitmap = document.createElement("canvas");
    bitmap.width = Math.ceil((box[2] - box[0]) / step);
    bitmap.height = Math.ceil((box[3] - box[1]) / step);
    const context = bitmap.getContext("2d", { alpha: false, willReadFrequently: true });
    context.fillStyle = this.facts.ground;
    context.fillRect(0, 0, bitmap.width, bitmap.height);
    const old = this.region;
    if (old) {
      const shrink = old.step / step;
      context.drawImage(
        old.bitmap,
        (old.box[0] - box[0]) / step,
        (old.box[1] - box[1]) / step,
        old.bitmap.width * shrink,
        old.bitmap.height * shrink,
      );
    }
    this.region = { level, step, box, bitmap, context };
    this.onRegion?.();
  }

  // Put the rectangles of an update where they belong; returns whether they were for what is looked at. They go straight
  // to the screen as well: drawing the whole bitmap would make the browser copy it at the next update.
  put({ level, rects }) {
    const { region } = this;
    if (!region || region.level !== level) return false;
    for (const rect of rects) {
      const [x, y] = [rect.left - region.box[0] / region.step, rect.top - region.box[1] / region.step];
      if (x < 0 || y < 0 || x + rect.width > region.bitmap.width || y + rect.height > region.bitmap.height) continue;
      const data = new ImageData(rect.pixels, rect.width, rect.height);
      region.context.putImageData(data, x, y);
      if (this.facts.cloth) this.showOnCloth(rect, data);
      else this.show(rect, data);
    }
    if (this.facts.cloth && this.marks) this.marks(this, true);
    clearTimeout(this.redraw);
    this.redraw = setTimeout(() => this.draw(), REDRAW_MS);
    return true;
  }

  show(rect, data) {
    const { context, region, ratio } = this;
    const scale = this.zoom * ratio * region.step;
    const [left, top] = [
      (rect.left * region.step - this.left) * this.zoom * ratio,
      (rect.top * region.step - this.top) * this.zoom * ratio,
    ];
    if (scale === 1 && Number.isInteger(left) && Number.isInteger(top)) {
      context.putImageData(data, left, top);
      return;
    }
    const scratch = document.createElement("canvas");
    [scratch.width, scratch.height] = [rect.width, rect.height];
    scratch.getContext("2d", { alpha: false }).putImageData(data, 0, 0);
    context.imageSmoothingEnabled = scale < 1;
    context.drawImage(scratch, left, top, rect.width * scale, rect.height * scale);
  }

  // The same in every copy in sight; where there are very many, all are drawn anew before the next frame.
  showOnCloth(rect, data) {
    const { region, facts, context } = this;
    const copies = this.copies();
    if (copies.length > MOST_LIVE_COPIES) {
      this.pending ??= requestAnimationFrame(() => {
        this.pending = null;
        this.draw();
      });
      return;
    }
    const scratch = document.createElement("canvas");
    [scratch.width, scratch.height] = [rect.width, rect.height];
    scratch.getContext("2d", { alpha: false }).putImageData(data, 0, 0);
    context.imageSmoothingEnabled = this.zoom * this.ratio * region.step < 1;
    const [left, top] = [rect.left * region.step, rect.top * region.step];
    const box = [
      left,
      top,
      Math.min(left + rect.width * region.step, facts.width),
      Math.min(top + rect.height * region.step, facts.height),
    ];
    for (const copy of copies) this.lay(scratch, box, copy);
  }

  // The vectors by which the cloth repeats, in px of the canvas: those of its whole, all parts of it together.
  get whole() {
    const { places, width, height, repeat, moved } = this.facts;
    const [w, h] = [0, 1].map((axis) => (Math.max(...places.map((place) => place[axis])) + 1) * [width, height][axis]);
    const [across, down] = basisOf([w, h], repeat, moved);
    return { w, h, across, down };
  }

  // The whole vector of the repeat that brings a place of the cloth nearest to the first copy.
  home(x, y) {
    const { across, down } = this.whole;
    return this.facts.joined ? homeOf(across, down, x, y) : [0, 0];
  }

  // Where every copy of the whole in sight begins.
  wholes() {
    const { across, down } = this.whole;
    const view = [this.left, this.top, this.left + this.width / this.zoom, this.top + this.height / this.zoom];
    return lattice(across, down, view).map(({ x, y }) => [x, y]);
  }

  // Every copy of the canvas in sight: upper left px of its cell, and whether it is mirrored across and down.
  copies() {
    const { facts } = this;
    if (!facts.joined) return [[0, 0, false, false]];
    const { width: w, height: h } = facts;
    const view = [this.left, this.top, this.left + this.width / this.zoom, this.top + this.height / this.zoom];
    const seen = ([left, top]) => left < view[2] && left + w > view[0] && top < view[3] && top + h > view[1];
    return this.wholes()
      .flatMap(([x, y]) => facts.places.map(([column, row, ...turned]) => [x + column * w, y + row * h, ...turned]))
      .filter(seen);
  }

  // A box of the screen, in its px, for a box of the canvas as a copy shows it. Edges of neighbours fall on the same px.
  onScreen([x0, y0, x1, y1], [left, top, across, down]) {
    const { facts, ratio } = this;
    const scale = this.zoom * ratio;
    const [cx0, cx1] = across ? [facts.width - x1, facts.width - x0] : [x0, x1];
    const [cy0, cy1] = down ? [facts.height - y1, facts.height - y0] : [y0, y1];
    const at = (value, origin) => Math.round((value - origin) * scale);
    const box = [
      at(left + cx0, this.left),
      at(top + cy0, this.top),
      at(left + cx1, this.left),
      at(top + cy1, this.top),
    ];
    return box;
  }

  // Draw a picture of a box of the canvas into one copy of it.
  lay(picture, box, copy) {
    const { context } = this;
    const [x0, y0, x1, y1] = this.onScreen(box, copy);
    const [, , across, down] = copy;
    if (!across && !down) {
      context.drawImage(picture, x0, y0, x1 - x0, y1 - y0);
      return;
    }
    context.save();
    context.translate(across ? x0 + x1 : 0, down ? y0 + y1 : 0);
    context.scale(across ? -1 : 1, down ? -1 : 1);
    context.drawImage(picture, x0, y0, x1 - x0, y1 - y0);
    context.restore();
  }

  draw() {
    clearTimeout(this.redraw);
    this.redraw = null;
    const { context, ratio, region, facts } = this;
    const scale = this.zoom * ratio;
    context.fillStyle = "#b4b4b4";
    context.fillRect(0, 0, this.screen.width, this.screen.height);
    if (!region) return;
    const size = [region.bitmap.width * region.step, region.bitmap.height * region.step];
    const box = [
      region.box[0],
      region.box[1],
      Math.min(region.box[0] + size[0], facts.width),
      Math.min(region.box[1] + size[1], facts.height),
    ];
    const exact = !facts.cloth;
    context.imageSmoothingEnabled = scale * region.step < 1;
    for (const copy of this.copies()) {
      const first = !copy[0] && !copy[1] && !copy[2] && !copy[3];
      context.globalAlpha = first ? 1 : (facts.ghost ?? 0.34);
      if (first && exact) {
        context.drawImage(
          region.bitmap,
          (region.box[0] - this.left) * scale,
          (region.box[1] - this.top) * scale,
          size[0] * scale,
          size[1] * scale,
        );
      } else this.lay(region.bitmap, box, copy);
    }
    context.globalAlpha = 1;
    if (this.marks) {
      this.marks(this, false);
      return;
    }
    const at = (x, y) => [(x - this.left) * scale, (y - this.top) * scale];
    const [x0, y0] = at(0, 0);
    const [x1, y1] = at(facts.width, facts.height);
    context.strokeStyle = "#1c1e21";
    context.lineWidth = 1;
    context.strokeRect(Math.round(x0) - 0.5, Math.round(y0) - 0.5, Math.round(x1 - x0) + 1, Math.round(y1 - y0) + 1);
  }
}
