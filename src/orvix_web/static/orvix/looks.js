// The looks of a proof wall, side by side at one scale: asked of the core, copied, and what lies on a surface is moved.
const GAP_PX = 28;
const LABEL_PX = 40;
const LEAST_PX = 110;
const MOST_BESIDE = 8;
const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
const TITLES = new Map();
const HANGS = ["columns", "rows", "metres", "version", "layer", "colours"];
const round = (number, digits) => Number(number.toFixed(digits));

// What a look is of, where that is not the thing Current version: a version, a layer, a colourway.
export const namesOf = (look) => {
  const named = (kind, number) =>
    document.querySelector(`#look-shown option[value='${JSON.stringify({ [kind]: number })}']`)?.textContent ??
    `${kind} ${number}`;
  const words = ["version", "layer"].filter((kind) => look[kind]).map((kind) => named(kind, look[kind]));
  return [...words, ...(look.colours ? [look.colours] : [])].join(", ") || "Current version";
};

const kindOf = (look) => {
  if (look.kind === "repeat") return `${look.columns} × ${look.rows} repeat`;
  if (look.kind === "distance") return `From ${look.metres} m`;
  return TITLES.get(look.surface)?.[0] ?? look.surface;
};

export const titleOf = (look) =>
  look.version || look.layer || look.colours ? `${namesOf(look)} · ${kindOf(look)}` : kindOf(look);

function wordsOf(look, facts) {
  const size = facts.size_mm.map((side) => Math.round(side)).join(" × ");
  if (look.kind === "distance") {
    return `${size} mm, fills ${facts.angle_deg.map((one) => round(one, 1)).join(" × ")}° of view, detail from ${round(facts.blur_mm, 1)} mm`;
  }
  if (look.kind === "surface") return TITLES.get(look.surface)?.[1] ?? "";
  return `${size} mm`;
}

export class Looks {
  // link: a BenchLink; of: {of, pk}; wall: what is kept; chosen(look, n) and changed() are told of.
  constructor(box, link, of, wall, { chosen, changed, scaled }) {
    this.box = box;
    this.link = link;
    this.of = of;
    this.wall = wall;
    this.chosen = chosen;
    this.changed = changed;
    this.scaled = scaled;
    this.facts = [];
    this.at = 0;
    this.trueScale = 0;
    this.seatMm = 0;
    document
      .querySelectorAll("#add-look optgroup option[value^='{']")
      .forEach((one) => this.name(JSON.parse(one.value).surface, ...one.textContent.split(", ")));
    new ResizeObserver(() => this.arrange()).observe(box);
    // At true size most of a wall lies outside of the window: a look is drawn when it comes into it.
    this.seen = new IntersectionObserver((entries) => entries.forEach((entry) => this.comes(entry)), {
      root: box,
      rootMargin: "300px",
    });
    this.rehang();
  }

  // What a surface is called, and its size in words.
  name(surface, title, size) {
    TITLES.set(surface, [title, size]);
  }

  // One that leaves the window gives its pixels back, and is drawn again when it comes.
  comes({ isIntersecting, target }) {
    target.dataset.seen = isIntersecting ? "yes" : "";
    if (!isIntersecting) this.giveBack(target);
    if (isIntersecting && target.dataset.stale) this.draw(Number(target.dataset.n));
  }

  // At true size only what is near the window holds pixels.
  giveBack(figure) {
    if (!this.trueScale) return;
    Object.assign(figure.querySelector("canvas"), { width: 1, height: 1 });
    figure.dataset.stale = "yes";
  }

  get look() {
    return this.wall.panels[this.at];
  }

  // Hang every look anew: how large they are is asked first, then all are drawn at one scale.
  async rehang() {
    const answer = await this.link.ask("sizes", { what: "proof-sizes", ...this.of, wall: this.wall });
    if (!answer || answer.facts.refused) return;
    const { looks, number, repeat_mm: repeat } = answer.facts;
    this.facts = looks;
    this.number = number;
    this.repeat = repeat;
    this.at = Math.min(this.at, this.wall.panels.length - 1);
    this.figures = this.wall.panels.map((look, n) => this.figure(look, n));
    this.seen.disconnect();
    this.box.replaceChildren(...this.figures);
    this.figures.forEach((one) => this.seen.observe(one));
    this.arrange();
  }

  ask(n, look, scale) {
    const { ppi, vision, cloth, colourways = [] } = this.wall;
    return this.link.ask(`look-${n}`, {
      what: "proof-look",
      ...this.of,
      look,
      ppi,
      vision,
      cloth,
      colourways,
      px_per_mm: scale,
    });
  }

  figure(look, n) {
    const figure = document.createElement("figure");
    figure.dataset.n = n;
    figure.tabIndex = 0;
    figure.innerHTML = "<figcaption><b></b><span></span></figcaption><canvas></canvas>";
    figure.setAttribute("aria-label", titleOf(look));
    figure.addEventListener("focus", () => this.choose(n));
    if (look.kind === "surface") {
      figure.title =
        "Drag to move the tile, scroll to scale, Shift-drag to rotate. Arrow keys move by 1 mm, with Shift by 10 mm.";
      figure.addEventListener("keydown", (event) => {
        const way = ARROWS[event.key];
        if (!way) return;
        event.preventDefault();
        const now = this.wall.panels[n];
        const by = event.shiftKey ? 10 : 1;
        this.set({ x: round(now.x + way[0] * by, 1), y: round(now.y + way[1] * by, 1) }, n);
      });
    }
    figure.addEventListener("pointerdown", (event) => {
      this.choose(n);
      if (look.kind === "surface") this.drag(event, n);
    });
    if (look.kind === "surface") {
      figure.addEventListener(
        "wheel",
        (event) => {
          event.preventDefault();
          this.set(
            {
              scale: round(
                Math.min(Math.max(this.wall.panels[n].scale * 1.05 ** -Math.sign(event.deltaY), 1 / 64), 64),
                3,
              ),
            },
            n,
          );
        },
        { passive: false },
      );
    }
    return figure;
  }

  choose(n) {
    this.at = n;
    this.figures.forEach((one, k) => one.classList.toggle("chosen", k === n));
    this.chosen(this.look);
  }

  // The scale at which all of them fit side by side, or the screen's own.
  arrange() {
    if (!this.facts.length || !this.box.clientWidth) return;
    const { clientWidth, clientHeight } = this.box;
    // As many as this fill the window; the rest is reached by scrolling.
    const beside = Math.min(this.facts.length, MOST_BESIDE);
    const widths = this.facts.reduce((sum, one) => sum + one.size_mm[0], 0) * (beside / this.facts.length);
    const high = Math.max(...this.facts.map((one) => one.size_mm[1]));
    const room = [clientWidth - GAP_PX * (beside + 1), clientHeight - LABEL_PX - 24];
    this.scale = this.trueScale || Math.max(Math.min(room[0] / widths, room[1] / high), 0.001);
    this.box.classList.toggle("large", Boolean(this.trueScale));
    this.scaled(this.scale);
    this.choose(this.at);
    this.figures.forEach((_, n) => this.draw(n));
  }

  // px a mm of one look: all the same, but where each is as large as it is seen from its distance.
  scaleOf(n) {
    const look = this.wall.panels[n];
    return this.seatMm && look.kind === "distance" ? (this.scale * this.seatMm) / (1000 * look.metres) : this.scale;
  }

  async draw(n) {
    const look = this.wall.panels[n];
    const figure = this.figures[n];
    if (!figure || !look || !this.facts[n]) return; // it is hung just now, and drawn then
    const [bold, words] = figure.querySelectorAll("b, span");
    bold.textContent = titleOf(look);
    words.textContent = wordsOf(look, this.facts[n]);
    words.title = words.textContent;
    figure.dataset.stale = "yes";
    const scale = this.scaleOf(n);
    figure.style.width = `${Math.max(this.facts[n].size_mm[0] * scale, LEAST_PX)}px`;
    figure.querySelector("canvas").style.width = `${this.facts[n].size_mm[0] * scale}px`;
    figure.querySelector("canvas").style.height = `${this.facts[n].size_mm[1] * scale}px`;
    if (!figure.dataset.seen) {
      this.giveBack(figure);
      return;
    }
    const answer = await this.ask(n, look, scale * (window.devicePixelRatio || 1));
    if (!answer || this.figures[n] !== figure) return;
    if (answer.facts.refused) {
      words.textContent = answer.facts.refused.message;
      return;
    }
    if (!figure.dataset.seen && this.trueScale) return; // it left the window while it was drawn
    figure.dataset.stale = "";
    const { width, height } = answer.facts;
    const canvas = figure.querySelector("canvas");
    Object.assign(canvas, { width, height });
    canvas.getContext("2d").putImageData(new ImageData(answer.pixels, width, height), 0, 0);
    figure.dataset.shown = String(Number(figure.dataset.shown ?? 0) + 1);
  }

  // Other values of a look: what changes its size is hung anew, what does not is drawn anew.
  set(values, n = this.at, settled = true) {
    Object.assign(this.wall.panels[n], values);
    this.changed(settled);
    if (HANGS.some((name) => name in values)) this.rehang();
    else this.draw(n);
    if (n === this.at) this.chosen(this.look);
  }

  drag(event, n) {
    if (event.button !== 0) return;
    event.preventDefault();
    const look = this.wall.panels[n];
    const from = { px: event.clientX, py: event.clientY, x: look.x, y: look.y, turn: look.turn };
    const figure = this.figures[n];
    figure.setPointerCapture(event.pointerId);
    let moved = false;
    const move = ({ clientX, clientY, shiftKey }) => {
      if (shiftKey) this.set({ turn: round(from.turn + (clientX - from.px) / 2, 1) }, n, false);
      else {
        this.set(
          {
            x: round(from.x + (clientX - from.px) / this.scale, 1),
            y: round(from.y + (clientY - from.py) / this.scale, 1),
          },
          n,
          false,
        );
      }
      moved = true;
    };
    const end = () => {
      figure.removeEventListener("pointermove", move);
      for (const kind of ["pointerup", "pointercancel"]) figure.removeEventListener(kind, end);
      if (moved) this.changed(true);
    };
    figure.addEventListener("pointermove", move);
    for (const kind of ["pointerup", "pointercancel"]) figure.addEventListener(kind, end);
  }

  add(look) {
    this.wall.panels.push(
      look.kind === "surface" ? { scale: 1, turn: 0, x: 0, y: 0, cloth: this.wall.cloth, ...look } : look,
    );
    this.at = this.wall.panels.length - 1;
    this.changed();
    this.rehang();
  }

  // Several looks at once, as the one that is chosen but of other versions or in other colours; as many as there is room for.
  row(shows, most) {
    const like =
      this.look.kind === "surface"
        ? { ...this.look }
        : { kind: "repeat", columns: this.look.columns, rows: this.look.rows };
    const plain = (look) =>
      Object.fromEntries(Object.entries(look).filter(([name]) => !["version", "layer", "colours"].includes(name)));
    const there = new Set(this.wall.panels.map((one) => JSON.stringify(one)));
    const fresh = shows.map((shown) => ({ ...plain(like), ...shown })).filter((one) => !there.has(JSON.stringify(one)));
    const taken = fresh.slice(0, most - this.wall.panels.length);
    this.wall.panels.push(...taken);
    this.at = this.wall.panels.length - 1;
    this.changed();
    this.rehang();
    return fresh.length - taken.length;
  }

  takeOff() {
    if (this.wall.panels.length === 1) return;
    this.wall.panels.splice(this.at, 1);
    this.changed();
    this.rehang();
  }

  left() {
    if (!this.at) return;
    const [one] = this.wall.panels.splice(this.at, 1);
    this.at -= 1;
    this.wall.panels.splice(this.at, 0, one);
    this.changed();
    this.rehang();
  }
}
