// A cloth: one tile's pixels laid out under its repeat, panned and zoomed. It copies and scales; it computes no pixel.
import { basisOf, drawCorners, homeOf, lattice } from "./lattice.js";

const LEAST_ZOOM = 0.02;
const MOST_ZOOM = 16;

export class Cloth {
  // limit: {columns, rows} shows only so many copies; marked: whether the one tile is marked.
  constructor(box, { limit = null, onView = (_cloth) => {} } = {}) {
    this.box = box;
    this.canvas = document.createElement("canvas");
    this.context = this.canvas.getContext("2d", { alpha: false });
    box.prepend(this.canvas);
    this.limit = limit;
    this.marked = true;
    this.onView = onView;
    this.zoom = 0.5;
    this.left = 0;
    this.top = 0;
    this.tile = null;
    this.seam = null;
    this.overlay = null;
    this.onPress = null;
    this.follow = true;
    new ResizeObserver(() => this.resize()).observe(box);
    this.resize();
    this.listen();
  }

  get ratio() {
    return window.devicePixelRatio || 1;
  }

  resize() {
    const { width, height } = this.box.getBoundingClientRect();
    this.width = width;
    this.height = height;
    this.canvas.width = Math.max(Math.round(width * this.ratio), 1);
    this.canvas.height = Math.max(Math.round(height * this.ratio), 1);
    this.canvas.style.width = `${width}px`;
    this.canvas.style.height = `${height}px`;
    if (this.follow) this.fit();
    this.draw();
  }

  // The level (power of two) whose px are at least as many as the screen shows.
  get level() {
    return Math.min(Math.max(Math.floor(Math.log2(1 / (this.zoom * this.ratio))), 0), 8);
  }

  // facts: size [w, h], repeat, stagger_px, width and height of the pixels that came.
  put(facts, pixels) {
    const picture = document.createElement("canvas");
    picture.width = facts.width;
    picture.height = facts.height;
    picture.getContext("2d", { alpha: false }).putImageData(new ImageData(pixels, facts.width, facts.height), 0, 0);
    const first = !this.tile || this.tile.size[0] !== facts.size[0] || this.tile.size[1] !== facts.size[1];
    this.tile = {
      picture,
      size: facts.size,
      repeat: facts.repeat,
      moved: facts.stagger_px,
      level: facts.level,
      reduced: new Map(),
    };
    if (first && this.follow) this.fit();
    this.draw();
  }

  fit() {
    this.follow = true;
    if (!this.tile) return;
    const [w, h] = this.tile.size;
    const columns = this.limit ? this.limit.columns : 2.6;
    const rows = this.limit ? this.limit.rows : 1.7;
    const across = this.width / (w * columns);
    const down = this.height / (h * rows);
    this.zoom = this.limit ? Math.min(across, down) * 0.96 : Math.max(Math.min(across, down), 0.1);
    const shown = this.limit ? [w * columns, h * rows] : [w, h];
    this.left = (this.width - shown[0] * this.zoom) / 2;
    this.top = (this.height - shown[1] * this.zoom) / 2;
    this.moved();
  }

  real() {
    this.zoomTo(1 / this.ratio, this.width / 2, this.height / 2);
    this.left = Math.round(this.left);
    this.top = Math.round(this.top);
    this.moved();
  }

  zoomTo(zoom, x, y) {
    this.follow = false;
    const next = Math.min(Math.max(zoom, LEAST_ZOOM), MOST_ZOOM);
    this.left = x - (x - this.left) * (next / this.zoom);
    this.top = y - (y - this.top) * (next / this.zoom);
    this.zoom = next;
    this.moved();
  }

  moved() {
    this.draw();
    this.onView(this);
  }

  listen() {
    let held = null;
    let pressed = null;
    this.box.addEventListener("pointerdown", (event) => {
      if (event.button > 1) return;
      pressed = [event.clientX, event.clientY];
      this.box.setPointerCapture(event.pointerId);
      held = { x: event.clientX - this.left, y: event.clientY - this.top };
      this.follow = false;
    });
    this.box.addEventListener("pointermove", (event) => {
      if (!held) return;
      this.left = event.clientX - held.x;
      this.top = event.clientY - held.y;
      this.moved();
    });
    for (const end of ["pointerup", "pointercancel"]) {
      this.box.addEventListener(end, () => {
        held = null;
      });
    }
    this.box.addEventListener("pointerup", (event) => {
      if (!this.onPress || !pressed || Math.hypot(event.clientX - pressed[0], event.clientY - pressed[1]) > 4) return;
      const frame = this.box.getBoundingClientRect();
      this.onPress(this.placeAt(event.clientX - frame.left, event.clientY - frame.top));
    });
    this.box.addEventListener(
      "wheel",
      (event) => {
        event.preventDefault();
        const frame = this.box.getBoundingClientRect();
        this.zoomTo(this.zoom * 1.0016 ** -event.deltaY, event.clientX - frame.left, event.clientY - frame.top);
      },
      { passive: false },
    );
    this.box.addEventListener("keydown", (event) => {
      const move = { ArrowLeft: [40, 0], ArrowRight: [-40, 0], ArrowUp: [0, 40], ArrowDown: [0, -40] }[event.key];
      if (move) {
        this.left += move[0];
        this.top += move[1];
        this.follow = false;
        this.moved();
        event.preventDefault();
      }
    });
  }

  // The place in the one tile, in its px, that a place of the box shows, whatever copy is pressed.
  placeAt(left, top) {
    const { size, repeat, moved } = this.tile;
    const [x, y] = [(left - this.left) / this.zoom, (top - this.top) / this.zoom];
    const [hx, hy] = homeOf(...basisOf(size, repeat, moved), x, y);
    return [x - hx, y - hy];
  }

  // Show the same part as another cloth does.
  look(other) {
    this.follow = false;
    [this.zoom, this.left, this.top] = [other.zoom, other.left, other.top];
    this.draw();
  }

  // Left and top, in tile px, of every copy in sight (or of the limited sheet).
  copies() {
    const { size, repeat, moved } = this.tile;
    const view = [
      -this.left / this.zoom,
      -this.top / this.zoom,
      (this.width - this.left) / this.zoom,
      (this.height - this.top) / this.zoom,
    ];
    return lattice(...basisOf(size, repeat, moved), view).map(({ x, y }) => [x, y]);
  }

  // The tile at so many px of the screen: reduced once, not for every copy. Copies differ by a px at most.
  reduced(width, height) {
    const { picture, reduced } = this.tile;
    const key = `${width} ${height}`;
    let made = reduced.get(key);
    if (!made) {
      if (reduced.size >= 4) reduced.clear();
      made = document.createElement("canvas");
      made.width = Math.max(width, 1);
      made.height = Math.max(height, 1);
      const context = made.getContext("2d", { alpha: false });
      context.imageSmoothingQuality = "medium";
      context.drawImage(picture, 0, 0, made.width, made.height);
      reduced.set(key, made);
    }
    return made;
  }

  draw() {
    const { context, ratio } = this;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.fillStyle = "#d2d2d2";
    context.fillRect(0, 0, this.canvas.width, this.canvas.height);
    if (!this.tile) return;
    const {
      picture,
      size: [w, h],
    } = this.tile;
    const scale = this.zoom * ratio;
    const at = (x, y) => [
      Math.round((this.left + x * this.zoom) * ratio),
      Math.round((this.top + y * this.zoom) * ratio),
    ];
    context.save();
    if (this.limit) {
      const [x0, y0] = at(0, 0);
      const [x1, y1] = at(w * this.limit.columns, h * this.limit.rows);
      context.beginPath();
      context.rect(x0, y0, x1 - x0, y1 - y0);
      context.clip();
    }
    context.imageSmoothingEnabled = false;
    for (const [x, y] of this.copies()) {
      const [x0, y0] = at(x, y);
      const [x1, y1] = at(x + w, y + h);
      context.drawImage(scale < 1 ? this.reduced(x1 - x0, y1 - y0) : picture, x0, y0, x1 - x0, y1 - y0);
    }
    if (this.overlay) this.overlay({ context, zoom: scale, copies: this.copies(), at, size: [w, h] });
    if (this.seam) for (const [x, y] of this.copies()) this.drawSeam(at(x, y), at(x + w, y + h));
    context.restore();
    if (this.marked) this.drawMark(at(0, 0), at(w, h));
  }

  /** @param {number[]} from  @param {number[]} to */
  drawMark([x0, y0], [x1, y1]) {
    drawCorners(this.context, [x0 + 0.5, y0 + 0.5], [x1 + 0.5, y1 + 0.5]);
  }

  // The seam overlay: along each border, a line as thick as the border stands out there.
  /** @param {number[]} from  @param {number[]} to */
  drawSeam([x0, y0], [x1, y1]) {
    const { context, seam } = this;
    for (const [ratios, across] of [
      [seam.along.left_right, false],
      [seam.along.top_bottom, true],
    ]) {
      ratios.forEach((ratio, n) => {
        const thick = Math.min(Math.max((ratio - 0.75) * 6, 1), 12);
        const from = n / ratios.length;
        const to = (n + 1) / ratios.length;
        for (const [style, extra] of /** @type {[string, number][]} */ ([
          ["#ffffff", 2],
          ["#1b5e80", 0],
        ])) {
          context.fillStyle = style;
          if (across) {
            context.fillRect(
              x0 + (x1 - x0) * from,
              y0 - (thick + extra) / 2,
              (x1 - x0) * (to - from) + 0.5,
              thick + extra,
            );
          } else {
            context.fillRect(
              x0 - (thick + extra) / 2,
              y0 + (y1 - y0) * from,
              thick + extra,
              (y1 - y0) * (to - from) + 0.5,
            );
          }
        }
      });
    }
  }
}

// What the keys of the view do on a bench whose picture is a cloth.
export const viewKeys = (cloth) => ({
  fit: () => cloth.fit(),
  real: () => cloth.real(),
  nearer: () => cloth.zoomTo(cloth.zoom * 1.25, cloth.width / 2, cloth.height / 2),
  further: () => cloth.zoomTo(cloth.zoom / 1.25, cloth.width / 2, cloth.height / 2),
});
