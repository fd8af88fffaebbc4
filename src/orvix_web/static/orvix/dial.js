// The dial of the way back: turns set around the compass. Drag a hand to turn it; press the rim to set another one.
import { svg } from "./svg.js";

const SIDE = 108;
const R = 40;
const onRim = (degrees, radius = R) => [
  SIDE / 2 + radius * Math.cos((degrees * Math.PI) / 180),
  SIDE / 2 + radius * Math.sin((degrees * Math.PI) / 180),
];

export class Dial {
  constructor(box, changed) {
    this.box = box;
    this.changed = changed;
    this.chosen = 0;
    this.svg = svg("svg", { viewBox: `0 0 ${SIDE} ${SIDE}`, width: SIDE, height: SIDE });
    this.words = document.createElement("div");
    this.words.className = "dial-words";
    this.words.innerHTML =
      '<label><span>Heading</span><input class="line" data-axis="0" inputmode="decimal"></label><label><span>Rotation</span><input class="line" data-axis="1" inputmode="decimal"></label><button type="button" class="plain">Delete</button>';
    box.append(this.svg, this.words);
    this.svg.addEventListener("pointerdown", (event) => this.press(event));
    this.svg.addEventListener("pointermove", (event) => {
      if (this.dragging) {
        this.points[this.chosen][0] = this.angle(event);
        this.changed(false);
      }
    });
    this.svg.addEventListener("pointerup", () => {
      if (this.dragging) {
        this.dragging = false;
        this.changed(true);
      }
    });
    this.words.querySelectorAll("input").forEach((input) =>
      input.addEventListener("change", () => {
        const value = parseFloat(input.value);
        if (Number.isFinite(value)) {
          this.points[this.chosen][Number(input.dataset.axis)] = Math.min(Math.max(value, -360), 360);
        }
        this.changed(true);
      }),
    );
    this.words.querySelector("button").addEventListener("click", () => {
      if (this.points.length > 1) {
        this.points.splice(this.chosen, 1);
        this.chosen = 0;
        this.changed(true);
      }
    });
  }

  angle(event) {
    const box = this.svg.getBoundingClientRect();
    const degrees =
      (Math.atan2(event.clientY - box.top - box.height / 2, event.clientX - box.left - box.width / 2) * 180) / Math.PI;
    return Math.round((degrees + 360) % 360);
  }

  press(event) {
    if (event.button !== 0) return;
    const hit = event.target.closest("[data-n]");
    if (hit) this.chosen = Number(hit.dataset.n);
    else if (this.points.length < 12) {
      this.points.push([this.angle(event), 0]);
      this.chosen = this.points.length - 1;
    }
    this.dragging = true;
    this.svg.setPointerCapture(event.pointerId);
    this.changed(!hit);
  }

  fill(coat) {
    this.points = coat.values.dial;
    this.box.classList.toggle("hidden", coat.values.way_back !== "dial");
    this.chosen = Math.min(this.chosen, this.points.length - 1);
    const marks = this.points.map(([at, turn], n) => {
      const [x, y] = onRim(at);
      const group = svg("g", {
        "data-n": n,
        class: n === this.chosen ? "chosen" : "",
        transform: `translate(${x} ${y}) rotate(${turn})`,
      });
      group.append(svg("ellipse", { rx: 9, ry: 3.5 }), svg("circle", { cx: 6, r: 1.6 }));
      return group;
    });
    this.svg.replaceChildren(svg("circle", { cx: SIDE / 2, cy: SIDE / 2, r: R, class: "rim" }), ...marks);
    const [at, turn] = this.points[this.chosen];
    const inputs = this.words.querySelectorAll("input");
    [inputs[0].value, inputs[1].value] = [`${at}°`, `${turn}°`];
  }
}
