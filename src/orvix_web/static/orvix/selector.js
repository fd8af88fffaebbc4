// Selecting in the canvas room: drawn, by colour, combined; its edge on the picture; what is made of it.
import { post, refuse } from "./page.js";
import { svg } from "./svg.js";
import { checked } from "./values.js";

const id = (name) => document.getElementById(name);
const LEAST_PX = 3;
const number = (name) => Number(id(name).value);

export class Selector {
  // link: what is edited and asked; picture; home(x, y): a place of the view in px of the canvas; layers: the LayerStrip;
  // facts: the canvas's width and height; onChange(): something else is selected.
  constructor({ link, picture, home, layers, facts, onChange }) {
    this.link = link;
    this.picture = picture;
    this.home = home;
    this.layers = layers;
    this.facts = facts;
    this.onChange = onChange;
    this.box = null;
    this.paths = [];
    this.seen = 0;
    this.svg = id("selected-paths");
    id("select-kind").addEventListener("change", () => this.shown());
    document
      .querySelectorAll("[data-select]")
      .forEach((one) => one.addEventListener("click", () => this.acts(one.dataset.select)));
    id("take-as").addEventListener("click", ({ target }) => {
      if (target.value) this.takeAs(target.value);
    });
    this.shown();
  }

  shown() {
    const kind = id("select-kind").value;
    id("select-true-part").classList.toggle("hidden", kind !== "outline");
    id("select-colour-part").classList.toggle("hidden", !["area", "apart"].includes(kind));
    document.querySelectorAll(".selected-part").forEach((one) => one.classList.toggle("hidden", !this.box));
    if (this.box) {
      const [left, top, right, bottom] = this.box;
      id("selected-words").textContent = `${right - left} × ${bottom - top} px selected`;
    }
    this.svg.dataset.box = this.box ? this.box.join() : "";
  }

  // News of the core: another number says that something else is selected.
  async news(now) {
    if (now === this.seen || this.asking) return;
    this.asking = true;
    const told = await this.link.question({ what: "selection" });
    this.asking = false;
    if (!told.paths) return;
    this.seen = told.selected;
    this.box = told.box;
    this.paths = told.paths;
    this.shown();
    this.place();
    this.onChange();
    this.svg.dataset.told = String(Number(this.svg.dataset.told || 0) + 1);
    if (this.latest > this.seen) this.news(this.latest);
  }

  take(now) {
    this.latest = now;
    this.news(now);
  }

  // The edge where the picture is now.
  place() {
    const { picture } = this;
    const at = (place) =>
      picture
        .seen(place)
        .map((one) => one.toFixed(1))
        .join(" ");
    const d = this.paths.map((path) => `M${path.map(at).join("L")}Z`).join("");
    const made = ["under", "over"].map((name) => svg("path", { d, class: name }));
    this.svg.replaceChildren(...(d ? made : []));
  }

  way(event) {
    return event.shiftKey ? "add" : event.ctrlKey || event.metaKey ? "subtract" : checked("select-way");
  }

  // A drag draws one; for a colour, a press says where.
  begin(event, x, y) {
    const kind = id("select-kind").value;
    const start = this.home(x, y);
    const places = [start];
    const at = (px, py) => start.map((one, axis) => one + ([px, py][axis] - [x, y][axis]) / this.picture.zoom);
    const round = (place) => place.map((n) => Math.round(n * 64) / 64);
    const way = this.way(event);
    const drawn = svg("path", { class: "over" });
    const show = (px, py) => {
      const [x0, y0, x1, y1] = [Math.min(x, px), Math.min(y, py), Math.max(x, px), Math.max(y, py)];
      const [rx, ry] = [(x1 - x0) / 2, (y1 - y0) / 2];
      const free = () =>
        `M${places
          .map((place) =>
            this.picture
              .seen(place)
              .map((one) => one.toFixed(1))
              .join(" "),
          )
          .join("L")}Z`;
      drawn.setAttribute(
        "d",
        kind === "rectangle"
          ? `M${x0} ${y0}H${x1}V${y1}H${x0}Z`
          : kind === "ellipse"
            ? `M${x0} ${y0 + ry}a${rx} ${ry} 0 1 1 ${2 * rx} 0a${rx} ${ry} 0 1 1 ${-2 * rx} 0`
            : free(),
      );
      if (!drawn.parentNode) this.svg.append(drawn);
    };
    if (kind === "area" || kind === "apart") return { end: () => this.byColour(start, kind, way) };
    return {
      move: (px, py, moved) => {
        for (const one of moved.getCoalescedEvents?.() ?? []) places.push(at(...this.picture.at(one)));
        show(px, py);
      },
      end: (px, py) => {
        drawn.remove();
        const far = Math.hypot(px - x, py - y);
        if (far < LEAST_PX && places.length < 6) {
          if (this.box && way === "new") this.ask({ kind: "none" });
          return;
        }
        // On a canvas that ends at its borders, a selection keeps to whole px of it.
        const make =
          kind === "outline"
            ? {
                kind: "drawn",
                places: [...places, at(px, py)].map(round),
                closed: true,
                true_form: id("select-true").checked,
              }
            : { kind, start: this.whole(start), end: this.whole(at(px, py)) };
        this.ask({ kind: "shape", make }, way);
      },
      drop: () => drawn.remove(),
    };
  }

  whole(place) {
    return place.map((one) => Math.round(one));
  }

  byColour(at, kind, way) {
    const [x, y] = at.map((one, axis) =>
      Math.min(Math.max(Math.floor(one), 0), [this.facts.width, this.facts.height][axis] - 1),
    );
    this.ask(
      {
        kind: "colour",
        x,
        y,
        tolerance: number("select-tolerance") / 100,
        all: id("select-all-layers").checked,
        apart: kind === "apart",
        layer: this.layers.layer().id,
      },
      way,
    );
  }

  ask(by, way = "new") {
    this.link.edit({ what: "select", by, way });
  }

  acts(what) {
    const px = number("select-px");
    const acts = {
      layer: () => this.ask({ kind: "layer", layer: this.layers.chosen }, checked("select-way")),
      grow: () => this.ask({ kind: "grow", px: Math.round(px) }),
      shrink: () => this.ask({ kind: "grow", px: -Math.round(px) }),
      feather: () => this.ask({ kind: "feather", px }),
    };
    (acts[what] ?? (() => this.ask({ kind: what })))();
  }

  async takeAs(kind) {
    const layers = id("take-from").value === "layers" ? this.layers.some.map((one) => one.id) : null;
    const told = await post(`/canvases/${this.link.canvas}/taken/`, { kind, layers: JSON.stringify(layers) });
    if (told.refused) refuse(told.refused);
    else location.assign(told.href);
  }
}
