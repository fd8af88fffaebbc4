// The brush bench: every value of a brush, what the hand changes, and the trial sheet painted anew by the core at each change.
import { CoatRows, readPath, writePath } from "./coat_rows.js";
import { Dial } from "./dial.js";
import { Draft, same } from "./drafts.js";
import { FontPicker } from "./font_picker.js";
import { Keys } from "./keys.js";
import { LeadsGrid, leadWords } from "./leads_grid.js";
import { BenchLink } from "./bench_link.js";
import { note, refuse } from "./page.js";
import { Strip } from "./strip.js";
import { TipPicker } from "./tip_picker.js";

const copy = (thing) => JSON.parse(JSON.stringify(thing));
const byId = (id) => document.getElementById(id);
const json = (id) => JSON.parse(byId(id).textContent);
const RIBBON_LEADS = ["size", "flow", "opacity", "strength", "hue", "saturation", "brightness", "second"];
const LED_ROWS = {
  size: "values.size",
  roundness: "values.roundness",
  turn: "values.turn",
  spacing: "values.spacing",
  scatter_along: "values.scatter_along",
  scatter_across: "values.scatter_across",
  count: "values.count",
  flow: "values.flow",
  opacity: "values.opacity",
  hardness: "values.hardness",
  grain_strength: "grain.strength",
  grain_scale: "grain.scale",
  hue: "values.hue",
  saturation: "values.saturation",
  brightness: "values.brightness",
  second: "values.second",
  strength: "values.strength",
};

class BrushBench {
  // Given by Alpine: the element that the page's part is on.
  $root = /** @type {any} */ (null);

  init() {
    this.facts = json("facts");
    this.brush = json("definition");
    this.opened = copy(this.brush);
    this.back = false;
    this.at = 0;
    this.stroke = "pressure swell";
    this.link = new BenchLink();
    this.context = byId("sheet").getContext("2d", { alpha: false });
    this.rows = new CoatRows(document.querySelector(".groups"), (path, value, settled) =>
      this.rowChanged(path, value, settled),
    );
    this.grid = new LeadsGrid(this.facts, {
      changed: (settled) => this.changed(settled),
      trace: (value, driver) => this.trace(value, driver),
    });
    this.tips = new TipPicker(this.facts, () => this.changed(true));
    this.fonts = new FontPicker(() => this.changed(true));
    this.dial = new Dial(byId("dial"), (settled) => this.changed(settled));
    this.colours = this.brush.values.keeps_colour
      ? [this.brush.values.colour, this.brush.values.second_colour]
      : [...this.facts.colours];
    [byId("paint").value, byId("second").value] = this.colours;
    this.draft = new Draft(json("draft"), {
      link: this.link,
      told: note,
      show: (value) => this.take(value),
      state: (facts) => {
        this.steps = facts;
        this.keepShown();
      },
    });
    this.steps = this.draft.facts;
    this.listen();
    this.strip = new Strip(byId("strip"), {
      told: () => ({ colour: this.colours[0], second_colour: this.colours[1] }),
      size: () => this.size(),
      refused: refuse,
      penSeen: () => this.sawPen(),
    });
    this.fill();
    this.show();
    window.orvixBench = this;
  }

  // Show the brush by a file, or by its stroke.
  givePicture(file) {
    const files = new DataTransfer();
    if (file) files.items.add(file);
    byId("picture-form").querySelector("input").files = files.files;
    byId("picture-form").requestSubmit();
  }

  get coat() {
    return this.brush.coats[this.at];
  }

  size() {
    return Math.max(...this.brush.coats.map((coat) => coat.values.size));
  }

  listen() {
    document.addEventListener("bad-value", (event) => refuse(event.detail.rule));
    for (const input of document.querySelectorAll("input[name=ground]")) {
      input.addEventListener("change", () => {
        byId("ground-own").classList.toggle("hidden", this.ground() !== "own");
        byId("ground-canvas").classList.toggle("hidden", this.ground() !== "canvas");
        this.show();
      });
    }
    byId("over-canvas").addEventListener("change", () => {
      this.piece = 0;
      this.show();
    });
    byId("over-next").addEventListener("click", () => {
      this.piece = (this.piece ?? 0) + 1;
      this.show();
    });
    byId("ground-own").addEventListener("input", () => this.show());
    ["paint", "second"].forEach((id, n) =>
      ["input", "change"].forEach((kind) =>
        byId(id).addEventListener(kind, () => {
          this.colours[n] = byId(id).value;
          this.brush.values[n ? "second_colour" : "colour"] = byId(id).value;
          this.changed(kind === "change");
        }),
      ),
    );
    byId("grain-pick").addEventListener("change", () => this.pickGrain());
    byId("pin").addEventListener("click", () => this.pin());
    byId("undo").addEventListener("click", () => this.draft.undo());
    byId("redo").addEventListener("click", () => this.draft.redo());
    byId("find").addEventListener("input", () => this.rows.find(byId("find").value));
    byId("find").addEventListener("keydown", (event) => {
      if (event.key === "Enter") this.rows.find(byId("find").value)?.querySelector("input, select")?.focus();
    });
    byId("collisions").addEventListener("click", () => {
      const on = byId("collisions").getAttribute("aria-pressed") !== "true";
      byId("collisions").setAttribute("aria-pressed", String(on));
      byId("hits").classList.toggle("hidden", !on);
    });
    byId("coat-from").addEventListener("change", () => this.takeCoats());
    document.addEventListener("click", ({ target }) => {
      if (target.closest("[data-about]")) byId("about-dialog").showModal();
      else if (target.closest("#about-dialog [data-close]") || target === byId("about-dialog")) {
        byId("about-dialog").close();
      }
    });
    byId("set-alike")?.addEventListener("submit", ({ target }) => {
      target.elements.definition.value = JSON.stringify(this.brush);
      target.elements.coat.value = String(this.at);
    });
    byId("about-dialog").addEventListener("submit", ({ target }) => {
      const field = target.querySelector("input[name=definition]");
      if (field) field.value = JSON.stringify(this.brush);
    });
    byId("picture-strip").addEventListener("click", () => {
      if (!Number(byId("strip").dataset.strokes || 0)) {
        refuse("The test strip is empty. Paint on it first.");
        return;
      }
      byId("strip")
        .querySelector("canvas")
        .toBlob((blob) => this.givePicture(new File([blob], "strip.png", { type: "image/png" })));
    });
    byId("picture-own").addEventListener("click", () => this.givePicture(null));
    document.body.addEventListener("htmx:afterRequest", (event) => {
      if (event.detail.elt.closest("#about-dialog") && event.detail.successful) byId("about-dialog").close();
    });
    byId("coats").addEventListener("click", (event) => this.coatPressed(event.target.closest("button")?.dataset ?? {}));
    for (const button of document.querySelectorAll("[data-stroke]")) {
      button.addEventListener("click", () => {
        this.stroke = button.dataset.stroke;
        this.showStroke();
        if (this.grid.chosen) this.trace(...this.grid.chosen.split("."));
      });
    }
    document.querySelector(".groups").addEventListener("click", ({ target }) => {
      if (target.dataset.reset) {
        this.reset(target.dataset.reset);
        return;
      }
      if (target.dataset.goCell) {
        this.grid.choose(target.dataset.goCell);
        byId("leads").querySelector(`[data-cell="${target.dataset.goCell}"]`).focus();
      }
    });
    document.querySelector(".groups").addEventListener("dblclick", (event) => this.resetOne(event));
    byId("keep").addEventListener("htmx:configRequest", (event) => {
      event.detail.parameters.definition = JSON.stringify(this.brush);
    });
    document.body.addEventListener("htmx:afterRequest", (event) => {
      if (event.detail.elt.id === "keep" && event.detail.successful) this.draft.refresh();
    });
    this.draft.before(byId("keep"));
    new Keys(
      { undo: () => this.draft.undo(), redo: () => this.draft.redo() },
      { held: { beside: { down: () => this.lookBack(true), up: () => this.lookBack(false) } } },
    );
  }

  sawPen() {
    if (!this.pen) {
      this.pen = true;
      this.words(this.answer);
    }
  }

  rowChanged(path, value, settled) {
    const { coat } = this;
    writePath(this.brush, coat, path, value);
    if (["values.size", "values.smallest", "values.largest"].includes(path)) this.keepWithin(path.slice(7));
    this.changed(settled);
  }

  // Size, smallest and largest give way to the one that was set.
  keepWithin(name) {
    const { values } = this.coat;
    if (name === "smallest") values.largest = Math.max(values.largest, values.smallest);
    if (name === "largest") values.smallest = Math.min(values.smallest, values.largest);
    if (name === "size") {
      Object.assign(values, {
        smallest: Math.min(values.smallest, values.size),
        largest: Math.max(values.largest, values.size),
      });
    } else values.size = Math.min(Math.max(values.size, values.smallest), values.largest);
  }

  // What a draft holds of the brush: all but its name, which belongs to the brush itself.
  get value() {
    const { name: _name, ...value } = this.brush;
    return value;
  }

  changed(settled) {
    this.draft.change(this.value, settled);
    this.fill();
    this.show();
  }

  // A value that is stored already: undone, redone, or changed in another window.
  take(value) {
    this.brush = { ...copy(value), name: this.brush.name };
    this.at = Math.min(this.at, this.brush.coats.length - 1);
    if (this.brush.values.keeps_colour) {
      this.colours = [this.brush.values.colour, this.brush.values.second_colour];
      [byId("paint").value, byId("second").value] = this.colours;
    }
    this.fill();
    this.show();
  }

  fill() {
    this.rows.fill(this.brush, this.coat);
    this.grid.fill(this.coat);
    this.tips.fill(this.coat);
    this.dial.fill(this.coat);
    this.fonts.fill(this.coat);
    this.coatTabs();
    this.keepShown();
    this.showStroke();
  }

  keepShown() {
    const button = byId("keep-button");
    button.disabled = same(this.value, this.steps.saved);
    button.textContent = `Save v${byId("versions").dataset.next}`;
    byId("undo").disabled = !this.steps.can_undo && !this.draft.saver.pending;
    byId("redo").disabled = !this.steps.can_redo || this.draft.saver.pending > 0;
  }

  showStroke() {
    for (const button of document.querySelectorAll("[data-stroke]")) {
      button.classList.toggle("chosen", button.dataset.stroke === this.stroke);
    }
  }

  // One coat or several: their tabs, and what can be done with them.
  coatTabs() {
    const tabs = this.brush.coats.map(
      (coat, n) =>
        `<button type="button" class="coat-tab" data-coat="${n}" aria-pressed="${n === this.at}">Coat ${n + 1} <span>${coat.ribbon ? "ribbon" : coat.tip.name}</span></button>`,
    );
    const most = this.brush.coats.length >= 4;
    const alone = this.brush.coats.length === 1;
    tabs.push(
      `<span class="push"></span><button type="button" class="plain" data-do="add"${most ? " disabled" : ""} title="Adds a coat on top.">Add coat</button><button type="button" class="plain" data-do="twice"${most ? " disabled" : ""}>Duplicate coat</button><button type="button" class="plain" data-do="up"${this.at >= this.brush.coats.length - 1 ? " disabled" : ""} title="Moves this coat above the next one.">Move up</button><button type="button" class="plain" data-do="down"${this.at ? "" : " disabled"} title="Moves this coat below the previous one.">Move down</button><button type="button" class="plain" data-do="drop"${alone ? " disabled" : ""}>Delete coat</button>`,
    );
    byId("coats").innerHTML = tabs.join("");
  }

  coatPressed({ coat, do: what }) {
    const { coats } = this.brush;
    if (coat !== undefined) {
      this.at = Number(coat);
      this.fill();
      this.words(this.answer);
      return;
    }
    if (!what) return;
    const moved = (to) => {
      const [one] = coats.splice(this.at, 1);
      coats.splice(to, 0, one);
      this.at = to;
    };
    if (what === "add") {
      coats.push(copy(this.facts.coat));
      this.at = coats.length - 1;
    }
    if (what === "twice") {
      coats.splice(this.at + 1, 0, copy(this.coat));
      this.at += 1;
    }
    if (what === "up") moved(this.at + 1);
    if (what === "down") moved(this.at - 1);
    if (what === "drop") {
      coats.splice(this.at, 1);
      this.at = Math.min(this.at, coats.length - 1);
    }
    this.changed(true);
  }

  // The coats of another brush, over those that are here.
  async takeCoats() {
    const address = byId("coat-from").value;
    byId("coat-from").value = "";
    if (!address) return;
    const { coats } = await (await fetch(address)).json();
    if (this.brush.coats.length + coats.length > 4) {
      refuse(
        `This brush has ${this.brush.coats.length} coats and the other has ${coats.length}. A brush holds four. Delete some coats first.`,
      );
      return;
    }
    this.brush.coats.push(...coats);
    this.at = this.brush.coats.length - 1;
    this.changed(true);
  }

  pickGrain() {
    const picked = byId("grain-pick").value;
    const source = { grain_version: Number(picked) };
    this.coat.grain = picked ? { ...copy(this.facts.grain), ...(this.coat.grain ?? {}), source } : null;
    this.changed(true);
  }

  reset(group) {
    const fresh = {
      brush: { values: {} },
      coat: { ...copy(this.facts.coat), grain: this.coat.grain && { ...copy(this.facts.grain) } },
      target: this.brush,
    };
    fresh.coat.tip = { name: this.coat.tip.name, values: copy(this.facts.tips[this.coat.tip.name].values) };
    this.rows.reset(group, this.coat, fresh);
    this.changed(true);
  }

  // Pressed twice, the name of a value brings back its default.
  resetOne(event) {
    const row = event.target.closest("label")?.closest(".value");
    if (!row) return;
    const value = row.dataset.kind === "fraction" ? "1/2" : Number(row.dataset.default);
    this.rowChanged(row.dataset.value, value, true);
  }

  ground() {
    return document.querySelector("input[name=ground]:checked").value;
  }

  pin() {
    this.pinned = this.pinned ? null : copy(this.brush);
    byId("pin").textContent = this.pinned ? "Unpin" : "Pin";
    this.show();
  }

  order() {
    const ground =
      this.ground() === "own"
        ? byId("ground-own").value
        : (this.facts.grounds[this.ground()] ?? this.facts.grounds.light);
    const over =
      this.ground() === "canvas"
        ? { over: { canvas: Number(byId("over-canvas").value), place: (this.piece ?? 0) % 1000 } }
        : {};
    return {
      what: "sheet",
      ground,
      ...over,
      cell: this.pinned ? "low" : "tall",
      colour: this.colours[0],
      second_colour: this.colours[1],
    };
  }

  // While the key is held: the pinned brush, or the brush as it was opened.
  lookBack(on) {
    this.back = on;
    this.show();
  }

  async show() {
    const order = this.order();
    const brush = this.back ? (this.pinned ?? this.opened) : this.brush;
    const sheet = byId("sheet");
    const asked = String(Number(sheet.dataset.asked || 0) + 1);
    sheet.dataset.asked = asked;
    const [now, before] = [
      this.link.ask("sheet", { ...order, definition: brush }, { older: true }),
      this.pinned && this.sheetOfPinned(order),
    ];
    const answer = await now;
    if (!answer) return;
    if (answer.facts.refused) {
      refuse(answer.facts.refused.message);
      sheet.dataset.settled = asked;
      return;
    }
    this.draw(answer, await before);
    sheet.dataset.shown = String(Number(sheet.dataset.shown || 0) + 1);
    this.answer = answer.facts;
    this.words(answer.facts);
    this.strip.show(
      brush,
      answer.facts.factor,
      order.ground === "both" ? this.facts.grounds.light : order.ground,
      this.colours,
    );
    sheet.dataset.settled = asked;
  }

  // The sheet of the pinned state, asked again only where it would look different.
  sheetOfPinned(order) {
    const key = JSON.stringify([order, this.pinned]);
    if (this.pinnedSheet?.key !== key) {
      this.pinnedSheet = { key, answer: this.link.ask("pinned", { ...order, definition: this.pinned }) };
    }
    return this.pinnedSheet.answer;
  }

  // The sheet as it came; with a pinned state each row of it lies over the same row as it was.
  draw({ facts, pixels }, pinned) {
    const sheet = byId("sheet");
    const [w, h] = [facts.width, facts.height];
    const cell = h / 2;
    const whole = pinned?.pixels ? 2 * h : h;
    if (sheet.width !== w || sheet.height !== whole) Object.assign(sheet, { width: w, height: whole });
    const put = (data, places) =>
      places.forEach((y, n) => this.context.putImageData(data, 0, y - n * cell, 0, n * cell, w, cell));
    put(new ImageData(pixels, w, h), pinned?.pixels ? [0, 2 * cell] : [0, cell]);
    if (pinned?.pixels) put(new ImageData(pinned.pixels, w, h), [cell, 3 * cell]);
    const line = (y) => (pinned?.pixels && y >= cell ? y + cell : y);
    byId("hits").setAttribute("viewBox", `0 0 ${w} ${whole}`);
    byId("hits").innerHTML = facts.at.map(([x, y]) => `<circle cx="${x}" cy="${line(y)}" r="5"/>`).join("");
    byId("sheet-box").classList.toggle("pinned", Boolean(pinned?.pixels));
  }

  words(facts) {
    if (!facts) return;
    byId("scale-words").textContent =
      `${facts.factor > 1 ? `Shown at ${100 / facts.factor} % to fit. ` : ""}${facts.marks} marks, ${Math.round(facts.ms)} ms`;
    byId("scale-words").title = byId("scale-words").textContent;
    byId("collisions").textContent = facts.collisions === 1 ? "1 collision" : `${facts.collisions} collisions`;
    byId("collisions").classList.toggle("warm", facts.collisions > 0);
    const titles = new Map(this.facts.drivers.map((one) => [one.name, one.title]));
    const led = {};
    for (const [value, drivers] of Object.entries(this.coat.leads)) {
      for (const [driver, lead] of Object.entries(drivers)) {
        (led[LED_ROWS[value]] ??= []).push({
          words:
            leadWords(value, driver, titles.get(driver), lead) +
            (!this.pen && ["tilt", "bearing", "twist"].includes(driver) ? " (no pen detected)" : "") +
            (this.coat.ribbon && !RIBBON_LEADS.includes(value) ? " (no effect on ribbons)" : ""),
          cell: `${value}.${driver}`,
        });
      }
    }
    this.rows.say(facts.idle[this.at] ?? {}, led);
    const mine = (about) =>
      facts.advice
        .filter((one) => one.coat === this.at && about.includes(one.about))
        .map((one) => one.words)
        .join(" ");
    byId("tip-advice").textContent = mine(["tip", "ribbon"]);
    const { grain } = this.coat;
    const pick = byId("grain-pick");
    pick.value = grain ? String(grain.source.grain_version) : "";
    const picture = pick.selectedOptions[0]?.dataset.picture;
    byId("grain-picture").classList.toggle("hidden", !picture);
    if (picture && byId("grain-picture").getAttribute("src") !== picture) byId("grain-picture").src = picture;
    byId("grain-rows").classList.toggle("hidden", !grain);
    // A grain without strength still gives its tile's colours, where the coat takes those.
    const weak = grain?.strength === 0 && !this.coat.leads.grain_strength;
    const colours = weak && this.coat.values.colour_from === "tile";
    byId("grain-words").textContent = !grain
      ? "White lets paint through."
      : colours
        ? "Strength is 0. The grain gives only its colours."
        : weak
          ? "Strength is 0, so the grain has no effect."
          : mine(["grain"]) || "White lets paint through.";
    byId("grain-words").classList.toggle("warm", Boolean((weak && !colours) || mine(["grain"])));
  }

  async trace(value, driver) {
    const answer = await this.link.ask("trace", {
      what: "lead-trace",
      definition: this.brush,
      coat: this.at,
      value,
      driver,
      stroke: this.stroke,
    });
    if (answer && !answer.facts.refused) this.grid.traced(answer.facts);
  }

  read(path) {
    return readPath(this.brush, this.coat, path);
  }
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("brushBench", () => new BrushBench());
});
