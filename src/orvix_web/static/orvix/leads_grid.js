// Everything the hand changes: a grid of values down and drivers across, and the response of the chosen cell. The curve is
// drawn through points that the core works out in its own way; what comes out along a stroke is asked of the core.
import { svg as element } from "./svg.js";

const WIDTH = 220;
const HEIGHT = 112;
const BOX = { left: 6, right: 214, top: 8, bottom: 100 };
const shelf = "orvix-response";

const px = ([x, y]) => [BOX.left + x * (BOX.right - BOX.left), BOX.bottom - y * (BOX.bottom - BOX.top)];
const plain = (number) => String(Number(Number(number).toFixed(3)));

// A monotone curve through the points, as cubic pieces with the slopes of Fritsch and Butland; level outside them.
function curvePath(points) {
  const slopes = points.slice(1).map(([x, y], n) => (y - points[n][1]) / (x - points[n][0]));
  const tangents = points.map((_, n) => {
    if (points.length === 2) return slopes[0];
    if (n === 0 || n === points.length - 1) return slopes[n === 0 ? 0 : n - 1];
    const [a, b] = [slopes[n - 1], slopes[n]];
    return a * b <= 0 ? 0 : (2 * a * b) / (a + b);
  });
  const parts = [`M${px([0, points[0][1]])}L${px(points[0])}`];
  for (let n = 1; n < points.length; n += 1) {
    const [[x0, y0], [x1, y1]] = [points[n - 1], points[n]];
    const third = (x1 - x0) / 3;
    parts.push(
      `C${px([x0 + third, y0 + tangents[n - 1] * third])} ${px([x1 - third, y1 - tangents[n] * third])} ${px([x1, y1])}`,
    );
  }
  return `${parts.join("")}L${px([1, points.at(-1)[1]])}`;
}

const MODES = { multiplies: "times", adds: "plus", replaces: "from" };

// What a lead does, in words: "← Pressure, thin to thick". title: the driver's.
export function leadWords(value, driver, title, lead) {
  const first = lead.response[0][1];
  const last = lead.response.at(-1)[1];
  const [low, high] = [first, last].map((share) => lead.low + (lead.high - lead.low) * share);
  if (driver.startsWith("chance")) {
    return `← ${title}, ${MODES[lead.does]} ${plain(Math.min(lead.low, lead.high))} to ${plain(Math.max(lead.low, lead.high))}`;
  }
  const way =
    Math.abs(low - high) < 1e-6
      ? "no change"
      : ({
          size: ["thick to thin", "thin to thick"],
          flow: ["full to light", "light to full"],
          opacity: ["full to light", "light to full"],
        }[value]?.[Number(high > low)] ?? `${plain(low)} to ${plain(high)}`);
  return `← ${title}, ${way}`;
}

export class LeadsGrid {
  // changed(settled): a lead was changed. trace(value, driver): asks the core what it does along the chosen stroke.
  constructor(facts, { changed, trace }) {
    this.facts = facts;
    this.changed = changed;
    this.trace = trace;
    this.table = document.getElementById("leads");
    this.box = document.getElementById("lead-box");
    this.chosen = null;
    this.point = 0;
    this.parts = Object.fromEntries(
      [...this.box.querySelectorAll("[data-part]")].map((one) => [one.dataset.part, one]),
    );
    this.table.addEventListener("click", (event) => {
      const cell = event.target.closest("[data-cell]");
      if (cell) this.choose(cell.dataset.cell, true);
    });
    this.table.addEventListener("keydown", (event) => this.walk(event));
    this.table.querySelector("[data-cell]").tabIndex = 0;
    this.listen();
  }

  lead(cell = this.chosen) {
    if (!cell || !this.coat) return null;
    const [value, driver] = cell.split(".");
    return this.coat.leads[value]?.[driver] ?? null;
  }

  fresh(cell) {
    const [value, driver] = cell.split(".");
    return JSON.parse(JSON.stringify(this.facts.first_leads[value][driver]));
  }

  choose(cell, begin = false) {
    const [value, driver] = cell.split(".");
    const before = this.chosen;
    this.chosen = cell;
    this.point = 0;
    if (begin && !this.lead() && before === cell) return this.start();
    if (begin && !this.lead()) return this.start();
    this.show();
    this.trace(value, driver);
    return null;
  }

  start() {
    const [value, driver] = this.chosen.split(".");
    this.coat.leads[value] ??= {};
    this.coat.leads[value][driver] = this.fresh(this.chosen);
    this.changed(true);
    this.trace(value, driver);
  }

  clear() {
    const [value, driver] = this.chosen.split(".");
    delete this.coat.leads[value][driver];
    if (!Object.keys(this.coat.leads[value]).length) delete this.coat.leads[value];
    this.changed(true);
  }

  fill(coat) {
    this.coat = coat;
    let count = 0;
    for (const cell of this.table.querySelectorAll("[data-cell]")) {
      const lead = this.lead(cell.dataset.cell);
      count += Number(Boolean(lead));
      cell.classList.toggle("filled", Boolean(lead));
      cell.replaceChildren(...(lead ? [this.small(lead, cell.dataset.cell)] : []));
    }
    document.getElementById("lead-count").textContent = count === 1 ? "1 lead" : `${count} leads`;
    this.show();
  }

  small(lead, cell) {
    const svg = element("svg", { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, preserveAspectRatio: "none" });
    if (cell.includes("chance")) {
      for (let n = 0; n < 9; n += 1) svg.append(element("circle", { cx: 20 + 22 * n, cy: 20 + ((n * 53) % 75), r: 7 }));
    } else svg.append(element("path", { d: curvePath(lead.response) }));
    return svg;
  }

  show() {
    const lead = this.lead();
    this.table.querySelectorAll(".chosen").forEach((one) => one.classList.remove("chosen"));
    const cell = this.chosen && this.table.querySelector(`[data-cell="${this.chosen}"]`);
    cell?.classList.add("chosen");
    cell?.closest("tr").querySelector("th").classList.add("chosen");
    const { parts } = this;
    parts.editor.classList.toggle("hidden", !lead);
    parts.none.classList.toggle("hidden", Boolean(lead));
    if (!lead) return;
    const [value, driver] = this.chosen.split(".");
    const names = [
      this.facts.led.find((one) => one.name === value),
      this.facts.drivers.find((one) => one.name === driver),
    ];
    this.table.querySelectorAll("thead th")[this.facts.drivers.indexOf(names[1])].classList.add("chosen");
    parts.title.textContent = `${names[0].title} ← ${names[1].title}`;
    parts.words.textContent = names[1].help;
    parts.title.title = names[1].help;
    this.box.querySelector(`input[name=does][value="${lead.does}"]`).checked = true;
    const spans = names[1].over > 0;
    parts["over-label"].classList.toggle("hidden", !spans);
    parts["loops-label"].classList.toggle("hidden", !spans);
    parts["over-words"].textContent = `Over (${names[1].unit})`;
    for (const name of ["low", "high", "over"]) {
      if (document.activeElement !== parts[name]) parts[name].value = plain(lead[name]);
    }
    parts.loops.checked = lead.loops;
    this.point = Math.min(this.point, lead.response.length - 1);
    const [x, y] = lead.response[this.point];
    if (document.activeElement !== parts.x) parts.x.value = `${plain(x * 100)} %`;
    if (document.activeElement !== parts.y) parts.y.value = plain(lead.low + (lead.high - lead.low) * y);
    parts["drop-point"].disabled = lead.response.length <= 2;
    parts.paste.disabled = !localStorage.getItem(shelf);
    parts.grid.replaceChildren(
      ...[0, 0.25, 0.5, 0.75, 1].flatMap((at) => [
        element("line", { x1: px([at, 0])[0], x2: px([at, 0])[0], y1: BOX.top, y2: BOX.bottom }),
        element("line", { y1: px([0, at])[1], y2: px([0, at])[1], x1: BOX.left, x2: BOX.right }),
      ]),
    );
    parts.line.setAttribute("d", curvePath(lead.response));
    parts.points.replaceChildren(
      ...lead.response.map((point, n) =>
        element("rect", {
          x: px(point)[0] - 4,
          y: px(point)[1] - 4,
          width: 8,
          height: 8,
          "data-point": n,
          class: n === this.point ? "chosen" : "",
        }),
      ),
    );
    const label = (text, x0, anchor) => {
      const made = element("text", { x: x0, y: HEIGHT - 2, "text-anchor": anchor });
      made.textContent = text;
      return made;
    };
    parts.grid.append(label(names[1].ends[0], BOX.left, "start"), label(names[1].ends[1], BOX.right, "end"));
  }

  // What the core says of the lead along a stroke: the driver thin, what comes out bold, over the length of the stroke.
  traced({ at, driver, out }) {
    const line = (values) => (values?.length ? `M${values.map((value, n) => px([at[n], value])).join("L")}` : "");
    this.parts.trace.setAttribute("d", line(driver));
    const [low, high] = out?.length ? [Math.min(...out), Math.max(...out)] : [0, 1];
    this.parts.out.setAttribute("d", line(out?.map((value) => (high > low ? (value - low) / (high - low) : 0.5))));
    this.box.dataset.traced = String(Number(this.box.dataset.traced || 0) + 1);
  }

  move(event) {
    const svg = this.parts.curve.getBoundingClientRect();
    const lead = this.lead();
    const n = this.point;
    const at = [((event.clientX - svg.left) / svg.width) * WIDTH, ((event.clientY - svg.top) / svg.height) * HEIGHT];
    const share = [(at[0] - BOX.left) / (BOX.right - BOX.left), (BOX.bottom - at[1]) / (BOX.bottom - BOX.top)];
    this.put(n, share, lead);
  }

  /** @param {number} n  @param {number[]} share  @param {any} lead */
  put(n, [x, y], lead) {
    const [low, high] = [(lead.response[n - 1]?.[0] ?? -0.01) + 0.01, (lead.response[n + 1]?.[0] ?? 1.01) - 0.01];
    const held = (value, a, b) => Math.min(Math.max(value, a), b);
    lead.response[n] = [Number(held(x, low, high).toFixed(4)), Number(held(y, 0, 1).toFixed(4))];
  }

  listen() {
    const { parts } = this;
    const done = () => {
      this.changed(true);
      const [value, driver] = this.chosen.split(".");
      this.trace(value, driver);
    };
    parts.curve.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      const hit = event.target.dataset.point;
      const lead = this.lead();
      if (hit === undefined) {
        if (lead.response.length >= 8) return;
        const svg = parts.curve.getBoundingClientRect();
        const x = (((event.clientX - svg.left) / svg.width) * WIDTH - BOX.left) / (BOX.right - BOX.left);
        const after = lead.response.findIndex((point) => point[0] > x);
        const n = after < 0 ? lead.response.length : after;
        if (lead.response.some((point) => Math.abs(point[0] - x) < 0.02) || x < 0 || x > 1) return;
        lead.response.splice(n, 0, [x, 0.5]);
        this.point = n;
      } else this.point = Number(hit);
      parts.curve.setPointerCapture(event.pointerId);
      this.dragging = true;
      this.move(event);
      this.show();
    });
    parts.curve.addEventListener("pointermove", (event) => {
      if (this.dragging) {
        this.move(event);
        this.changed(false);
      }
    });
    for (const end of ["pointerup", "pointercancel"]) {
      parts.curve.addEventListener(end, () => {
        if (this.dragging) {
          this.dragging = false;
          done();
        }
      });
    }
    parts.curve.addEventListener("keydown", (event) => {
      const step = { ArrowLeft: [-0.02, 0], ArrowRight: [0.02, 0], ArrowUp: [0, 0.02], ArrowDown: [0, -0.02] }[
        event.key
      ];
      if (!step) return;
      event.preventDefault();
      const lead = this.lead();
      this.put(
        this.point,
        lead.response[this.point].map((value, axis) => value + step[axis]),
        lead,
      );
      done();
    });
    for (const name of ["low", "high", "over"]) {
      parts[name].addEventListener("change", () => {
        const value = parseFloat(parts[name].value);
        if (Number.isFinite(value)) this.lead()[name] = name === "over" ? Math.max(value, 0.1) : value;
        done();
      });
    }
    parts.x.addEventListener("change", () => {
      const lead = this.lead();
      const x = parseFloat(parts.x.value) / 100;
      if (Number.isFinite(x)) this.put(this.point, [x, lead.response[this.point][1]], lead);
      done();
    });
    parts.y.addEventListener("change", () => {
      const lead = this.lead();
      const y = parseFloat(parts.y.value);
      if (Number.isFinite(y) && lead.high !== lead.low) {
        this.put(this.point, [lead.response[this.point][0], (y - lead.low) / (lead.high - lead.low)], lead);
      }
      done();
    });
    parts.loops.addEventListener("change", () => {
      this.lead().loops = parts.loops.checked;
      done();
    });
    this.box.querySelectorAll("input[name=does]").forEach((input) =>
      input.addEventListener("change", () => {
        const lead = this.lead();
        const led = this.facts.led.find((one) => one.name === this.chosen.split(".")[0]);
        if ((input.value === "adds") !== (lead.does === "adds") && input.value !== "replaces") {
          [lead.low, lead.high] = led.ranges[input.value];
        }
        lead.does = input.value;
        done();
      }),
    );
    parts["drop-point"].addEventListener("click", () => {
      const lead = this.lead();
      if (lead.response.length > 2) {
        lead.response.splice(this.point, 1);
        done();
      }
    });
    parts.clear.addEventListener("click", () => this.clear());
    parts.copy.addEventListener("click", () => {
      localStorage.setItem(shelf, JSON.stringify(this.lead().response));
      this.show();
    });
    parts.paste.addEventListener("click", () => {
      this.lead().response = JSON.parse(localStorage.getItem(shelf));
      done();
    });
  }

  walk(event) {
    const cell = event.target.closest("[data-cell]");
    const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[event.key];
    if (!cell || (!step && event.key !== "Delete")) return;
    event.preventDefault();
    if (event.key === "Delete") {
      this.choose(cell.dataset.cell);
      if (this.lead()) this.clear();
      return;
    }
    const rows = [...this.table.tBodies[0].rows];
    const row = rows.indexOf(cell.closest("tr"));
    const column = [...cell.closest("tr").cells].indexOf(cell.closest("td"));
    rows[row + step[0]]?.cells[column + step[1]]?.querySelector("button")?.focus();
  }
}
