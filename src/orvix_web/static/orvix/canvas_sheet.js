// The canvas itself in its room: its size in px, mm and inch, cut, extended, resampled, turned, painted again larger.
import { refuse } from "./page.js";
import { inUnit, mm, perUnit } from "./units.js";

const id = (name) => document.getElementById(name);
const WAYS = ["right", "left", "half", "across", "down"];
const parted = (text) => {
  const [above, below = "1"] = String(text).split("/");
  return Number(above) / Number(below);
};

export class CanvasSheet {
  // link: what is edited; layers: the LayerStrip; selector: what is selected; facts: the size the page was made for;
  // brush(): the version in hand; take(fit, scale, turn): lays a grain or a fill so.
  constructor({ link, layers, selector, facts, brush, take }) {
    this.link = link;
    this.layers = layers;
    this.selector = selector;
    this.facts = facts;
    this.brush = brush;
    this.take = take;
    this.sheet = id("canvas-sheet");
    id("canvas-open").addEventListener("click", () => this.open(this.sheet.classList.contains("hidden")));
    id("canvas-close").addEventListener("click", () => this.open(false));
    this.sheet.addEventListener("click", ({ target }) => {
      if (target.dataset.canvas) this.acts(target.dataset.canvas);
      if (target.dataset.size) this.put(target.dataset.size.split("x").map(Number));
    });
    for (const name of ["width", "height"]) id(`canvas-${name}`).addEventListener("input", () => this.typed(name));
    id("canvas-ppi").addEventListener("input", () => this.tell());
    id("canvas-unit").addEventListener("change", () => this.put(this.px));
    for (const name of ["ground", "bare"]) {
      id(`canvas-${name}`).addEventListener("change", () =>
        this.link.edit({ what: "sheet", ground: id("canvas-bare").checked ? "" : id("canvas-ground").value }),
      );
    }
    id("enlarge").addEventListener("input", () => this.tell());
    id("enlarge").addEventListener("htmx:afterRequest", (event) => {
      if (event.detail.successful) this.open(false);
    });
  }

  // News: the size, ppi and ground it has now. Another size than the page was made for: the page is made anew.
  news(now) {
    const [width, height, ppi, ground] = now;
    if (this.facts.width !== width || this.facts.height !== height) {
      location.reload();
      return;
    }
    if (this.now && this.now[2] !== ppi) id("canvas-ppi-now").textContent = `${Math.round(ppi * 100) / 100}`;
    this.now = now;
    id("canvas-bare").checked = !ground;
    if (ground) id("canvas-ground").value = ground;
  }

  get ppi() {
    return Number(id("canvas-ppi").value) || this.now[2];
  }
  get unit() {
    return id("canvas-unit").value;
  }

  open(on) {
    this.sheet.classList.toggle("hidden", !on);
    id("canvas-open").setAttribute("aria-expanded", String(on));
    if (!on) return;
    id("canvas-ppi").value = String(Math.round(this.now[2] * 100) / 100);
    id("canvas-selected").classList.toggle("hidden", !this.selector.box);
    this.put(this.now.slice(0, 2));
  }

  // A size in px, shown in the unit chosen.
  put(size) {
    this.px = size;
    ["width", "height"].forEach((name, axis) => {
      id(`canvas-${name}`).value = inUnit(size[axis], this.unit, this.ppi);
    });
    this.tell();
  }

  typed(name) {
    const axis = name === "width" ? 0 : 1;
    const value = Math.round(Number(id(`canvas-${name}`).value) * perUnit(this.unit, this.ppi)) || 0;
    const other = 1 - axis;
    const size = [...this.px];
    size[axis] = value;
    if (id("canvas-keep").checked) {
      size[other] = Math.round((value * this.now[other]) / this.now[axis]);
      id(`canvas-${other ? "height" : "width"}`).value = inUnit(size[other], this.unit, this.ppi);
    }
    this.px = size;
    this.tell();
  }

  tell() {
    const [width, height] = this.px;
    id("canvas-real").textContent =
      `${mm(this.now[0], this.ppi)} × ${mm(this.now[1], this.ppi)} mm in print at ${this.ppi} ppi`;
    id("canvas-px").textContent = `${width} × ${height} px, ${mm(width, this.ppi)} × ${mm(height, this.ppi)} mm`;
    const times = parted(id("enlarge").elements.times.value);
    id("enlarge-size").textContent =
      times > 0
        ? `New canvas of ${Math.round(this.now[0] * times)} × ${Math.round(this.now[1] * times)} px. Every stroke is repainted at this size.`
        : "";
  }

  // Sizes on which what is painted here closes, nearest first: a press takes one into the fields.
  fits(fits) {
    const open = fits.find((one) => !one.closes);
    const sizes = (open?.canvases ?? []).filter(([w, h]) => w !== this.now?.[0] || h !== this.now?.[1]).slice(0, 4);
    const presses = sizes.map(([w, h]) => {
      const press = Object.assign(document.createElement("button"), {
        type: "button",
        className: "plain",
        textContent: `${w} × ${h}`,
      });
      press.dataset.size = `${w}x${h}`;
      return press;
    });
    // It closes turned as well: a press takes the turn and the scale, of a fill or of the brush in hand.
    const mine = open && (open.layer || (open.brush_version && open.brush_version === this.brush()));
    const turns = mine
      ? open.turns.filter((one) => Math.abs(one.stretch - 1) < 1e-9 && Math.abs(one.turn_deg) > 1e-6).slice(0, 2)
      : [];
    const turned = turns.map(({ turn_deg: turn, scale }) => {
      const press = Object.assign(document.createElement("button"), {
        type: "button",
        className: "plain",
        textContent: `Rotate ${turn.toFixed(2)}°, scale ${scale.toFixed(4)}`,
      });
      if (!open.layer) press.title = `Saves a new version of ${open.brush} with this grain and selects it.`;
      press.addEventListener("click", () => this.take(open, String(scale), turn));
      return press;
    });
    // One that closes only stretched as well cannot be laid so here: it is told.
    const stretched = (open?.turns ?? []).find((one) => Math.abs(one.stretch - 1) >= 1e-9);
    if (stretched) {
      turned.push(
        `Rotated ${stretched.turn_deg.toFixed(2)}° at ${stretched.scale.toFixed(4)} it fits if stretched ${stretched.stretch.toFixed(4)} times in width`,
      );
    }
    id("canvas-closes").replaceChildren(
      ...(presses.length || turned.length ? [`${open.grain} fits at `, ...presses, ...turned] : []),
    );
  }

  acts(what) {
    const [width, height] = this.px;
    const { now } = this;
    const from = id("canvas-from").value.split(" ").map(Number);
    if (WAYS.includes(what)) {
      this.link.edit({ what: "turn", way: what });
      return;
    }
    const acts = {
      crop: () =>
        this.link.edit({
          what: "crop",
          x: Math.round((now[0] - width) * from[0]),
          y: Math.round((now[1] - height) * from[1]),
          width,
          height,
        }),
      resample: () => this.link.edit({ what: "resample", width, height }),
      selected: () => {
        const [x0, y0, x1, y1] = this.selector.box ?? [];
        if (x1) this.link.edit({ what: "crop", x: x0, y: y0, width: x1 - x0, height: y1 - y0 });
        else refuse("Nothing is selected. Select an area first.");
      },
      sheet: () => this.link.edit({ what: "sheet", ppi: this.ppi }),
      flatten: () => {
        this.layers.awaited = this.layers.next;
        this.link.edit({ what: "flatten", layer: this.layers.next });
      },
    };
    acts[what]?.();
  }
}
