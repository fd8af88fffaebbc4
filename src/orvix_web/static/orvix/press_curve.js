// The pressure along a path as a curve: points dragged, added by a press beside the line, deleted by two presses.
import { svg } from "./svg.js";

const NEAR = 7;
const MOST = 16;

export class PressCurve {
  // box: the svg; onChange(rows): it is another now, and let go.
  constructor(box, onChange = (_value) => {}) {
    this.box = box;
    this.onChange = onChange;
    this.rows = [
      [0, 1],
      [1, 1],
    ];
    const { width, height } = box.viewBox.baseVal;
    this.width = width;
    this.height = height;
    box.addEventListener("pointerdown", (event) => this.press(event));
    box.addEventListener("pointermove", (event) => {
      if (this.held !== undefined) this.drag(event);
    });
    for (const end of ["pointerup", "pointercancel"]) {
      box.addEventListener(end, () => {
        if (this.held !== undefined) {
          this.held = undefined;
          this.letGo();
        }
      });
    }
    box.addEventListener("dblclick", (event) => {
      const n = this.under(event);
      if (n > 0 && n < this.rows.length - 1) {
        this.rows.splice(n, 1);
        this.draw();
        this.letGo();
      }
    });
    this.told = JSON.stringify(this.value);
    this.draw();
  }

  // A press that changes nothing is no change.
  letGo() {
    const now = JSON.stringify(this.value);
    if (now === this.told) return;
    this.told = now;
    this.onChange(this.value);
  }

  at(event) {
    const { left, top } = this.box.getBoundingClientRect();
    return [event.clientX - left, event.clientY - top];
  }
  /** @param {number[]} row */
  place([share, press]) {
    return [5 + share * (this.width - 10), 4 + (1 - press) * (this.height - 8)];
  }
  under(event) {
    const [x, y] = this.at(event);
    return this.rows.findIndex((row) => {
      const [px, py] = this.place(row);
      return Math.hypot(px - x, py - y) < NEAR;
    });
  }
  row(event) {
    const [x, y] = this.at(event);
    const kept = (one) => Math.min(Math.max(one, 0), 1);
    return [kept((x - 5) / (this.width - 10)), kept(1 - (y - 4) / (this.height - 8))];
  }

  press(event) {
    if (event.button !== 0) return;
    this.box.setPointerCapture(event.pointerId);
    const n = this.under(event);
    if (n >= 0) {
      this.held = n;
      return;
    }
    if (this.rows.length >= MOST) return;
    const row = this.row(event);
    this.held = this.rows.findIndex((one) => one[0] > row[0]);
    this.rows.splice(this.held, 0, row);
    this.draw();
  }

  drag(event) {
    const [share, press] = this.row(event);
    const { held, rows } = this;
    const ends = held === 0 || held === rows.length - 1;
    rows[held] = [
      ends ? rows[held][0] : Math.min(Math.max(share, rows[held - 1][0] + 0.01), rows[held + 1][0] - 0.01),
      press,
    ];
    this.draw();
  }

  // Rows of a share of the way and a pressure.
  get value() {
    return this.rows.map(([share, press]) => [Math.round(share * 1000) / 1000, Math.round(press * 1000) / 1000]);
  }
  put(rows) {
    this.rows = rows.map((row) => [...row]);
    this.told = JSON.stringify(this.value);
    this.draw();
  }

  draw() {
    const points = this.rows.map((row) => this.place(row));
    this.box.replaceChildren(
      svg("polyline", { points: points.map((one) => one.join()).join(" ") }),
      ...points.map(([cx, cy]) => svg("circle", { cx, cy, r: 3.5 })),
    );
    this.box.dataset.rows = JSON.stringify(this.value);
  }
}
