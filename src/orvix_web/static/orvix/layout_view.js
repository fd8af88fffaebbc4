// The cloth of a layout: what lies where, what is under the pointer, and motifs that follow it until they are let go.
import { Cloth } from "./cloth.js";
import { basisOf, lattice } from "./lattice.js";

const COOL = "#1b5e80";
const HANDLE_PX = 9;

export class LayoutView extends Cloth {
  // bench: gives layout(), motifs (a map from id to size and outlines), chosen (a set), links and what shall be shown.
  constructor(box, bench, onView) {
    super(box, { onView });
    this.bench = bench;
    this.strength = 1;
    this.layers = null;
    this.by = null;
    this.overlay = () => this.drawOver();
  }

  // The vectors of the repeat, px of the tile.
  get basis() {
    return basisOf(this.tile.size, this.tile.repeat, this.tile.moved);
  }

  // Every copy in sight, and those up to a margin out of it.
  lattice(margin = 0) {
    const view = [
      -this.left / this.zoom - margin,
      -this.top / this.zoom - margin,
      (this.width - this.left) / this.zoom + margin,
      (this.height - this.top) / this.zoom + margin,
    ];
    return lattice(...this.basis, view);
  }

  at(x, y) {
    return [(this.left + x * this.zoom) * this.ratio, (this.top + y * this.zoom) * this.ratio];
  }
  toTile(left, top) {
    return [(left - this.left) / this.zoom, (top - this.top) / this.zoom];
  }

  // The outlines of an item, px of the tile; while it is dragged, where it is dragged to.
  outlines(number, item = this.bench.layout().items[number]) {
    const motif = this.bench.motifs.get(item.motif);
    if (!motif) return [];
    const turn = ((item.turn ?? 0) * Math.PI) / 180;
    const [c, s] = [Math.cos(turn), Math.sin(turn)];
    const k = item.scale ?? 1;
    const f = item.flip ? -1 : 1;
    return motif.outlines.map((shape) =>
      shape.map(([x, y]) => [item.x + k * (c * f * x - s * y), item.y + k * (s * f * x + c * y)]),
    );
  }

  // The uppermost item under a place of the box, and which copy of it: by what is settled, else by the order.
  under(left, top) {
    if (!this.tile) return null;
    const [x, y] = this.toTile(left, top);
    const inside = (shapes, px, py) => {
      let odd = false;
      for (const shape of shapes) {
        for (let n = 0, m = shape.length - 1; n < shape.length; m = n, n += 1) {
          const [[x0, y0], [x1, y1]] = [shape[n], shape[m]];
          if (y0 > py !== y1 > py && px < x0 + ((py - y0) * (x1 - x0)) / (y1 - y0)) odd = !odd;
        }
      }
      return odd;
    };
    const { items, over } = this.bench.layout();
    const found = [];
    const reach = Math.max(...this.tile.size);
    items.forEach((_, number) => {
      const shapes = this.outlines(number);
      for (const copy of this.lattice(reach)) {
        if (inside(shapes, x - copy.x, y - copy.y)) found.push({ number, ...copy });
      }
    });
    let best = found.at(-1) ?? null;
    for (const rule of over) {
      const upper = found.find(
        (one) =>
          one.number === rule[0] &&
          found.some((other) => other.number === rule[1] && other.i - one.i === rule[2] && other.j - one.j === rule[3]),
      );
      if (upper && best && best.number === rule[1]) best = upper;
    }
    return best;
  }

  // The box round what is chosen, px of the tile.
  chosenBox() {
    const points = [...this.bench.chosen].flatMap((number) => this.outlines(number).flat());
    if (!points.length) return null;
    const xs = points.map((point) => point[0]);
    const ys = points.map((point) => point[1]);
    return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
  }

  // What a place of the box takes hold of: a corner (scales), the stalk (turns), the tip of an arrow, or nothing.
  handleAt(left, top) {
    /** @param {number[]} place */
    const near = ([x, y]) => Math.hypot(x / this.ratio - left, y / this.ratio - top) < HANDLE_PX + 2;
    const [a, b] = this.basis;
    if (near(this.at(...a))) return { arrow: "a" };
    if (near(this.at(...b))) return { arrow: "b" };
    const box = this.chosenBox();
    if (!box) return null;
    const [x0, y0, x1, y1] = box;
    const middle = [(x0 + x1) / 2, (y0 + y1) / 2];
    if (near(this.stalk(box))) return { turn: middle };
    if (
      [
        [x0, y0],
        [x1, y0],
        [x0, y1],
        [x1, y1],
      ].some((corner) => near(this.at(...corner)))
    ) {
      return { scale: middle };
    }
    return null;
  }

  /** @param {number[]} box */
  stalk([x0, y0, x1]) {
    const [x, y] = this.at((x0 + x1) / 2, y0);
    return [x, y - 26 * this.ratio];
  }

  // Layers from the core: what stays still is laid once for this view, what moves for every frame.
  setLayers(facts, pixels) {
    let start = 0;
    this.layers = facts.layers.map((told) => {
      const octets = told.width * told.height * 4;
      const picture = Object.assign(document.createElement("canvas"), { width: told.width, height: told.height });
      picture
        .getContext("2d")
        .putImageData(new ImageData(pixels.slice(start, start + octets), told.width, told.height), 0, 0);
      start += octets;
      return { ...told, picture, step: 2 ** facts.level };
    });
    this.stills = null;
  }

  dropLayers() {
    this.layers = null;
    this.stills = null;
    this.by = null;
  }

  layStills() {
    const key = [this.left, this.top, this.zoom, this.canvas.width, this.canvas.height].join(" ");
    if (this.stills?.key === key) return;
    this.stills = { key, pictures: this.layers.map((layer) => (layer.moving ? null : this.still(layer))) };
  }

  still(layer) {
    const screen = Object.assign(document.createElement("canvas"), {
      width: this.canvas.width,
      height: this.canvas.height,
    });
    const context = screen.getContext("2d");
    const [w, h] = this.tile.size;
    context.imageSmoothingQuality = "medium";
    for (const copy of this.lattice()) {
      const [x0, y0] = this.at(copy.x, copy.y).map(Math.round);
      const [x1, y1] = this.at(copy.x + w, copy.y + h).map(Math.round);
      context.imageSmoothingEnabled = x1 - x0 < layer.width;
      context.drawImage(layer.picture, x0, y0, x1 - x0, y1 - y0);
    }
    return screen;
  }

  // A frame of a drag: by {x, y} px, or {turn, scale, about}. Every copy goes along.
  drag(by) {
    this.by = by;
    if (this.layers) this.draw();
    else super.draw();
  }

  draw() {
    if (!this.layers || !this.by) {
      super.draw();
      return;
    }
    this.layStills();
    const { context } = this;
    context.setTransform(1, 0, 0, 1, 0, 0);
    this.layers.forEach((layer, n) => {
      if (layer.moving) this.drawMoving(layer);
      else context.drawImage(this.stills.pictures[n], 0, 0);
    });
    this.fade();
    this.drawOver();
    this.drawMark(this.at(0, 0).map(Math.round), this.at(...this.tile.size).map(Math.round));
  }

  // Neighbours fainter: what lies outside the one tile is laid over with the wall's grey.
  fade() {
    if (this.strength >= 1 || !this.tile) return;
    const { context, canvas } = this;
    const [x0, y0] = this.at(0, 0).map(Math.round);
    const [x1, y1] = this.at(...this.tile.size).map(Math.round);
    context.save();
    context.beginPath();
    context.rect(0, 0, canvas.width, canvas.height);
    context.rect(x0, y0, x1 - x0, y1 - y0);
    context.clip("evenodd");
    context.globalAlpha = 1 - this.strength;
    context.fillStyle = "#d2d2d2";
    context.fillRect(0, 0, canvas.width, canvas.height);
    context.restore();
  }

  drawMoving(layer) {
    const { context, by, ratio, zoom } = this;
    const scale = zoom * ratio;
    const [wide, high] = [layer.width * layer.step, layer.height * layer.step];
    context.imageSmoothingQuality = "medium";
    for (const copy of this.lattice(Math.max(wide, high) + Math.hypot(by.x ?? 0, by.y ?? 0))) {
      context.save();
      if (by.about) {
        const [mx, my] = this.at(by.about[0] + copy.x, by.about[1] + copy.y);
        context.translate(mx, my);
        context.rotate(((by.turn ?? 0) * Math.PI) / 180);
        context.scale(by.scale ?? 1, by.scale ?? 1);
        context.translate(-mx, -my);
      }
      const [x0, y0] = this.at(layer.left + copy.x + (by.x ?? 0), layer.top + copy.y + (by.y ?? 0)).map(Math.round);
      context.imageSmoothingEnabled = Boolean(by.about) || scale * layer.step < 1;
      context.drawImage(layer.picture, x0, y0, Math.round(wide * scale), Math.round(high * scale));
      context.restore();
    }
  }

  // Over the cloth: outlines, what is chosen with its handles, links, and the arrows of the repeat.
  drawOver() {
    if (!this.tile) return;
    const { bench, context } = this;
    if (!(this.layers && this.by)) this.fade();
    if (bench.showOutlines) this.drawOutlines();
    if (bench.showLinks && !this.by?.about) this.drawLinks();
    this.drawChosen();
    this.drawArrows();
    context.setLineDash([]);
  }

  path(shapes, x, y) {
    const { context } = this;
    context.beginPath();
    for (const shape of shapes) {
      shape.forEach((point, n) => {
        const [px, py] = this.at(point[0] + x, point[1] + y);
        if (n) context.lineTo(px, py);
        else context.moveTo(px, py);
      });
      context.closePath();
    }
  }

  drawOutlines() {
    const { context, bench, canvas } = this;
    context.fillStyle = "#f7f7f7";
    context.fillRect(0, 0, canvas.width, canvas.height);
    context.strokeStyle = "#1c1e21";
    context.lineWidth = 1;
    bench.layout().items.forEach((_, number) => {
      const shapes = this.outlines(number);
      for (const copy of this.lattice(Math.max(...this.tile.size))) {
        this.path(shapes, copy.x, copy.y);
        context.stroke();
      }
    });
  }

  drawLinks() {
    const { context } = this;
    for (const link of this.bench.links.slice(0, 12)) {
      const [x0, y0] = this.at(...link.from);
      const [x1, y1] = this.at(...link.to);
      const short = link === this.bench.links[0];
      for (const [style, width] of /** @type {[string, number][]} */ ([
        ["#ffffff", 4],
        [COOL, short ? 2.5 : 1.2],
      ])) {
        context.strokeStyle = style;
        context.lineWidth = width;
        context.beginPath();
        context.moveTo(x0, y0);
        context.lineTo(x1, y1);
        context.stroke();
      }
      if (!short) continue;
      context.font = "600 12px Commissioner, sans-serif";
      const words = `${link.px.toFixed(link.px < 10 ? 1 : 0)} px`;
      const wide = context.measureText(words).width + 8;
      context.fillStyle = COOL;
      context.fillRect((x0 + x1) / 2 + 8, (y0 + y1) / 2 - 9, wide, 18);
      context.fillStyle = "#ffffff";
      context.textAlign = "left";
      context.textBaseline = "middle";
      context.fillText(words, (x0 + x1) / 2 + 12, (y0 + y1) / 2 + 0.5);
    }
  }

  drawChosen() {
    const { context, bench } = this;
    const moved = this.by && !this.by.about ? [this.by.x ?? 0, this.by.y ?? 0] : [0, 0];
    if (this.by?.about) return;
    for (const number of bench.chosen) {
      const wide = [
        ["#ffffff", 3.4],
        [COOL, 1.6],
      ];
      for (const [style, width] of /** @type {[string, number][]} */ (bench.chosen.size > 24 ? [[COOL, 1]] : wide)) {
        context.strokeStyle = style;
        context.lineWidth = width;
        this.path(this.outlines(number), ...moved);
        context.stroke();
      }
    }
    const box = this.chosenBox();
    if (!box || this.by) return;
    const [x0, y0] = this.at(box[0], box[1]);
    const [x1, y1] = this.at(box[2], box[3]);
    context.strokeStyle = COOL;
    context.lineWidth = 1;
    context.setLineDash([4, 3]);
    context.strokeRect(x0, y0, x1 - x0, y1 - y0);
    context.setLineDash([]);
    const [sx, sy] = this.stalk(box);
    context.beginPath();
    context.moveTo(sx, y0);
    context.lineTo(sx, sy);
    context.stroke();
    for (const [x, y, round] of /** @type {[number, number, boolean][]} */ ([
      [x0, y0, false],
      [x1, y0, false],
      [x0, y1, false],
      [x1, y1, false],
      [sx, sy, true],
    ])) {
      context.fillStyle = "#ffffff";
      context.beginPath();
      if (round) context.arc(x, y, 5, 0, 2 * Math.PI);
      else context.rect(x - 4, y - 4, 8, 8);
      context.fill();
      context.stroke();
    }
  }

  drawArrows() {
    const { context } = this;
    const origin = this.at(0, 0);
    for (const vector of this.basis) {
      const tip = this.at(...vector);
      const way = Math.atan2(tip[1] - origin[1], tip[0] - origin[0]);
      for (const [style, width] of /** @type {[string, number][]} */ ([
        ["#ffffff", 5],
        ["#1c1e21", 2],
      ])) {
        context.strokeStyle = style;
        context.lineWidth = width;
        context.beginPath();
        context.moveTo(origin[0], origin[1]);
        context.lineTo(tip[0], tip[1]);
        for (const turn of [2.6, -2.6]) {
          context.moveTo(tip[0], tip[1]);
          context.lineTo(tip[0] + 13 * Math.cos(way + turn), tip[1] + 13 * Math.sin(way + turn));
        }
        context.stroke();
      }
    }
  }
}
