// The motifs of a layout: their pictures, which are marked to fill with, and the values and colours of the one in hand.
import { note, post, refuse } from "./page.js";
import { svg } from "./svg.js";

const el = (tag, told = {}) => Object.assign(document.createElement(tag), told);

export class MotifList {
  // shared: layout() and motifs; edit(told): asks the core; take: where files are posted to.
  constructor(box, values, shared, edit, take) {
    this.box = box;
    this.values = values;
    this.shared = shared;
    this.edit = edit;
    this.take = take;
    this.fill = new Set();
    this.hand = null;
    box.addEventListener("click", (event) => this.pressed(event.target));
    document.getElementById("motif-file").addEventListener("change", (event) => {
      this.file(event.target.files[0]);
      event.target.value = "";
    });
    document.getElementById("add-shape").addEventListener("change", (event) => {
      const { value } = event.target;
      event.target.value = "";
      if (value) this.add({ kind: "shape", what: value, name: value, values: {}, colour: "#c2553b" });
    });
    document.getElementById("add-kept").addEventListener("change", (event) => {
      const { value } = event.target;
      event.target.value = "";
      if (value) this.taken({ kept: value });
    });
    document.getElementById("add-tile").addEventListener("change", (event) => {
      const { value, selectedOptions } = event.target;
      const name = selectedOptions[0].textContent;
      event.target.value = "";
      if (value) this.add({ kind: "tile", what: `tile:${value}`, name });
    });
  }

  marked() {
    return [...this.fill].filter((one) => this.shared.motifs.has(one));
  }

  // A motif is added and one of it is placed.
  async add(motif) {
    const taken = new Set(this.shared.layout().motifs.map((one) => one.id));
    let id = motif.id ?? motif.what;
    for (let n = 2; taken.has(id); n += 1) id = `${motif.id ?? motif.what}-${n}`;
    if (await this.edit({ what: "motif", motif: { ...motif, id } })) this.place(id);
  }

  // Into the emptiest place, which the core finds.
  place(id) {
    this.edit({ what: "place", motif: id });
  }

  async file(file) {
    if (!file) return;
    const form = new FormData();
    form.append("picture", file, file.name);
    this.taken(form);
  }

  // From a file, or one that is on the shelf.
  async taken(values) {
    const told = await post(this.take, values);
    if (told.refused) refuse(told.refused);
    else {
      this.add(told.motif);
      if (told.notes?.length) note("Imported, with changes", told.notes.join(". "));
    }
  }

  show(facts, pixels) {
    const { motifs } = this.shared.layout();
    if (!this.known) {
      motifs.slice(0, 3).forEach((one) => this.fill.add(one.id));
      this.known = true;
    }
    const side = facts.thumb;
    this.box.replaceChildren(
      ...motifs.map((motif, n) => {
        const row = el("span", { className: "motif" });
        row.dataset.motif = motif.id;
        const button = el("button", { type: "button", className: "place", title: `Place ${motif.name}` });
        const picture = el("canvas", { width: side, height: side });
        if (pixels) {
          picture
            .getContext("2d")
            .putImageData(
              new ImageData(pixels.slice(n * side * side * 4, (n + 1) * side * side * 4), side, side),
              0,
              0,
            );
        }
        button.append(picture);
        const mark = el("button", {
          type: "button",
          className: "mark",
          textContent: "+",
          title: "Uses this motif to fill holes.",
          ariaPressed: String(this.fill.has(motif.id)),
          ariaLabel: `Fill with ${motif.name}`,
        });
        const name = el("button", {
          type: "button",
          className: "name",
          textContent: motif.name,
          title: "Edits its colours and shape.",
        });
        row.append(button, mark, name);
        return row;
      }),
    );
    this.showValues();
  }

  chosen(ids) {
    this.box.querySelectorAll(".motif").forEach((one) => one.classList.toggle("here", ids.has(one.dataset.motif)));
    if (ids.size === 1 && this.hand !== [...ids][0]) {
      [this.hand] = ids;
      this.showValues();
    }
  }

  pressed(target) {
    const id = target.closest("[data-motif]")?.dataset.motif;
    if (!id) return;
    if (target.closest(".mark")) {
      if (this.fill.has(id)) this.fill.delete(id);
      else this.fill.add(id);
      target.closest(".mark").setAttribute("aria-pressed", String(this.fill.has(id)));
    } else if (target.closest(".name")) {
      this.hand = this.hand === id ? null : id;
      this.showValues();
    } else this.place(id);
  }

  // The colours of the motif in hand, each to be changed in all its items; a shape's numbers; and leaving it out.
  showValues() {
    const motif = this.shared.layout().motifs.find((one) => one.id === this.hand);
    const facts = this.shared.motifs.get(this.hand);
    if (!motif || !facts) {
      this.values.replaceChildren();
      return;
    }
    const colours = facts.colours.map((colour) => {
      const field = el("input", { type: "color", value: colour, ariaLabel: `${motif.name}: ${colour}` });
      const own =
        motif.kind === "shape"
          ? colour
          : (Object.entries(motif.colours ?? {}).find(([, now]) => now === colour)?.[0] ?? colour);
      field.addEventListener("change", () =>
        this.edit({ what: "motif-colour", motif: motif.id, old: own, new: field.value }),
      );
      return field;
    });
    const numbers = Object.entries(motif.values ?? {})
      .filter(([, value]) => typeof value === "number")
      .map(([name, value]) => {
        const label = el("label", { className: "field" });
        const field = el("input", { className: "line", value: String(value), ariaLabel: `${motif.name}: ${name}` });
        field.addEventListener("change", () =>
          this.edit({ what: "motif", motif: { ...motif, values: { ...motif.values, [name]: Number(field.value) } } }),
        );
        label.append(el("span", { className: "note", textContent: name }), field);
        return label;
      });
    const points = motif.what === "outline" && motif.kind === "shape" ? [this.outline(motif)] : [];
    const drop = el("button", { type: "button", className: "plain", textContent: "Remove motif" });
    drop.addEventListener("click", () => this.edit({ what: "motif", drop: motif.id }));
    const line = el("div", { className: "numbers" });
    line.append(...numbers);
    const row = el("div", { className: "line-row" });
    row.append(el("b", { textContent: motif.name }), ...colours, drop);
    this.values.replaceChildren(row, line, ...points);
  }

  // A free outline with its handles: points are dragged, and their handles; a press on the line adds a point.
  outline(motif) {
    const editor = svg("svg", { viewBox: "-0.25 -0.25 1.5 1.5", class: "outline-editor" });
    const points = motif.values.points.map((point) => [...point]);
    const draw = () => {
      const d = points
        .map((here, n) => {
          const there = points[(n + 1) % points.length];
          return `${n ? "" : `M${here[0]} ${here[1]}`}C${here[0] + here[4]} ${here[1] + here[5]} ${there[0] + there[2]} ${there[1] + there[3]} ${there[0]} ${there[1]}`;
        })
        .join(" ");
      const path = svg("path", { d: `${d}Z`, class: "shape" });
      const marks = points.flatMap((point, n) =>
        [
          [2, 3],
          [4, 5],
        ]
          .flatMap(([a, b]) => [
            svg("line", { x1: point[0], y1: point[1], x2: point[0] + point[a], y2: point[1] + point[b] }),
            svg("circle", {
              cx: point[0] + point[a],
              cy: point[1] + point[b],
              r: 0.026,
              "data-n": n,
              "data-a": a,
              "data-b": b,
            }),
          ])
          .concat(
            svg("rect", {
              x: point[0] - 0.03,
              y: point[1] - 0.03,
              width: 0.06,
              height: 0.06,
              "data-n": n,
              "data-a": 0,
              "data-b": 1,
            }),
          ),
      );
      editor.replaceChildren(path, ...marks);
    };
    const at = (event) => {
      const frame = editor.getBoundingClientRect();
      return [
        ((event.clientX - frame.left) / frame.width) * 1.5 - 0.25,
        ((event.clientY - frame.top) / frame.height) * 1.5 - 0.25,
      ].map((value) => Number(value.toFixed(3)));
    };
    const keep = () => this.edit({ what: "motif", motif: { ...motif, values: { ...motif.values, points } } });
    let held = null;
    editor.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      const { n, a, b } = event.target.dataset;
      if (n !== undefined) {
        held = { n: Number(n), a: Number(a), b: Number(b) };
        editor.setPointerCapture(event.pointerId);
        return;
      }
      if (!event.target.classList.contains("shape") || points.length >= 64) return;
      const [x, y] = at(event);
      const gap = (one) => Math.hypot(one[0] - x, one[1] - y);
      const nearest = points.reduce(
        (best, one, k) => {
          const sum = gap(one) + gap(points[(k + 1) % points.length]);
          return sum < best.sum ? { k, sum } : best;
        },
        { k: 0, sum: Infinity },
      ).k;
      points.splice(nearest + 1, 0, [x, y, -0.08, 0, 0.08, 0]);
      draw();
      keep();
    });
    editor.addEventListener("pointermove", (event) => {
      if (!held) return;
      const [x, y] = at(event);
      const point = points[held.n];
      if (held.a === 0) [point[0], point[1]] = [x, y];
      else [point[held.a], point[held.b]] = [Number((x - point[0]).toFixed(3)), Number((y - point[1]).toFixed(3))];
      draw();
    });
    editor.addEventListener("pointerup", () => {
      if (held) {
        held = null;
        keep();
      }
    });
    draw();
    return editor;
  }
}
