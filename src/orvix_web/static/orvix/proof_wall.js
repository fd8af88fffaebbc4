// The proof wall: looks side by side at one scale or at true size, or the repeat up close; and what is read of it.
import { Cloth } from "./cloth.js";
import { fitParts } from "./fits.js";
import { BenchLink } from "./live.js";
import { Looks, titleOf } from "./looks.js";
import { refuse } from "./page.js";
import { PrintDesk } from "./print_desk.js";
import { svg } from "./svg.js";
import { takeOut } from "./take_out.js";
import { overlayOf, showReadings } from "./tile_gauges.js";
import { checked } from "./values.js";

const id = (name) => document.getElementById(name);
const MM_AN_INCH = 25.4;
const CARD_MM = 85.6;
const USUAL_SCREEN_PPI = 96;
const STEPS_MM = [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000];
const MOST_LOOKS = 8;

// How many px of the page an inch of this screen has, set once on it.
const screenPpi = {
  get: () => Number(localStorage.getItem("orvix-screen-ppi")) || 0,
  put: (ppi) => localStorage.setItem("orvix-screen-ppi", String(ppi)),
};

class ProofWall {
  constructor(main) {
    this.main = main;
    this.of = { of: main.dataset.of, pk: Number(main.dataset.pk) };
    this.wall = JSON.parse(id("wall-kept").textContent);
    this.wall.ppi = this.of.of === "canvas" ? Number(main.dataset.ppi) : this.wall.ppi;
    this.link = new BenchLink();
    this.looks = new Looks(id("looks"), this.link, this.of, this.wall, { chosen: (look) => this.tell(look), changed: () => this.changed(), scaled: (scale) => this.scaled(scale) });
    this.desk = new PrintDesk(id("docket"), this.link, this.of, { setPpi: (ppi) => this.setPpi(ppi) });
    this.changed();
    this.listen();
    this.read();
  }

  listen() {
    document.querySelectorAll("input[name=view]").forEach((input) => input.addEventListener("change", () => this.see(checked("view"))));
    id("add-look").addEventListener("change", ({ target }) => {
      if (this.wall.panels.length === MOST_LOOKS) refuse(`a wall has at most ${MOST_LOOKS} looks: take one off first`);
      else if (target.value) this.looks.add(JSON.parse(target.value));
      target.value = "";
    });
    document.querySelectorAll("[data-look]").forEach((input) => input.addEventListener(input.type === "color" ? "input" : "change", () => {
      if (!input.checkValidity()) { refuse(input.title); this.tell(this.looks.look); return; }
      this.looks.set({ [input.dataset.look]: input.type === "color" ? input.value : Number(input.value) });
    }));
    document.querySelectorAll("[data-metres]").forEach((button) => button.addEventListener("click", () => this.looks.set({ metres: Number(button.dataset.metres) })));
    id("look-off").addEventListener("click", () => this.looks.takeOff());
    id("look-left").addEventListener("click", () => this.looks.left());
    id("vision").addEventListener("change", ({ target }) => { this.wall.vision = target.value; this.changed(); this.looks.arrange(); });
    id("ground").addEventListener("input", ({ target }) => { this.wall.cloth = target.value; this.changed(); this.looks.arrange(); });
    id("ppi")?.addEventListener("change", ({ target }) => {
      const ppi = Number(target.value);
      if (!(ppi >= 10 && ppi <= 2400)) { refuse(target.title); target.value = String(this.wall.ppi); return; }
      this.setPpi(ppi);
      this.desk.setPpi(ppi);
    });
    id("set-screen").addEventListener("click", () => this.setScreen());
    document.querySelectorAll("button[data-gauge]").forEach((one) => one.addEventListener("click", () => this.press(one.dataset.gauge)));
    takeOut(id("take-it-out"));
    document.body.addEventListener("orvix-changed", () => { clearTimeout(this.soon); this.soon = setTimeout(() => { this.looks.rehang(); this.read(); this.desk.check(); if (this.cloth) this.show(); }, 250); });
  }

  // A tile is printed at another resolution: everything on the wall has another size.
  setPpi(ppi) {
    if (this.of.of !== "tile") return;
    this.wall.ppi = ppi;
    id("ppi").value = String(ppi);
    this.changed();
    this.looks.rehang();
  }

  // What is kept when "Keep this wall" is pressed.
  changed() { id("wall-field").value = JSON.stringify(this.wall); }

  // The values of the look that is chosen.
  tell(look) {
    id("look-name").textContent = titleOf(look);
    document.querySelectorAll("#look-bar [data-for]").forEach((one) => one.classList.toggle("hidden", !one.dataset.for.includes(look.kind)));
    document.querySelectorAll("[data-look]").forEach((input) => { if (input.dataset.look in look && input !== document.activeElement) input.value = String(look[input.dataset.look]); });
    id("look-off").disabled = this.wall.panels.length === 1;
    const { repeat } = this.looks ?? {};
    if (repeat) id("repeat-size").textContent = `every ${repeat.map((side) => side.toFixed(1)).join(" × ")} mm`;
  }

  // One rule under all looks, in mm or cm: they are at one scale.
  scaled(scale) {
    const step = STEPS_MM.find((one) => one * scale >= 46) ?? STEPS_MM.at(-1);
    const width = this.main.clientWidth;
    const ticks = Array.from({ length: Math.ceil(width / (step * scale)) }, (_, n) => n * step);
    const lines = ticks.flatMap((mm) => [svg("line", { x1: mm * scale + 16, x2: mm * scale + 16, y1: 0, y2: 9 }), Object.assign(svg("text", { x: mm * scale + 20, y: 17 }), { textContent: mm ? String(mm >= 10 && step >= 10 ? mm / 10 : mm) : step >= 10 ? "0 cm" : "0 mm" })]);
    const drawing = svg("svg", { width, height: 22 });
    drawing.append(svg("line", { x1: 0, x2: width, y1: 0.5, y2: 0.5 }), ...lines);
    id("rule-line").replaceChildren(drawing);
    const ppi = screenPpi.get();
    const ratio = (ppi || USUAL_SCREEN_PPI) / MM_AN_INCH / scale;
    id("scale-words").textContent = this.looks?.trueScale ? (ppi ? `at true size, ${ppi} px an inch` : `at true size on a screen of ${USUAL_SCREEN_PPI} px an inch`) : `one scale for all: 1 : ${ratio.toFixed(1)}, ${Math.round(100 * scale)} px = 10 cm`;
  }

  see(how) {
    id("looks").classList.toggle("hidden", how === "close");
    id("rule-line").classList.toggle("hidden", how === "close");
    id("look-bar").classList.toggle("hidden", how === "close");
    id("cloth").classList.toggle("hidden", how !== "close");
    id("set-screen").classList.toggle("hidden", how !== "true");
    if (how === "close") { this.close(); return; }
    this.looks.trueScale = how === "true" ? (screenPpi.get() || USUAL_SCREEN_PPI) / MM_AN_INCH : 0;
    this.looks.arrange();
  }

  setScreen() {
    const [dialog, range] = [id("screen-dialog"), id("screen-range")];
    const shown = () => { id("screen-ppi").textContent = range.value; id("card-bar").style.width = `${(CARD_MM / MM_AN_INCH) * Number(range.value)}px`; };
    range.value = String(screenPpi.get() || USUAL_SCREEN_PPI);
    range.oninput = shown;
    dialog.onclose = () => { if (dialog.returnValue === "keep") { screenPpi.put(Number(range.value)); this.see(checked("view")); } };
    shown();
    dialog.showModal();
  }

  // The repeat up close: as large as it is, panned and zoomed, its seam marked where that is pressed.
  close() {
    if (!this.cloth) {
      const first = this.wall.panels.find((one) => one.columns) ?? { columns: 4, rows: 3 };
      this.cloth = new Cloth(id("cloth"), { limit: { columns: first.columns, rows: first.rows }, onView: (cloth) => this.viewed(cloth) });
      this.cloth.marked = false;
      this.overlay();
    }
    this.show();
  }

  async show() {
    const level = this.cloth.tile ? this.cloth.level : 2;
    const told = this.of.of === "canvas" ? { what: "canvas", canvas: this.of.pk, level } : { what: "proof-tile", pk: this.of.pk, level };
    const answer = await this.link.ask("close", told);
    if (!answer) return;
    if (answer.facts.refused) { refuse(answer.facts.refused.message); return; }
    this.cloth.put(answer.facts, answer.pixels);
    if (this.cloth.level < answer.facts.level) this.viewed(this.cloth);
  }

  viewed(cloth) {
    if (checked("view") === "close") id("scale-words").textContent = `${Math.round(cloth.zoom * cloth.ratio * 100)} %`;
    if (cloth.tile && cloth.level < cloth.tile.level && this.asked !== cloth.level) { this.asked = cloth.level; this.show(); }
  }

  async read() {
    for (const quick of [true, false]) {
      const answer = await this.link.ask("readings", { what: "proof-readings", ...this.of, quick });
      if (!answer || answer.facts.refused) return;
      this.told = answer.facts;
      showReadings(this.told);
      if (this.told.fits) this.fit(this.told.fits, this.told.joined);
      this.overlay();
    }
  }

  fit(fits, joined) {
    const [verdict, number, unit, under] = ["verdict", "number", "unit", "under"].map((name) => id("fits").querySelector(`[data-${name}]`));
    const closing = fits.filter((one) => one.closes).length;
    const good = closing === fits.length;
    verdict.textContent = good ? (joined || fits.length ? "closes" : "edges are open") : "does not close";
    verdict.classList.toggle("warm", !good);
    number.textContent = fits.length ? `${closing} of ${fits.length}` : "–";
    unit.textContent = fits.length ? "close" : "no grains";
    under.textContent = fits.map((one) => `${one.grain} v${one.version}`).join(", ");
    id("fits").title = fitParts(fits, joined).map((one) => one.textContent).join("\n");
  }

  // Where a reading is, is seen up close.
  press(gauge) {
    this.gauge = this.gauge === gauge ? null : gauge;
    document.querySelectorAll("button[data-gauge]").forEach((one) => one.setAttribute("aria-pressed", String(one.dataset.gauge === this.gauge)));
    if (this.gauge && checked("view") !== "close") { document.querySelector('input[name="view"][value="close"]').checked = true; this.see("close"); }
    this.overlay();
  }

  overlay() {
    if (!this.cloth) return;
    this.cloth.seam = this.gauge === "seam" ? this.told?.seam : null;
    this.cloth.overlay = overlayOf(this.gauge, this.told);
    this.cloth.draw();
  }
}

window.orvixWall = new ProofWall(id("wall"));
