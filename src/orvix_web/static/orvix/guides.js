// Guides over a cloth: the frame of the one tile, lines, grid, margin, reserve. Drawn over the picture, never into it.
import { drawCorners } from "./lattice.js";
import { post, refuse } from "./page.js";

const NEAR_PX = 8;
const OUTLINES = {
  rhomb: () => [
    [0.5, 0],
    [1, 0.5],
    [0.5, 1],
    [0, 0.5],
  ],
  ellipse: () =>
    Array.from({ length: 20 }, (_, n) => [
      0.5 + 0.5 * Math.sin((n * Math.PI) / 10),
      0.5 - 0.5 * Math.cos((n * Math.PI) / 10),
    ]),
  octagon: () => [
    [0.3, 0],
    [0.7, 0],
    [1, 0.3],
    [1, 0.7],
    [0.7, 1],
    [0.3, 1],
    [0, 0.7],
    [0, 0.3],
  ],
};

export class Guides {
  // keep: where settings are posted to. onSet(): called after settings changed.
  constructor(picture, keep, onSet = () => {}) {
    this.picture = picture;
    this.keep = keep;
    this.onSet = onSet;
    this.former = { across: false, down: false };
    this.settings = JSON.parse(document.getElementById("settings").textContent);
    document
      .querySelectorAll("[data-setting]")
      .forEach((field) =>
        field.addEventListener("change", () =>
          this.set({ [field.dataset.setting]: field.type === "checkbox" ? field.checked : Number(field.value) }),
        ),
      );
    document.getElementById("outline").addEventListener("change", (event) => {
      if (event.target.value) this.set({ outline: OUTLINES[event.target.value](), reserve: true });
      event.target.value = "";
    });
    document.getElementById("shaping").addEventListener("change", () => this.set({ reserve: true }));
    this.listen();
  }

  get shaping() {
    return document.getElementById("shaping").checked && this.settings.reserve;
  }
  get frame() {
    return { x: this.settings.frame_x, y: this.settings.frame_y };
  }

  // Change settings and have them kept, one after the other; what is refused is taken back.
  set(changes) {
    const before = this.settings;
    this.settings = { ...before, ...changes };
    document.querySelector("[data-setting=reserve]").checked = this.settings.reserve;
    this.picture.draw();
    const wanted = JSON.stringify(this.settings);
    this.sending = (this.sending ?? Promise.resolve()).then(async () => {
      const told = await post(this.keep, { settings: wanted });
      if (told.refused) {
        this.settings = before;
        refuse(told.refused);
        this.picture.draw();
      }
      this.picture.box.dataset.settings = String(Number(this.picture.box.dataset.settings || 0) + 1);
      this.onSet();
    });
  }

  // The place a pen's point is put: on a grid line that it comes near.
  snapped(x, y) {
    const { settings, picture } = this;
    if (!settings.snap) return [x, y];
    const { w, h } = picture.whole;
    const near = NEAR_PX / picture.zoom;
    const [hx, hy] = picture.home(x - settings.frame_x, y - settings.frame_y);
    const on = (value, start, step) => {
      const line = start + Math.round((value - start) / step) * step;
      return Math.abs(line - value) <= near ? line : value;
    };
    return [on(x, settings.frame_x + hx, w / settings.columns), on(y, settings.frame_y + hy, h / settings.rows)];
  }

  snappedOnScreen(x, y) {
    const { picture } = this;
    return picture.seen(this.snapped(...picture.toCanvas(x, y)));
  }

  // Places of the screen, in its px, of places of the framed tile, in px of the canvas.
  at(x, y) {
    const { picture } = this;
    const scale = picture.zoom * picture.ratio;
    return [
      Math.round((x + this.settings.frame_x - picture.left) * scale) + 0.5,
      Math.round((y + this.settings.frame_y - picture.top) * scale) + 0.5,
    ];
  }

  draw() {
    const { settings, picture } = this;
    const { w, h } = picture.whole;
    const line = (points, dash = [], wide = 1.2) => this.line(points, dash, wide);
    if (settings.grid) {
      for (let n = 1; n < settings.columns; n += 1) {
        line(
          [
            [(w * n) / settings.columns, 0],
            [(w * n) / settings.columns, h],
          ],
          [],
          0.6,
        );
      }
      for (let n = 1; n < settings.rows; n += 1) {
        line(
          [
            [0, (h * n) / settings.rows],
            [w, (h * n) / settings.rows],
          ],
          [],
          0.6,
        );
      }
    }
    if (settings.centre) {
      line(
        [
          [w / 2, 0],
          [w / 2, h],
        ],
        [10, 4],
      );
      line(
        [
          [0, h / 2],
          [w, h / 2],
        ],
        [10, 4],
      );
    }
    if (settings.margin) {
      const m = settings.margin;
      line(
        [
          [m, m],
          [w - m, m],
          [w - m, h - m],
          [m, h - m],
          [m, m],
        ],
        [4, 4],
      );
    }
    if (settings.former) this.drawFormer(line);
    if (settings.reserve) this.drawReserve(w, h);
    if (settings.frame) this.drawFrame(w, h);
  }

  // What was the border, where half moves have brought it inside, in every part of the tile.
  drawFormer(line) {
    const { width, height, places } = this.picture.facts;
    const [fx, fy] = [this.settings.frame_x, this.settings.frame_y];
    for (const [column, row] of places) {
      const [left, top] = [column * width - fx, row * height - fy];
      const [x, y] = [left + Math.floor(width / 2), top + Math.floor(height / 2)];
      if (this.former.across) {
        line(
          [
            [x, top],
            [x, top + height],
          ],
          [2, 6],
          2,
        );
      }
      if (this.former.down) {
        line(
          [
            [left, y],
            [left + width, y],
          ],
          [2, 6],
          2,
        );
      }
    }
  }

  drawReserve(w, h) {
    const points = this.settings.outline.map(([x, y]) => [x * w, y * h]);
    this.line([...points, points[0]], [], 1.6);
    if (!this.shaping) return;
    const { context } = this.picture;
    for (const point of points) {
      const [x, y] = this.at(...point);
      context.fillStyle = "#ffffff";
      context.strokeStyle = "#1b5e80";
      context.lineWidth = 2;
      context.beginPath();
      context.rect(x - 4.5, y - 4.5, 9, 9);
      context.fill();
      context.stroke();
    }
  }

  line(points, dash, wide) {
    const { context } = this.picture;
    for (const [style, extra] of [
      ["rgb(255 255 255 / 80%)", 1.6],
      ["#1b5e80", 0],
    ]) {
      context.strokeStyle = style;
      context.lineWidth = wide + extra;
      context.setLineDash(extra ? [] : dash);
      context.beginPath();
      points.forEach((point, n) => (n ? context.lineTo(...this.at(...point)) : context.moveTo(...this.at(...point))));
      context.stroke();
    }
    context.setLineDash([]);
  }

  drawFrame(w, h) {
    const { context } = this.picture;
    const [[x0, y0], [x1, y1]] = [this.at(0, 0), this.at(w, h)];
    drawCorners(context, [x0, y0], [x1, y1]);
    context.fillStyle = "#1c1e21";
    context.fillRect(x0 - 13, y0 - 13, 10, 10);
    context.strokeStyle = "#ffffff";
    context.lineWidth = 1;
    context.strokeRect(x0 - 13, y0 - 13, 10, 10);
  }

  // What can be dragged: the frame by the square at its corner, and the corners of the reserve while it is being shaped.
  under(x, y) {
    const { settings, picture } = this;
    const { w, h } = picture.whole;
    const place = (point) => this.at(...point).map((value) => value / picture.ratio);
    if (this.shaping) {
      const n = settings.outline.findIndex((point) => {
        const [px, py] = place([point[0] * w, point[1] * h]);
        return Math.hypot(px - x, py - y) < NEAR_PX + 2;
      });
      if (n >= 0) return { corner: n };
    }
    const [fx, fy] = place([0, 0]);
    return settings.frame && x > fx - 16 && x < fx && y > fy - 16 && y < fy
      ? { frame: [settings.frame_x, settings.frame_y], from: [x, y] }
      : null;
  }

  listen() {
    const { box } = this.picture;
    const at = (event) => {
      const frame = box.getBoundingClientRect();
      return [event.clientX - frame.left, event.clientY - frame.top];
    };
    box.addEventListener(
      "pointerdown",
      (event) => {
        if (event.button !== 0) return;
        this.held = this.under(...at(event));
        if (this.held) {
          event.preventDefault();
          event.stopImmediatePropagation();
          box.setPointerCapture(event.pointerId);
        }
      },
      { capture: true },
    );
    box.addEventListener(
      "pointermove",
      (event) => {
        if (this.held) {
          this.drag(...at(event));
          event.stopImmediatePropagation();
        }
      },
      { capture: true },
    );
    for (const end of ["pointerup", "pointercancel"]) {
      box.addEventListener(
        end,
        () => {
          if (!this.held) return;
          const { moved } = this;
          this.held = null;
          this.moved = null;
          if (!moved) return;
          this.settings = this.before;
          this.set(moved);
        },
        { capture: true },
      );
    }
  }

  drag(x, y) {
    const { picture, held } = this;
    if (!this.moved) this.before = this.settings;
    if (held.frame) {
      const [dx, dy] = [(x - held.from[0]) / picture.zoom, (y - held.from[1]) / picture.zoom].map(Math.round);
      this.moved = { frame_x: held.frame[0] + dx, frame_y: held.frame[1] + dy };
    } else {
      const { w, h } = picture.whole;
      const [px, py] = picture.toCanvas(x, y);
      const share = (value, side) => Math.min(Math.max(Number((value / side).toFixed(4)), 0), 1);
      const outline = this.settings.outline.map((point, n) =>
        n === held.corner ? [share(px - this.frame.x, w), share(py - this.frame.y, h)] : point,
      );
      this.moved = { outline };
    }
    this.settings = { ...this.settings, ...this.moved };
    picture.draw();
  }
}
