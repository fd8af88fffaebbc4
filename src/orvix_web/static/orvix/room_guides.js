// Guides of the canvas room: symmetry, a grid, a ruler, centre lines. Drawn over the picture, never into it.
import { svg } from "./svg.js";

const id = (name) => document.getElementById(name);
const NEAR_PX = 10;
const MOST_LINES = 200;
const USUAL = { symmetry: "", count: 6, step: 128, grid: false, pitch: 64, centre: false, snap: true, ruler: false };
const KINDS = {
  across: { kind: "mirror", axes: "across" },
  down: { kind: "mirror", axes: "down" },
  both: { kind: "mirror", axes: "both" },
  turn: { kind: "turn" },
  kaleidoscope: { kind: "turn", mirrored: true },
  "glide-across": { kind: "glide", axes: "across" },
  "glide-down": { kind: "glide", axes: "down" },
};

export class RoomGuides {
  // canvas: its number; picture; home(x, y): a place of the view in px of the canvas.
  constructor({ canvas, picture, home }) {
    this.picture = picture;
    this.home = home;
    this.key = `orvix-guides-${canvas}`;
    this.svg = id("room-guides");
    const { width, height } = picture.facts;
    let kept = {};
    try {
      kept = JSON.parse(localStorage.getItem(this.key)) ?? {};
    } catch {
      kept = {};
    }
    this.set = {
      ...USUAL,
      middle: [width / 2, height / 2],
      ends: [
        [width * 0.2, height / 2],
        [width * 0.8, height / 2],
      ],
      ...kept,
    };
    this.fields = ["symmetry", "count", "step", "grid", "pitch", "centre", "snap", "ruler"].map((name) =>
      id(`guide-${name}`),
    );
    for (const field of this.fields) {
      const name = field.id.replace("guide-", "");
      if (field.type === "checkbox") field.checked = this.set[name];
      else field.value = String(this.set[name]);
      field.addEventListener("change", () =>
        this.keep({
          [name]:
            field.type === "checkbox"
              ? field.checked
              : name === "symmetry"
                ? field.value
                : Math.max(Number(field.value) || USUAL[name], 1),
        }),
      );
    }
    this.shown();
  }

  keep(changes) {
    this.set = { ...this.set, ...changes };
    localStorage.setItem(this.key, JSON.stringify(this.set));
    this.shown();
  }

  shown() {
    const { symmetry } = this.set;
    id("guide-count").parentElement.classList.toggle("hidden", !["turn", "kaleidoscope"].includes(symmetry));
    id("guide-step").parentElement.classList.toggle("hidden", !symmetry.startsWith("glide"));
    id("guides-open").textContent = symmetry ? "Symmetry" : "Guides";
    id("guides-open").classList.toggle("on", Boolean(symmetry));
    this.place();
  }

  // What a stroke is told of the symmetry, or nothing.
  get told() {
    const { symmetry, count, step, middle } = this.set;
    if (!symmetry) return {};
    const kind = KINDS[symmetry];
    return {
      symmetry: {
        ...kind,
        x: middle[0],
        y: middle[1],
        ...(kind.kind === "turn" ? { count: Math.round(count) } : {}),
        ...(kind.kind === "glide" ? { step } : {}),
      },
    };
  }

  // Where a place of the canvas is put: on a line of the grid, the centre lines or the ruler, where it is near one.
  snapped(x, y) {
    const { grid, pitch, centre, snap, ruler, ends } = this.set;
    if (!snap) return [x, y];
    const near = NEAR_PX / this.picture.zoom;
    let at = [x, y];
    if (grid) {
      at = at.map((one) => {
        const line = Math.round(one / pitch) * pitch;
        return Math.abs(line - one) <= near ? line : one;
      });
    }
    if (centre) {
      at = at.map((one, axis) => {
        const line = [this.picture.facts.width, this.picture.facts.height][axis] / 2;
        return Math.abs(line - one) <= near ? line : one;
      });
    }
    if (ruler) {
      const [[x0, y0], [x1, y1]] = ends;
      const long = Math.hypot(x1 - x0, y1 - y0) || 1;
      const [ux, uy] = [(x1 - x0) / long, (y1 - y0) / long];
      const along = (x - x0) * ux + (y - y0) * uy;
      const foot = [x0 + along * ux, y0 + along * uy];
      if (Math.hypot(x - foot[0], y - foot[1]) <= 2 * near) return foot;
    }
    return at;
  }

  // A press on one of the knobs: it is dragged.
  begin(event) {
    const which = event.target.dataset?.guide;
    if (which === undefined) return null;
    const put = (px, py, moved) => {
      let at = this.home(px, py);
      if (moved.shiftKey || moved.type === undefined) at = at.map(Math.round);
      at = at.map((one) => Math.round(one * 2) / 2);
      this.set =
        which === "middle"
          ? { ...this.set, middle: at }
          : { ...this.set, ends: this.set.ends.map((one, n) => (n === Number(which) ? at : one)) };
      this.place();
    };
    return {
      move: put,
      end: (...to) => {
        put(...to);
        this.keep({});
      },
      drop: () => this.place(),
    };
  }

  line(from, to, name) {
    const [[x1, y1], [x2, y2]] = [this.picture.seen(from), this.picture.seen(to)];
    return [svg("line", { x1, y1, x2, y2, class: "under" }), svg("line", { x1, y1, x2, y2, class: name })];
  }

  place() {
    const { facts, zoom } = this.picture;
    const { width: w, height: h } = facts;
    const { symmetry, count, middle, grid, pitch, centre, ruler, ends } = this.set;
    const parts = [];
    if (grid && pitch * zoom > 4 && (w + h) / pitch < MOST_LINES) {
      for (let x = pitch; x < w; x += pitch) parts.push(...this.line([x, 0], [x, h], "grid").slice(1));
      for (let y = pitch; y < h; y += pitch) parts.push(...this.line([0, y], [w, y], "grid").slice(1));
    }
    if (centre) {
      parts.push(...this.line([w / 2, 0], [w / 2, h], "centre"), ...this.line([0, h / 2], [w, h / 2], "centre"));
    }
    const [mx, my] = middle;
    if (["across", "both", "glide-down"].includes(symmetry)) parts.push(...this.line([mx, 0], [mx, h], "axis"));
    if (["down", "both", "glide-across"].includes(symmetry)) parts.push(...this.line([0, my], [w, my], "axis"));
    if (["turn", "kaleidoscope"].includes(symmetry)) {
      const far = Math.hypot(w, h);
      for (let n = 0; n < count; n += 1) {
        const angle = (2 * Math.PI * n) / count - Math.PI / 2;
        parts.push(...this.line(middle, [mx + far * Math.cos(angle), my + far * Math.sin(angle)], "axis"));
      }
    }
    if (ruler) parts.push(...this.line(...ends, "ruler"));
    const knob = (at, which) => {
      const [cx, cy] = this.picture.seen(at);
      return svg("circle", { cx, cy, r: 6, "data-guide": which });
    };
    if (symmetry) parts.push(knob(middle, "middle"));
    if (ruler) parts.push(knob(ends[0], 0), knob(ends[1], 1));
    this.svg.replaceChildren(...parts);
    this.svg.dataset.parts = String(parts.length);
  }
}
