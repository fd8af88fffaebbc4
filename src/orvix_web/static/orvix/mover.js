// Moving, scaling, turning and skewing Selection or the layers in hand: by the frame around it, or by numbers.
import { svg } from "./svg.js";

const id = (name) => document.getElementById(name);
const SNAP_TURN = Math.PI / 12;
const KNOB_PX = 26;
const NUMBERS = {
  x: ["move-x", 1, 0],
  y: ["move-y", 1, 0],
  across: ["move-across", 0.01, 1],
  down: ["move-down", 0.01, 1],
  turn: ["move-turn", 1, 0],
  skew: ["move-skew", 1, 0],
};

export class Mover {
  // link; picture; layers: the LayerStrip; selector: Selection.
  constructor({ link, picture, layers, selector }) {
    this.link = link;
    this.picture = picture;
    this.layers = layers;
    this.selector = selector;
    this.frame = null;
    this.guides = id("move-frame");
    id("move-now").addEventListener("click", () => this.byNumbers());
    document
      .querySelectorAll("[data-move]")
      .forEach((one) => one.addEventListener("click", () => this.do(JSON.parse(one.dataset.move))));
    id("move-again").addEventListener("click", () => this.again());
  }

  get on() {
    return document.querySelector("input[name=mode][value=move]").checked;
  }
  get numbers() {
    return this.layers.some.map((one) => one.id);
  }

  // What is moved now, and the frame around it.
  async shown() {
    if (!this.on) {
      this.guides.replaceChildren();
      return;
    }
    const told = await this.link.question({ what: "selection", layers: this.numbers });
    this.frame = told.frame ?? null;
    const [name] = this.layers.some.map((one) => one.name);
    id("moving-what").textContent = this.selector.box
      ? "Selection"
      : this.layers.some.length > 1
        ? `${this.layers.some.length} layers`
        : name;
    this.place();
  }

  place() {
    if (!this.on || !this.frame) {
      this.guides.replaceChildren();
      return;
    }
    const [x0, y0] = this.picture.seen(this.frame.slice(0, 2));
    const [x1, y1] = this.picture.seen(this.frame.slice(2));
    const [mx, my] = [(x0 + x1) / 2, (y0 + y1) / 2];
    const knobs = [
      [x0, y0, -1, -1],
      [mx, y0, 0, -1],
      [x1, y0, 1, -1],
      [x0, my, -1, 0],
      [x1, my, 1, 0],
      [x0, y1, -1, 1],
      [mx, y1, 0, 1],
      [x1, y1, 1, 1],
    ];
    const squares = knobs.map(([x, y, across, down]) =>
      svg("rect", { x: x - 5, y: y - 5, width: 10, height: 10, "data-across": across, "data-down": down }),
    );
    this.guides.replaceChildren(
      svg("path", { d: `M${x0} ${y0}H${x1}V${y1}H${x0}ZM${mx} ${y0}V${y0 - KNOB_PX}` }),
      ...squares,
      svg("circle", { cx: mx, cy: y0 - KNOB_PX, r: 6, "data-turn": "1" }),
    );
  }

  // A drag on a knob scales, turns, or with Ctrl on a side skews; elsewhere it moves. Alt leaves a copy.
  begin(event, x, y) {
    const { picture } = this;
    const knob = event.target.closest?.("#move-frame [data-across], #move-frame [data-turn]")?.dataset;
    const frame = this.frame ?? [0, 0, picture.facts.width, picture.facts.height];
    const middle = [(frame[0] + frame[2]) / 2, (frame[1] + frame[3]) / 2];
    const at = (px, py) => picture.toCanvas(px, py);
    const told = (px, py, moved) => {
      const by = [(px - x) / picture.zoom, (py - y) / picture.zoom];
      if (!knob) {
        return this.movedBy(
          by.map((one) => Math.round(one)),
          moved,
        );
      }
      if (knob.turn) return this.turned(middle, at(x, y), at(px, py), moved);
      return this.scaled(frame, knob, by, moved);
    };
    const whole = (one, copy) => (one ? { ...one, ...(copy ? { copy: true } : {}) } : null);
    return {
      move: (px, py, moved) => {
        const one = told(px, py, moved);
        if (one) this.layers.try(one);
      },
      end: (px, py, moved) => {
        const one = whole(told(px, py, moved), event.altKey || moved.altKey || id("move-copy").checked);
        if (!one) {
          this.layers.done({ what: "layers", layers: this.layers.stack });
          return;
        }
        this.finish(one.what === "move" && one.copy ? { ...one, what: "transform" } : one);
      },
      drop: () => this.layers.done({ what: "layers", layers: this.layers.stack }),
    };
  }

  /** @param {number[]} by  @param {PointerEvent} moved */
  movedBy([x, y], moved) {
    if (moved.shiftKey) {
      if (Math.abs(x) > Math.abs(y)) y = 0;
      else x = 0;
    }
    if (!x && !y) return null;
    return { what: this.selector.box ? "transform" : "move", layers: this.numbers, x, y };
  }

  turned(about, from, to, moved) {
    let turn = Math.atan2(to[1] - about[1], to[0] - about[0]) - Math.atan2(from[1] - about[1], from[0] - about[0]);
    if (moved.shiftKey) turn = Math.round(turn / SNAP_TURN) * SNAP_TURN;
    turn = Math.round((turn * 18000) / Math.PI) / 100;
    return turn ? { what: "transform", layers: this.numbers, turn, about } : null;
  }

  // The side or corner follows the pointer, the opposite one stays; corners keep the proportions but for Shift.
  scaled(frame, knob, by, moved) {
    const [ax, ay] = [Number(knob.across), Number(knob.down)];
    const [wide, high] = [frame[2] - frame[0], frame[3] - frame[1]];
    const about = [
      ax < 0 ? frame[2] : ax > 0 ? frame[0] : (frame[0] + frame[2]) / 2,
      ay < 0 ? frame[3] : ay > 0 ? frame[1] : (frame[1] + frame[3]) / 2,
    ];
    if (moved.ctrlKey && !ax && ay) {
      const skew = (Math.atan2(by[0] * -ay, high) * 180) / Math.PI;
      return {
        what: "transform",
        layers: this.numbers,
        skew: Math.round(Math.min(Math.max(skew, -80), 80) * 100) / 100,
        about,
      };
    }
    let [across, down] = [ax ? 1 + (ax * by[0]) / wide : 1, ay ? 1 + (ay * by[1]) / high : 1];
    if (ax && ay && !moved.shiftKey) across = down = Math.abs(across - 1) > Math.abs(down - 1) ? across : down;
    const kept = (one) => {
      const size = Math.min(Math.max(Math.abs(one), 1 / 64), 64);
      return Math.round((one < 0 ? -size : size) * 1e5) / 1e5;
    };
    return { what: "transform", layers: this.numbers, across: kept(across), down: kept(down), about };
  }

  byNumbers() {
    const told = {};
    for (const [name, [field, unit, usual]] of Object.entries(NUMBERS)) {
      const value = Number(id(field).value) * Number(unit);
      if (value !== usual) told[name] = Math.round(value * 1e6) / 1e6;
    }
    this.do(told);
  }

  do(told) {
    if (!Object.keys(told).length) return;
    this.finish({
      what: "transform",
      layers: this.numbers,
      ...told,
      ...(id("move-copy").checked ? { copy: true } : {}),
    });
  }

  finish(told) {
    const { about, ...rest } = told;
    // Where it was about, as shares of the frame: the same again is about the same place of where it is then.
    const share =
      about && this.frame
        ? about.map((one, axis) => (one - this.frame[axis]) / Math.max(this.frame[axis + 2] - this.frame[axis], 1))
        : null;
    this.last = { rest, share };
    id("move-again").disabled = false;
    this.layers.done(told);
  }

  // The last step once more, from where it is now.
  async again() {
    if (!this.last) return;
    const { rest, share } = this.last;
    await this.shown();
    const about =
      share && this.frame
        ? { about: share.map((one, axis) => this.frame[axis] + one * (this.frame[axis + 2] - this.frame[axis])) }
        : {};
    this.layers.done({ ...rest, layers: this.numbers, ...about });
  }
}
