// The proof wall: looks side by side at one scale or at true size, or the repeat up close; and what is read of it.
import { CloseUp, Loupe } from "./close_up.js";
import { Colourways } from "./colourways.js";
import { Draft } from "./drafts.js";
import { fitParts } from "./fits.js";
import { Keys } from "./keys.js";
import { BenchLink } from "./bench_link.js";
import { Looks, namesOf, titleOf } from "./looks.js";
import { note, post, refuse } from "./page.js";
import { PrintDesk } from "./print_desk.js";
import { svg } from "./svg.js";
import { Readings } from "./readings.js";
import { checked } from "./values.js";

const id = (name) => document.getElementById(name);
const MM_AN_INCH = 25.4;
const CARD_MM = 85.6;
const USUAL_SCREEN_PPI = 96;
const STEPS_MM = [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000];
const SEAT_MM = 600;

// How many px of the page an inch of this screen has, set once on it.
const screenPpi = {
  get: () => Number(localStorage.getItem("orvix-screen-ppi")) || 0,
  put: (ppi) => localStorage.setItem("orvix-screen-ppi", String(ppi)),
};

class ProofWall {
  constructor(main) {
    this.main = main;
    this.mostLooks = Number(main.dataset.most);
    this.of = { of: main.dataset.of, pk: Number(main.dataset.pk) };
    this.wall = JSON.parse(id("wall-kept").textContent);
    this.wall.ppi = this.of.of === "canvas" ? Number(main.dataset.ppi) : this.wall.ppi;
    this.link = new BenchLink();
    this.readings = new Readings({
      link: this.link,
      band: id("band"),
      question: () => ({ what: "proof-readings", ...this.of }),
      shown: () => this.readingsShown(),
    });
    this.draft = new Draft(JSON.parse(id("draft").textContent), {
      link: this.link,
      told: note,
      show: (wall) => this.take(wall),
      state: (facts) => this.stepsShown(facts),
    });
    this.looks = new Looks(id("looks"), this.link, this.of, this.wall, {
      chosen: (look) => this.tell(look),
      changed: (settled) => this.changed(settled),
      scaled: (scale) => this.scaled(scale),
    });
    this.close = new CloseUp(id("cloth"), this.link, this.of, this.wall, {
      namesOf,
      viewed: (zoom) => {
        if (checked("view") === "close") id("scale-words").textContent = `${Math.round(zoom * 100)} %`;
      },
    });
    this.loupe = new Loupe(this.looks, this.link, this.of, this.wall);
    this.colourways = new Colourways(this.link, this.of, this.wall, {
      changed: (name, settled) => {
        this.changed(settled);
        this.wall.panels.forEach((one, n) => {
          if (one.colours === name) this.looks.draw(n);
        });
      },
      renamed: (from, to) => {
        this.wall.panels.forEach((one) => {
          if (one.colours === from) one.colours = to;
        });
        this.reshow();
      },
      gone: (name) => {
        this.wall.panels.forEach((one) => {
          if (one.colours === name) delete one.colours;
        });
        this.reshow();
      },
      hang: (names) => {
        this.row(names.map((colours) => ({ colours })));
        this.fillShown();
      },
    });
    this.fillShown();
    this.desk = new PrintDesk(id("docket"), this.link, this.of, { setPpi: (ppi) => this.setPpi(ppi) });
    this.listen();
    this.readings.read(true);
  }

  stepsShown({ can_undo: back, can_redo: forth }) {
    id("undo").disabled = !back;
    id("redo").disabled = !forth;
    id("wall-field").value = JSON.stringify(this.wall);
  }

  // A wall that is stored already: undone, redone, or changed in another window.
  take(wall) {
    for (const name of Object.keys(this.wall)) delete this.wall[name];
    Object.assign(this.wall, { colourways: [], ...wall });
    if (this.of.of === "canvas") this.wall.ppi = Number(this.main.dataset.ppi);
    id("vision").value = this.wall.vision;
    id("ground").value = this.wall.cloth;
    if (id("ppi")) id("ppi").value = String(this.wall.ppi);
    id("wall-field").value = JSON.stringify(this.wall);
    this.fillShown();
    this.colourways.taken();
    this.looks.rehang();
  }

  listen() {
    document
      .querySelectorAll("input[name=view]")
      .forEach((input) => input.addEventListener("change", () => this.see(checked("view"))));
    id("add-look").addEventListener("change", ({ target }) => {
      const { value } = target;
      if (value === "own") {
        target.value = "";
        id("new-surface").querySelector("input[type=file]").click();
        return;
      }
      if (value === "versions") {
        this.row(
          [...id("look-shown").options]
            .map((one) => JSON.parse(one.value))
            .filter((one) => one.version)
            .slice(0, 3),
        );
        target.value = "";
        return;
      }
      if (target.value && this.room()) this.looks.add(JSON.parse(target.value));
      target.value = "";
    });
    id("new-surface").addEventListener("change", () => this.hangOwn());
    document.querySelectorAll("[data-look]").forEach((input) =>
      (input.type === "color" ? ["input", "change"] : ["change"]).forEach((kind) =>
        input.addEventListener(kind, () => {
          if (!input.checkValidity()) {
            refuse(input.title);
            this.tell(this.looks.look);
            return;
          }
          this.looks.set(
            { [input.dataset.look]: input.type === "color" ? input.value : Number(input.value) },
            this.looks.at,
            kind === "change",
          );
        }),
      ),
    );
    document
      .querySelectorAll("[data-metres]")
      .forEach((button) =>
        button.addEventListener("click", () => this.looks.set({ metres: Number(button.dataset.metres) })),
      );
    id("look-shown").addEventListener("change", ({ target }) =>
      this.looks.set({ version: 0, layer: 0, colours: "", ...JSON.parse(target.value) }),
    );
    id("loupe").addEventListener("click", () => this.turnLoupe());
    id("look-off").addEventListener("click", () => this.looks.takeOff());
    id("look-left").addEventListener("click", () => this.looks.left());
    id("vision").addEventListener("change", ({ target }) => {
      this.wall.vision = target.value;
      this.changed();
      this.looks.arrange();
    });
    ["input", "change"].forEach((kind) =>
      id("ground").addEventListener(kind, ({ target }) => {
        this.wall.cloth = target.value;
        this.changed(kind === "change");
        this.looks.arrange();
      }),
    );
    id("ppi")?.addEventListener("change", ({ target }) => {
      const ppi = Number(target.value);
      if (!(ppi >= 10 && ppi <= 2400)) {
        refuse(target.title);
        target.value = String(this.wall.ppi);
        return;
      }
      this.setPpi(ppi);
      this.desk.setPpi(ppi);
    });
    id("set-screen").addEventListener("click", () => this.setScreen());
    for (const way of ["undo", "redo"]) id(way).addEventListener("click", () => this.draft[way]());
    const see = (view) => {
      document.querySelector(`input[name=view][value=${view}]`).checked = true;
      this.see(view);
    };
    new Keys({
      fit: () => see("beside"),
      real: () => see("true"),
      undo: () => this.draft.undo(),
      redo: () => this.draft.redo(),
    });
    this.draft.before(id("keep"));
    document.body.addEventListener("htmx:afterRequest", (event) => {
      if (event.detail.elt.id === "keep" && event.detail.successful) this.draft.refresh();
    });
    document.body.addEventListener("orvix-changed", () => {
      clearTimeout(this.soon);
      this.soon = setTimeout(() => {
        this.looks.rehang();
        this.readings.read(true);
        this.desk.check();
        if (checked("view") === "close") this.close.show();
      }, 250);
    });
  }

  // A surface from a picture hangs at once; it is fitted on its own page, and the wall follows.
  async hangOwn() {
    if (!this.room()) return;
    const answer = await post(id("new-surface").action, new FormData(id("new-surface")));
    id("new-surface").reset();
    if (answer.refused) {
      refuse(answer.refused);
      return;
    }
    const look = { kind: "surface", surface: answer.surface };
    const group = document.querySelector('#add-look option[value="own"]');
    group.before(new Option(`${answer.name}, ${answer.size}`, JSON.stringify(look)));
    this.looks.name(answer.surface, answer.name, answer.size);
    this.looks.add(look);
    note("Added to the proof", "Drag its corners into place:", { href: answer.href, words: `Open ${answer.name}` });
  }

  // Whether another look fits on the wall; says so where none does.
  room() {
    if (this.wall.panels.length < this.mostLooks) return true;
    refuse(`A proof holds ${this.mostLooks} looks. Remove one first.`);
    return false;
  }

  // Looks of other versions or colours beside those that hang.
  row(shows) {
    const left = this.looks.row(shows, this.mostLooks);
    if (left) refuse(`A proof holds ${this.mostLooks} looks, so ${left} were not added. Remove some first.`);
  }

  // Colourways are among what a look may show.
  fillShown() {
    const group = id("shown-colours");
    group.replaceChildren(
      ...(this.wall.colourways ?? []).map(({ name }) => new Option(name, JSON.stringify({ colours: name }))),
    );
    group.hidden = !group.children.length;
    if (this.looks.look) this.tell(this.looks.look);
  }

  reshow() {
    this.changed();
    this.fillShown();
    this.looks.rehang();
  }

  turnLoupe() {
    const on = id("loupe").getAttribute("aria-pressed") !== "true";
    id("loupe").setAttribute("aria-pressed", String(on));
    this.loupe.turn(on);
  }

  // A tile is printed at another resolution: everything on the wall has another size.
  setPpi(ppi) {
    if (this.of.of !== "tile") return;
    this.wall.ppi = ppi;
    id("ppi").value = String(ppi);
    this.changed();
    this.looks.rehang();
  }

  // Another wall: stored as a draft, and kept when "Keep this wall" is pressed.
  changed(settled = true) {
    id("wall-field").value = JSON.stringify(this.wall);
    this.draft.change(this.wall, settled);
  }

  // The values of the look that is chosen.
  tell(look) {
    id("look-name").textContent = titleOf(look);
    document
      .querySelectorAll("#look-bar [data-for]")
      .forEach((one) => one.classList.toggle("hidden", !one.dataset.for.includes(look.kind)));
    document.querySelectorAll("[data-look]").forEach((input) => {
      if (input.dataset.look in look && input !== document.activeElement) {
        input.value = String(look[input.dataset.look]);
      }
    });
    const shown = JSON.stringify(
      Object.fromEntries(
        ["version", "layer", "colours"].filter((name) => look[name]).map((name) => [name, look[name]]),
      ),
    );
    id("look-shown").value = [...id("look-shown").options].some((one) => one.value === shown) ? shown : "{}";
    id("look-off").disabled = this.wall.panels.length === 1;
    const { repeat } = this.looks ?? {};
    if (repeat) id("repeat-size").textContent = `Repeat ${repeat.map((side) => side.toFixed(1)).join(" × ")} mm`;
    this.lines();
  }

  // The smallest lines at print size, once they are measured.
  lines() {
    const px = this.readings.now?.line_px;
    if (px === undefined) return;
    const mm = ((px ?? 0) / (this.wall.ppi || 300)) * MM_AN_INCH;
    id("line-size").textContent = px === null ? "No thin lines" : `Lines from ${mm.toFixed(mm < 1 ? 2 : 1)} mm`;
  }

  // One rule under all looks, in mm or cm: they are at one scale.
  scaled(scale) {
    const step = STEPS_MM.find((one) => one * scale >= 46) ?? STEPS_MM.at(-1);
    const width = this.main.clientWidth;
    const ticks = Array.from({ length: Math.ceil(width / (step * scale)) }, (_, n) => n * step);
    const lines = ticks.flatMap((mm) => [
      svg("line", { x1: mm * scale + 16, x2: mm * scale + 16, y1: 0, y2: 9 }),
      Object.assign(svg("text", { x: mm * scale + 20, y: 17 }), {
        textContent: mm ? String(mm >= 10 && step >= 10 ? mm / 10 : mm) : step >= 10 ? "0 cm" : "0 mm",
      }),
    ]);
    const drawing = svg("svg", { width, height: 22 });
    drawing.append(svg("line", { x1: 0, x2: width, y1: 0.5, y2: 0.5 }), ...lines);
    id("rule-line").replaceChildren(drawing);
    const ppi = screenPpi.get();
    if (this.looks?.seatMm) {
      id("scale-words").textContent = `For an eye ${SEAT_MM / 1000} m away${ppi ? "" : `, ${USUAL_SCREEN_PPI} ppi`}`;
      return;
    }
    const ratio = (ppi || USUAL_SCREEN_PPI) / MM_AN_INCH / scale;
    id("scale-words").textContent = this.looks?.trueScale
      ? ppi
        ? `True size, ${ppi} ppi screen`
        : `True size on a ${USUAL_SCREEN_PPI} ppi screen`
      : `All at 1 : ${ratio.toFixed(1)}, ${Math.round(100 * scale)} px = 10 cm`;
  }

  see(how) {
    id("looks").classList.toggle("hidden", how === "close");
    id("rule-line").classList.toggle("hidden", how === "close" || how === "sight");
    id("look-bar").classList.toggle("hidden", how === "close");
    id("cloth").classList.toggle("hidden", how !== "close");
    id("set-screen").classList.toggle("hidden", how !== "true" && how !== "sight");
    if (how === "close") {
      this.close.show();
      this.overlay();
      return;
    }
    this.looks.seatMm = how === "sight" ? SEAT_MM : 0;
    this.looks.trueScale = how === "true" || how === "sight" ? (screenPpi.get() || USUAL_SCREEN_PPI) / MM_AN_INCH : 0;
    this.looks.arrange();
  }

  setScreen() {
    const [dialog, range] = [id("screen-dialog"), id("screen-range")];
    const shown = () => {
      id("screen-ppi").textContent = range.value;
      id("card-bar").style.width = `${(CARD_MM / MM_AN_INCH) * Number(range.value)}px`;
    };
    range.value = String(screenPpi.get() || USUAL_SCREEN_PPI);
    range.oninput = shown;
    dialog.onclose = () => {
      if (dialog.returnValue === "keep") {
        screenPpi.put(Number(range.value));
        this.see(checked("view"));
      }
    };
    shown();
    dialog.showModal();
  }

  // Other readings, or another gauge pressed: where a reading is, is seen up close.
  readingsShown() {
    const { now, gauge } = this.readings;
    if (now && now !== this.wasRead) {
      this.wasRead = now;
      this.lines();
      if (now.fits) this.fit(now.fits, now.joined);
    } else if (gauge && checked("view") !== "close") {
      document.querySelector('input[name="view"][value="close"]').checked = true;
      this.see("close");
    }
    this.overlay();
  }

  fit(fits, joined) {
    const [verdict, number, unit, under] = ["verdict", "number", "unit", "under"].map((name) =>
      id("fits").querySelector(`[data-${name}]`),
    );
    const closing = fits.filter((one) => one.closes).length;
    const good = closing === fits.length;
    verdict.textContent = good ? (joined || fits.length ? "Fits" : "Open edges") : "Does not fit";
    verdict.classList.toggle("warm", !good);
    number.textContent = fits.length ? `${closing} of ${fits.length}` : "–";
    unit.textContent = fits.length ? "fit" : "no grains";
    under.textContent = fits.map((one) => `${one.grain} v${one.version}`).join(", ");
    id("fits").title = fitParts(fits, joined)
      .map((one) => one.textContent)
      .join("\n");
  }

  overlay() {
    this.close.mark(this.readings.seam, this.readings.overlay);
    this.loupe.seam = this.readings.now?.seam ?? null;
  }
}

window.orvixWall = new ProofWall(id("wall"));
