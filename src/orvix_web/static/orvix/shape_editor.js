// Shapes in the canvas room: drawn by a drag, kept as layers, their points and handles dragged on the picture.
import { post, refuse } from "./page.js";
import { PressCurve } from "./press_curve.js";
import { svg } from "./svg.js";

const id = (name) => document.getElementById(name);
const LEAST_PX = 3;

export class ShapeEditor {
  // layers: the LayerStrip; picture; home(x, y): a place of the view in px of the canvas; hand(): the brush, its size, the
  // colours in hand.
  constructor({ layers, picture, home, hand }) {
    this.layers = layers;
    this.picture = picture;
    this.home = home;
    this.hand = hand;
    this.guides = id("shape-guides");
    id("shape-take").addEventListener("click", () => this.take());
    id("shape-kind").addEventListener("change", () => this.shown());
    this.press = new PressCurve(id("shape-press"), (press) => this.change({ press }));
    this.sets = new Map(JSON.parse(id("path-sets").textContent).map((one) => [String(one.id), one]));
    id("path-set").addEventListener("change", () => this.shown());
    id("path-file").addEventListener("change", ({ target }) => this.read(target));
    id("path-keep").addEventListener("click", () => this.keep());
    id("path-out").addEventListener("click", () => this.takeOut());
    this.shown();
  }

  get on() {
    return document.querySelector("input[name=mode][value=shape]").checked;
  }
  get inHand() {
    const layer = this.layers.layer();
    return layer?.shape && this.layers.chosen === layer.id ? layer : null;
  }

  shown() {
    if (this.tile && this.inHand?.id === this.tile.over) {
      const { tile } = this.tile;
      this.tile = null;
      this.layers.add("fill", { clipped: true, fill: { tile } });
    }
    const kind = id("shape-kind").value;
    id("shape-sides").parentElement.classList.toggle("hidden", kind !== "polygon");
    id("shape-true").parentElement.classList.toggle("hidden", kind !== "outline");
    id("shape-take").classList.toggle("hidden", !this.inHand);
    id("path-keep").classList.toggle("hidden", !this.inHand);
    id("path-out").classList.toggle("hidden", !Number(id("path-set").value));
    const { inHand } = this;
    if (inHand && inHand.id !== this.last) {
      this.press.put(inHand.shape.press);
      // Lines that were drawn first are painted each in its colour; what is painted takes another colour as a whole.
      id("shape-own").checked = !inHand.shape.brush && !inHand.shape.fill;
    }
    id("shape-own").parentElement.classList.toggle(
      "hidden",
      !this.some.some(({ shape }) => shape.pieces.some((one) => one.colour)),
    );
    this.last = inHand?.id;
    this.place();
  }

  // What a shape is made with: as the bar, the tray and the colours in hand say.
  values() {
    const { brush, size, colour, second } = this.hand();
    const outlined = id("shape-outline").value && brush;
    const fill = id("shape-fill").value;
    return {
      fill: fill ? colour : "",
      ...(outlined ? { brush, size } : {}),
      colour: fill === "colour" && outlined ? second : colour,
      second_colour: second,
      press: this.press.value,
    };
  }

  // The shapes that are selected, the current one among them.
  get some() {
    return this.inHand ? this.layers.some.filter((one) => one.shape) : [];
  }

  // Other values for all shapes that are selected; what is not named stays as it is.
  change(values) {
    for (const { id: layer } of this.some) {
      this.layers.turns.run(() => {
        const now = this.layers.stack.find((one) => one.id === layer);
        if (now?.shape) {
          this.layers.done({
            what: "shape",
            layer,
            shape: { ...now.shape, ...(typeof values === "function" ? values(now.shape) : values) },
          });
        }
      });
    }
  }

  // The shapes that are selected, filled and outlined as the bar says now: in one colour, or each piece in its own.
  take() {
    const told = { brush: 0, size: 0, ...this.values() };
    const own = id("shape-own").checked;
    this.change(({ pieces, colour }) => ({
      ...told,
      ...(own && pieces.some((one) => one.colour)
        ? { colour }
        : { pieces: pieces.map((piece) => ({ ...piece, colour: "" })) }),
    }));
  }

  begin(event, x, y) {
    const knob = event.target.dataset;
    if (knob?.piece !== undefined) return this.dragging(knob);
    if (knob?.shape !== undefined) return { end: () => this.layers.choose(Number(knob.shape)) };
    const set = this.sets.get(id("path-set").value);
    if (set) return { end: (px, py) => this.put(set, this.home(px, py)) };
    return this.drawing(event, x, y);
  }

  // A drag from here makes a shape; with Shift, a further piece of the one in hand.
  drawing(event, x, y) {
    const kind = id("shape-kind").value;
    const start = this.home(x, y);
    const places = [start];
    const at = (px, py) => start.map((one, axis) => one + ([px, py][axis] - [x, y][axis]) / this.picture.zoom);
    const freely = kind === "outline" || kind === "line";
    const show = (px, py) => {
      const [x0, y0, x1, y1] = [Math.min(x, px), Math.min(y, py), Math.max(x, px), Math.max(y, py)];
      const told = {
        rectangle: () => `M${x0} ${y0}H${x1}V${y1}H${x0}Z`,
        ellipse: () => {
          const [rx, ry] = [(x1 - x0) / 2, (y1 - y0) / 2];
          return `M${x0} ${y0 + ry}a${rx} ${ry} 0 1 1 ${2 * rx} 0a${rx} ${ry} 0 1 1 ${-2 * rx} 0`;
        },
        polygon: () => `M${x} ${y}L${px} ${py}`,
      };
      const free = () =>
        `M${places
          .map((place) =>
            this.picture
              .seen(place)
              .map((n) => n.toFixed(1))
              .join(" "),
          )
          .join("L")}`;
      this.guides.replaceChildren(svg("path", { d: (told[kind] ?? free)(), class: "drawing" }));
    };
    return {
      move: (px, py, moved) => {
        for (const one of moved.getCoalescedEvents?.() ?? []) places.push(at(...this.picture.at(one)));
        if (freely && places.length === 1) places.push(at(px, py));
        show(px, py);
      },
      end: (px, py) => {
        this.guides.replaceChildren();
        if (Math.hypot(px - x, py - y) < LEAST_PX && places.length < 6) {
          this.place();
          return;
        }
        const round = (place) => place.map((n) => Math.round(n * 64) / 64);
        const make = freely
          ? {
              kind: "drawn",
              places: [...places, at(px, py)].map(round),
              closed: kind === "outline",
              true_form: kind === "outline" && id("shape-true").checked,
            }
          : {
              kind,
              start: round(start),
              end: round(at(px, py)),
              ...(kind === "polygon" ? { sides: Number(id("shape-sides").value) } : {}),
            };
        this.make(make, event.shiftKey);
      },
      drop: () => this.place(),
    };
  }

  // Paths that are kept, or came from a file, put on a layer of their own about a place.
  put({ name, pieces }, [x, y]) {
    const number = this.layers.next;
    this.layers.awaited = number;
    const moved = pieces.map((piece) => ({
      ...piece,
      points: piece.points.map(([px, py, ...rest]) => [px + Math.round(x), py + Math.round(y), ...rest]),
    }));
    const seed = crypto.getRandomValues(new Uint32Array(1))[0];
    this.layers.done({
      what: "shape",
      layer: number,
      over: this.layers.layer().id,
      name: name.slice(0, 60),
      shape: { seed, pieces: moved, ...this.values() },
    });
  }

  offer(key, set) {
    this.sets.set(key, set);
    id("path-set").add(new Option(set.name, key, true, true));
    this.shown();
  }

  async read(field) {
    const form = new FormData();
    form.append("picture", field.files[0]);
    field.value = "";
    const told = await post("/canvases/paths/read/", form);
    if (told.refused) refuse(told.refused);
    else this.offer(`file:${told.name}`, told);
  }

  async keep() {
    const layer = this.inHand;
    const told = await post("/canvases/paths/", { name: layer.name, pieces: JSON.stringify(layer.shape.pieces) });
    if (told.refused) refuse(told.refused);
    else this.offer(String(told.set), told);
  }

  async takeOut() {
    const key = id("path-set").value;
    const told = await post(`/canvases/paths/${key}/out/`, {});
    if (told.refused) {
      refuse(told.refused);
      return;
    }
    this.sets.delete(key);
    id("path-set").querySelector(`option[value="${key}"]`).remove();
    this.shown();
  }

  make(make, further) {
    const layer = further ? this.inHand : null;
    if (layer) {
      this.layers.done({
        what: "shape",
        layer: layer.id,
        shape: layer.shape,
        make: { ...make, colour: this.hand().colour },
      });
      return;
    }
    const number = this.layers.next;
    this.layers.awaited = number;
    // Filled with a tile: a fill over it, clipped to it, to be scaled, turned and moved in it.
    const tile = Number(id("shape-fill").value);
    if (tile) this.tile = { tile, over: number };
    const seed = crypto.getRandomValues(new Uint32Array(1))[0];
    this.layers.done({
      what: "shape",
      layer: number,
      over: this.layers.layer().id,
      name: `${id("shape-kind").selectedOptions[0].textContent} ${number}`,
      shape: { seed, ...this.values() },
      make,
    });
  }

  // Delete the current point of the current shape; a piece of two points goes whole. False where no point is current.
  deletePoint() {
    const layer = this.on ? this.inHand : null;
    if (!layer || !this.point || this.point.layer !== layer.id) return false;
    const { piece, point } = this.point;
    const pieces = layer.shape.pieces.map((one) => ({ ...one, points: [...one.points] }));
    pieces[piece]?.points.splice(point, 1);
    const left = pieces.filter((one) => one.points.length >= (one.closed ? 3 : 2));
    this.point = null;
    if (left.length) this.layers.done({ what: "shape", layer: layer.id, shape: { ...layer.shape, pieces: left } });
    else refuse(`${layer.name} has no other points. Delete its layer instead.`);
    return true;
  }

  // A point or a handle follows the pointer; where it is let go the shape is made anew for good. A press makes it current.
  dragging({ piece, point, part }) {
    const layer = this.inHand;
    const [n, k] = [Number(piece), Number(point)];
    this.point = { layer: layer.id, piece: n, point: k };
    this.place();
    let moved = false;
    const told = (px, py) => {
      const pieces = JSON.parse(JSON.stringify(layer.shape.pieces));
      const at = pieces[n].points[k];
      const [x, y] = this.home(px, py).map((one) => Math.round(one * 64) / 64);
      if (part === "point") {
        [at[0], at[1]] = [x, y];
      } else {
        const here = part === "before" ? 2 : 4;
        [at[here], at[here + 1]] = [x - at[0], y - at[1]];
        const other = 6 - here;
        // A smooth point stays smooth: the other handle keeps its length and turns along.
        const long = Math.hypot(at[other], at[other + 1]);
        const mine = Math.hypot(at[here], at[here + 1]);
        if (long && mine) {
          at[other] = (-at[here] / mine) * long;
          at[other + 1] = (-at[here + 1] / mine) * long;
        }
      }
      return { what: "shape", layer: layer.id, shape: { ...layer.shape, pieces } };
    };
    return {
      move: (px, py) => {
        moved = true;
        const one = told(px, py);
        this.draw(one.shape.pieces);
        this.layers.try(one);
      },
      end: (px, py) => {
        if (moved) this.layers.done(told(px, py));
      },
      drop: () => this.layers.done({ what: "layers", layers: this.layers.stack }),
    };
  }

  // The points of the current shape where the picture is now, and the lines of all others: some have no other look.
  place() {
    if (!this.on) {
      this.guides.replaceChildren();
      return;
    }
    this.draw(this.inHand?.shape.pieces ?? []);
  }

  // Press one to make its layer current.
  others() {
    const current = this.inHand?.id;
    return this.layers.stack
      .filter((one) => one.shape && one.id !== current && one.visible !== false)
      .flatMap(({ id: number, name, shape }) => {
        const d = shape.pieces.map((piece) => this.line(piece)).join("");
        // A thin dashed line is hard to hit: what is pressed is a wider one that is not seen.
        const reach = svg("path", { class: "reach", "data-shape": number, d });
        reach.append(Object.assign(svg("title", {}), { textContent: name }));
        return [svg("path", { class: "other", d }), reach];
      });
  }

  line(piece) {
    const to = (x, y) =>
      this.picture
        .seen([x, y])
        .map((one) => one.toFixed(1))
        .join(" ");
    const sides = piece.points
      .map((at, k) => [at, piece.points[(k + 1) % piece.points.length]])
      .slice(0, piece.closed ? undefined : -1);
    return `M${to(...piece.points[0])}${sides.map(([a, b]) => `C${to(a[0] + a[4], a[1] + a[5])} ${to(b[0] + b[2], b[1] + b[3])} ${to(b[0], b[1])}`).join("")}`;
  }

  draw(pieces) {
    const parts = this.others();
    const { point: current } = this;
    pieces.forEach((piece, n) => {
      parts.push(svg("path", { class: "sides", d: this.line(piece) }));
      piece.points.forEach((at, k) => {
        const [x, y] = this.picture.seen(at);
        for (const [part, here] of /** @type {[string, number][]} */ ([
          ["before", 2],
          ["after", 4],
        ])) {
          if (!at[here] && !at[here + 1]) continue;
          const [hx, hy] = this.picture.seen([at[0] + at[here], at[1] + at[here + 1]]);
          parts.push(
            svg("line", { x1: x, y1: y, x2: hx, y2: hy }),
            svg("circle", { cx: hx, cy: hy, r: 4, "data-piece": n, "data-point": k, "data-part": part }),
          );
        }
        const chosen = current && current.piece === n && current.point === k && current.layer === this.inHand?.id;
        parts.push(
          svg("rect", {
            x: x - 4.5,
            y: y - 4.5,
            width: 9,
            height: 9,
            class: chosen ? "current" : "",
            "data-piece": n,
            "data-point": k,
            "data-part": "point",
          }),
        );
      });
    });
    this.guides.replaceChildren(...parts);
    this.guides.dataset.points = String(pieces.reduce((sum, one) => sum + one.points.length, 0));
  }
}
