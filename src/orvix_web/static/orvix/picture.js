// The picture of a canvas room: a bitmap of what is looked at, at one level, and how it is shown. It copies and scales.

const WHOLE_PX = 6_000_000;
const REDRAW_MS = 120;

// What is looked at: zoom in screen px a canvas px, and the canvas px at the view's upper left.
export class Picture {
  constructor(box, facts, onView) {
    this.box = box;
    this.facts = facts;
    this.onView = onView;
    this.screen = document.createElement("canvas");
    this.context = this.screen.getContext("2d", { alpha: false });
    box.prepend(this.screen);
    this.region = null;
    this.follow = true;
    this.zoom = 1;
    this.left = 0;
    this.top = 0;
    new ResizeObserver(() => this.resize()).observe(box);
    this.resize();
  }

  get ratio() { return window.devicePixelRatio || 1; }

  resize() {
    const { width, height } = this.box.getBoundingClientRect();
    this.width = width;
    this.height = height;
    this.screen.width = Math.max(Math.round(width * this.ratio), 1);
    this.screen.height = Math.max(Math.round(height * this.ratio), 1);
    this.screen.style.width = `${width}px`;
    this.screen.style.height = `${height}px`;
    if (this.follow) this.fit();
    else this.look();
  }

  fit() {
    this.follow = true;
    const room = this.facts.joined ? 0.8 : 0.94;
    this.zoom = Math.min((this.width * room) / this.facts.width, (this.height * room) / this.facts.height, 4);
    this.left = (this.facts.width - this.width / this.zoom) / 2;
    this.top = (this.facts.height - this.height / this.zoom) / 2;
    this.look();
  }

  zoomTo(zoom, x, y) {
    this.follow = false;
    const next = Math.min(Math.max(zoom, 0.02), 16);
    this.left += x / this.zoom - x / next;
    this.top += y / this.zoom - y / next;
    this.zoom = next;
    if (Math.abs(this.zoom * this.ratio - 1) < 1e-9) { this.left = Math.round(this.left); this.top = Math.round(this.top); }
    this.look();
  }

  pan(dx, dy) {
    this.follow = false;
    this.left -= dx / this.zoom;
    this.top -= dy / this.zoom;
    this.look();
  }

  toCanvas(x, y) { return [this.left + x / this.zoom, this.top + y / this.zoom]; }

  get level() { return Math.min(Math.max(Math.floor(Math.log2(1 / (this.zoom * this.ratio))), 0), 8); }

  // The box of the canvas that should be at hand: all of it where that is small, else the view and a margin.
  wanted() {
    const { facts, level } = this;
    const step = 2 ** level;
    if ((facts.width / step) * (facts.height / step) <= WHOLE_PX) return [0, 0, facts.width, facts.height];
    const [w, h] = [this.width / this.zoom, this.height / this.zoom];
    const snap = (value) => Math.floor(value / step / 64) * step * 64;
    const low = [Math.max(snap(this.left - w / 4), 0), Math.max(snap(this.top - h / 4), 0)];
    return [...low, Math.min(snap(this.left + w * 1.25) + step * 64, facts.width), Math.min(snap(this.top + h * 1.25) + step * 64, facts.height)];
  }

  look() {
    const { level, region } = this;
    const view = [Math.max(this.left, 0), Math.max(this.top, 0), Math.min(this.left + this.width / this.zoom, this.facts.width), Math.min(this.top + this.height / this.zoom, this.facts.height)];
    const inside = region && region.level === level && view[0] >= region.box[0] && view[1] >= region.box[1] && view[2] <= region.box[2] && view[3] <= region.box[3];
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
      context.drawImage(old.bitmap, (old.box[0] - box[0]) / step, (old.box[1] - box[1]) / step, old.bitmap.width * shrink, old.bitmap.height * shrink);
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
      this.show(rect, data);
    }
    clearTimeout(this.whole);
    this.whole = setTimeout(() => this.draw(), REDRAW_MS);
    return true;
  }

  show(rect, data) {
    const { context, region, ratio } = this;
    const scale = this.zoom * ratio * region.step;
    const [left, top] = [(rect.left * region.step - this.left) * this.zoom * ratio, (rect.top * region.step - this.top) * this.zoom * ratio];
    if (scale === 1 && Number.isInteger(left) && Number.isInteger(top)) { context.putImageData(data, left, top); return; }
    const scratch = document.createElement("canvas");
    [scratch.width, scratch.height] = [rect.width, rect.height];
    scratch.getContext("2d", { alpha: false }).putImageData(data, 0, 0);
    context.imageSmoothingEnabled = scale < 1;
    context.drawImage(scratch, left, top, rect.width * scale, rect.height * scale);
  }

  copies() {
    const { facts } = this;
    if (!facts.joined) return [[0, 0]];
    const out = [];
    const [w, h, moved] = [facts.width, facts.height, facts.moved];
    const view = [this.left, this.top, this.left + this.width / this.zoom, this.top + this.height / this.zoom];
    if (facts.repeat === "brick") {
      for (let j = Math.floor(view[1] / h); j * h < view[3]; j += 1) for (let i = Math.floor((view[0] - j * moved) / w); i * w + j * moved < view[2]; i += 1) out.push([i * w + j * moved, j * h]);
    } else {
      for (let i = Math.floor(view[0] / w); i * w < view[2]; i += 1) for (let j = Math.floor((view[1] - i * moved) / h); j * h + i * moved < view[3]; j += 1) out.push([i * w, j * h + i * moved]);
    }
    return out;
  }

  draw() {
    const { context, ratio, region, facts } = this;
    const scale = this.zoom * ratio;
    const at = (x, y) => [(x - this.left) * scale, (y - this.top) * scale];
    context.fillStyle = "#b4b4b4";
    context.fillRect(0, 0, this.screen.width, this.screen.height);
    if (region) {
      context.imageSmoothingEnabled = scale * region.step < 1;
      for (const [x, y] of this.copies()) {
        context.globalAlpha = x || y ? 0.34 : 1;
        const [left, top] = at(x + region.box[0], y + region.box[1]);
        const [w, h] = [region.bitmap.width * region.step * scale, region.bitmap.height * region.step * scale];
        if (x || y) context.drawImage(region.bitmap, Math.round(left), Math.round(top), Math.round(left + w) - Math.round(left), Math.round(top + h) - Math.round(top));
        else context.drawImage(region.bitmap, left, top, w, h);
      }
      context.globalAlpha = 1;
      const [x0, y0] = at(0, 0);
      const [x1, y1] = at(facts.width, facts.height);
      context.strokeStyle = "#1c1e21";
      context.lineWidth = 1;
      context.strokeRect(Math.round(x0) - 0.5, Math.round(y0) - 0.5, Math.round(x1 - x0) + 1, Math.round(y1 - y0) + 1);
    }
  }
}
