// A painter's own surface: the corners and knots of its cloth are dragged on the picture; the core lays the tile.
import { Draft, same } from "./drafts.js";
import { BenchLink } from "./bench_link.js";
import { note, post, refuse } from "./page.js";
import { svg } from "./svg.js";

const id = (name) => document.getElementById(name);
const main = id("own");
const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

class OwnSurface {
  constructor() {
    this.link = new BenchLink();
    this.laying = JSON.parse(id("own-laying").textContent);
    this.size = main.dataset.size.split(" ").map(Number);
    this.draft = new Draft(JSON.parse(id("draft").textContent), {
      link: this.link,
      told: note,
      show: (value) => this.take(value),
      state: (facts) => this.stepsShown(facts),
    });
    new ResizeObserver(() => this.arrange()).observe(id("own-view"));
    this.listen();
    this.tell();
  }

  listen() {
    document.querySelectorAll("[data-own]").forEach((input) =>
      input.addEventListener("input", () => {
        if (!input.checkValidity() || input.value === "") return;
        const { own } = input.dataset;
        if (own === "columns" || own === "rows") {
          this.ask({
            grid: ["columns", "rows"].map((name) => Number(document.querySelector(`[data-own="${name}"]`).value)),
          });
          return;
        }
        this.laying[own] = Number(input.value);
        this.changed(false);
        this.ask();
      }),
    );
    document.querySelectorAll("[data-own]").forEach((input) =>
      input.addEventListener("change", () => {
        if (!input.checkValidity()) {
          refuse(input.title);
          this.tell();
        } else if (!["columns", "rows"].includes(input.dataset.own)) this.changed();
      }),
    );
    id("own-tile").addEventListener("change", () => this.ask());
    id("own-keep").addEventListener("click", () => this.keep());
    document.querySelectorAll("[data-layer]").forEach((input) =>
      input.addEventListener("change", () => {
        if (!input.files[0]) return;
        const form = new FormData();
        form.append("picture", input.files[0]);
        input.value = "";
        this.layer(input.dataset.layer, form);
      }),
    );
    document
      .querySelectorAll("[data-none]")
      .forEach((button) => button.addEventListener("click", () => this.layer(button.dataset.none, { none: "1" })));
    id("own-name").addEventListener("input", () => this.changed(false));
    id("own-name").addEventListener("change", () => this.changed());
    for (const way of ["undo", "redo"]) id(way).addEventListener("click", () => this.draft[way]());
  }

  // What a draft holds of the surface.
  get value() {
    return { name: id("own-name").value, laying: this.laying };
  }

  changed(settled = true) {
    this.draft.change(this.value, settled);
    this.keepShown();
  }

  keepShown() {
    id("own-keep").disabled = same(this.value, this.draft.facts.saved);
  }

  // A value that is stored already: undone, redone, or changed in another window.
  take({ name, laying }) {
    id("own-name").value = name;
    this.laying = laying;
    this.ask();
  }

  stepsShown({ can_undo: back, can_redo: forth }) {
    id("undo").disabled = !back;
    id("redo").disabled = !forth;
    this.keepShown();
  }

  // As large as it fits.
  arrange() {
    const { clientWidth, clientHeight } = id("own-view");
    if (!clientWidth) return;
    const scale = Math.min((clientWidth - 32) / this.size[0], (clientHeight - 32) / this.size[1]);
    this.shown = this.size.map((side) => Math.max(Math.round(side * scale), 64));
    for (const one of [id("own-picture"), id("own-knots")]) {
      one.style.width = `${this.shown[0]}px`;
      one.style.height = `${this.shown[1]}px`;
    }
    this.ask();
  }

  async ask(more = {}) {
    if (!this.shown) return;
    this.knots();
    const width = Math.min(Math.round(this.shown[0] * (window.devicePixelRatio || 1)), 2048);
    const answer = await this.link.ask("own", {
      what: "own-surface",
      surface: Number(main.dataset.surface),
      laying: this.laying,
      tile: Number(id("own-tile").value),
      width,
      ...more,
    });
    if (!answer) return;
    if (answer.facts.refused) {
      id("own-words").textContent = answer.facts.refused.message;
      return;
    }
    id("own-words").textContent = "";
    const asked = more.knot !== undefined || more.grid !== undefined;
    this.laying = answer.facts.laying;
    if (asked) this.changed(!this.dragging);
    const canvas = id("own-picture");
    Object.assign(canvas, { width: answer.facts.width, height: answer.facts.height });
    canvas.getContext("2d").putImageData(new ImageData(answer.pixels, canvas.width, canvas.height), 0, 0);
    canvas.dataset.shown = String(Number(canvas.dataset.shown ?? 0) + 1);
    this.tell();
    this.knots();
  }

  tell() {
    document.querySelectorAll("[data-own]").forEach((input) => {
      if (input !== document.activeElement) input.value = String(this.laying[input.dataset.own]);
    });
    id("own-shade").textContent = this.laying.shade.toFixed(2);
    this.keepShown();
  }

  // The grid and its knots over the picture; the one in hand keeps the keys.
  knots() {
    const { points, columns, rows } = this.laying;
    const at = (n) => points[n].map((share, k) => share * this.shown[k]);
    const lines = [];
    for (let row = 0; row <= rows; row += 1) {
      for (let column = 0; column <= columns; column += 1) {
        const n = row * (columns + 1) + column;
        if (column < columns) lines.push([n, n + 1]);
        if (row < rows) lines.push([n, n + columns + 1]);
      }
    }
    const drawn = lines.map(([a, b]) => svg("line", { x1: at(a)[0], y1: at(a)[1], x2: at(b)[0], y2: at(b)[1] }));
    const box = id("own-knots");
    if (box.querySelectorAll("circle").length !== points.length) {
      box.replaceChildren(
        ...points.map((_, n) => {
          const knot = svg("circle", { r: 7, tabindex: 0, role: "button", "aria-label": `Point ${n + 1}` });
          knot.addEventListener("pointerdown", (event) => this.drag(event, knot, n));
          knot.addEventListener("keydown", (event) => {
            const way = ARROWS[event.key];
            if (!way) return;
            event.preventDefault();
            const by = event.shiftKey ? 10 : 1;
            this.move(
              n,
              this.laying.points[n].map((share, k) => share + (way[k] * by) / this.shown[k]),
            );
          });
          return knot;
        }),
      );
    }
    box.querySelectorAll("line").forEach((line) => line.remove());
    box.prepend(...drawn);
    box.querySelectorAll("circle").forEach((knot, n) => {
      const [x, y] = at(n);
      knot.setAttribute("cx", x);
      knot.setAttribute("cy", y);
    });
  }

  move(n, to) {
    this.ask({ knot: n, to: to.map((share) => Math.min(Math.max(share, -1), 2)) });
  }

  drag(event, knot, n) {
    if (event.button !== 0) return;
    event.preventDefault();
    knot.focus();
    knot.setPointerCapture(event.pointerId);
    this.dragging = true;
    const frame = id("own-knots").getBoundingClientRect();
    const move = ({ clientX, clientY }) =>
      this.move(n, [(clientX - frame.left) / frame.width, (clientY - frame.top) / frame.height]);
    const end = () => {
      this.dragging = false;
      knot.removeEventListener("pointermove", move);
      for (const kind of ["pointerup", "pointercancel"]) knot.removeEventListener(kind, end);
      this.changed();
    };
    knot.addEventListener("pointermove", move);
    for (const kind of ["pointerup", "pointercancel"]) knot.addEventListener(kind, end);
  }

  async keep() {
    await this.draft.idle();
    const laying = JSON.stringify(this.laying);
    const answer = await post(main.dataset.keep, { laying, name: id("own-name").value.trim() });
    if (answer.refused) {
      refuse(answer.refused);
      return;
    }
    id("own-title").textContent = id("own-name").value = answer.name;
    id("own-words").textContent = "Saved. You can add it to any proof.";
    await this.draft.refresh();
    this.tell();
  }

  async layer(what, values) {
    const answer = await post(main.dataset[what], values);
    if (answer.refused) {
      refuse(answer.refused);
      return;
    }
    for (const one of ["mask", "shade"]) document.querySelector(`[data-none="${one}"]`).disabled = !answer[one];
    this.ask();
  }
}

window.orvixOwn = new OwnSurface();
