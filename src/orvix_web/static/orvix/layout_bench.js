// The layout bench: motifs laid out on the cloth. Edits are asked of the core; the page moves what is held until it is let go.
import { viewKeys } from "./cloth.js";
import { canonical, Draft } from "./drafts.js";
import { FIELDS, Keys } from "./keys.js";
import { LayoutView } from "./layout_view.js";
import { BenchLink } from "./bench_link.js";
import { MotifList } from "./motif_list.js";
import { count, note, refuse } from "./page.js";
import { Publishing } from "./publish.js";
import { sameRecipe } from "./recipe.js";
import { Readings } from "./readings.js";
import { putValue, setUpValues, valueOf } from "./values.js";

const READ_AFTER_MS = 90;
const FULL_AFTER_MS = 700;
const MOST_CHOSEN = 200;
const id = (name) => document.getElementById(name);
const round = (value, digits = 2) => Number(value.toFixed(digits));
const FAINT = "35";

class LayoutBench {
  // Given by Alpine: the element that the page's part is on.
  $root = /** @type {any} */ (null);

  zoomText = "";

  init() {
    setUpValues();
    this.recipe = JSON.parse(id("recipe").textContent);
    this.asking = new BenchLink();
    this.draft = new Draft(JSON.parse(id("draft").textContent), {
      link: this.asking,
      told: note,
      show: (recipe) => this.put(recipe, this.chosenAt.get(canonical(recipe)) ?? this.chosen, false),
      state: (facts) => {
        this.steps = facts;
        this.kept = facts.saved;
        this.stepsShown();
      },
    });
    this.steps = this.draft.facts;
    this.kept = this.steps.saved;
    const bench = this;
    this.shared = {
      layout: () => bench.recipe.source.values.layout,
      motifs: new Map(),
      chosen: new Set(),
      links: [],
      get showOutlines() {
        return id("outlines").checked;
      },
      get showLinks() {
        return id("links").checked;
      },
    };
    this.chosenAt = new Map();
    this.view = new LayoutView(id("cloth"), this.shared, (view) => this.viewed(view));
    this.motifs = new MotifList(
      id("motifs"),
      id("motif-values"),
      this.shared,
      (told) => this.edit(told),
      this.$root.dataset.take,
    );
    this.publishing = new Publishing({
      recipe: () => this.recipe,
      ready: () => this.settledAll(),
      splitHref: this.$root.dataset.split,
      published: () => {
        this.kept = JSON.parse(JSON.stringify(this.recipe));
        this.shown();
        this.draft.refresh();
      },
      dropped: () => this.draft.discard(),
      split: (told) => location.assign(`${told.href}layout/`),
    });
    this.readings = new Readings({
      link: this.asking,
      band: id("band"),
      question: () => ({ what: "tile-readings", recipe: this.recipe }),
      busy: () => Boolean(this.held),
      shown: () => this.showGauge(),
      quickAfter: READ_AFTER_MS,
      fullAfter: FULL_AFTER_MS,
    });
    if (this.$root.dataset.shows === "draft") this.readings.clear();
    else this.readings.take(JSON.parse(id("kept-readings").textContent));
    this.hand();
    this.presses();
    this.keys();
    this.settings();
    this.shown();
    this.render();
    this.look();
    window.orvixLayout = this;
  }

  get layout() {
    return this.recipe.source.values.layout;
  }
  get chosen() {
    return [...this.shared.chosen].sort((a, b) => a - b);
  }

  // Edits, one after the other: the core answers with the recipe as it is then. What cannot be done is refused.
  edit(told, { remember = true } = {}) {
    this.turns = (this.turns ?? Promise.resolve()).then(async () => {
      const answer = await this.asking.ask("edit", {
        what: "layout-edit",
        recipe: this.recipe,
        chosen: this.chosen,
        edit: told,
      });
      if (!answer) return null;
      if (answer.facts.refused) {
        refuse(answer.facts.refused.message);
        this.settled();
        count(id("cloth"), "refused");
        return null;
      }
      if (remember && !["motif", "settings", "over"].includes(told.what)) this.last = told;
      this.put(answer.facts.recipe, answer.facts.chosen);
      return answer.facts;
    });
    return this.turns;
  }

  // Another recipe on the bench. store: it is a change made here; else it is stored already.
  put(recipe, chosen, store = true) {
    if (store && !sameRecipe(recipe, this.recipe)) {
      this.chosenAt.set(canonical(this.recipe), this.chosen);
      if (this.chosenAt.size > MOST_CHOSEN) this.chosenAt.delete(this.chosenAt.keys().next().value);
      this.draft.change(recipe);
    }
    this.recipe = recipe;
    this.shared.chosen.clear();
    chosen.filter((n) => n < this.layout.items.length).forEach((n) => this.shared.chosen.add(n));
    this.readings.clear();
    this.shown();
    this.render();
    this.look();
  }

  // In their turn among the edits, so that none of those still on its way is lost or comes after.
  undo() {
    this.turns = (this.turns ?? Promise.resolve()).then(() => this.draft.undo());
  }
  redo() {
    this.turns = (this.turns ?? Promise.resolve()).then(() => this.draft.redo());
  }
  async settledAll() {
    await this.turns;
    await this.draft.idle();
  }

  // The core's pixels, then readings; what was dragged stays as it was let go until they are there.
  async render() {
    const asked = JSON.parse(JSON.stringify(this.recipe));
    const answer = await this.asking.ask("tile", { what: "tile", recipe: asked, level: this.view.level });
    if (!answer) return;
    if (answer.facts.refused) {
      refuse(answer.facts.refused.message);
      this.settled();
      return;
    }
    this.view.dropLayers();
    this.view.put(answer.facts, answer.pixels);
    count(id("cloth"), "shown");
    this.readings.soon();
    this.takeLayers();
  }

  settled() {
    this.view.dropLayers();
    this.view.draw();
  }

  // What motifs are, and the shortest links.
  async look() {
    const answer = await this.asking.ask("layout", { what: "layout", recipe: this.recipe });
    if (!answer || answer.facts.refused) return;
    this.shared.motifs = new Map(answer.facts.motifs.map((one) => [one.id, one]));
    this.shared.links = answer.facts.links;
    const least = answer.facts.links[0];
    id("least-words").textContent = least
      ? `Smallest gap: ${least.px ? `${round(least.px, 1)} px` : "0 px, touching"}`
      : "";
    this.motifs.show(answer.facts, answer.pixels);
    this.showChosen();
    this.view.draw();
    count(id("cloth"), "looked");
  }

  // Layers to drag by, fetched as soon as something is chosen, so that the first movement finds them.
  async takeLayers() {
    const chosen = this.chosen;
    if (!chosen.length || !this.view.tile) return;
    const asked = JSON.stringify(chosen);
    const answer = await this.asking.ask("layers", {
      what: "layout-layers",
      recipe: this.recipe,
      chosen,
      level: this.view.tile.level,
    });
    if (!answer || answer.facts.refused || asked !== JSON.stringify(this.chosen)) return;
    this.view.setLayers(answer.facts, answer.pixels);
    count(id("cloth"), "layers");
    if (this.held) this.view.drag(this.view.by);
  }

  choose(numbers) {
    this.shared.chosen.clear();
    const groups = new Set(numbers.map((n) => this.layout.items[n].group).filter(Boolean));
    numbers.forEach((n) => this.shared.chosen.add(n));
    this.layout.items.forEach((item, n) => {
      if (groups.has(item.group)) this.shared.chosen.add(n);
    });
    this.view.dropLayers();
    this.showChosen();
    this.view.draw();
    this.takeLayers();
  }

  // The hand on the cloth.
  hand() {
    const box = id("cloth");
    const at = (event) => {
      const frame = box.getBoundingClientRect();
      return [event.clientX - frame.left, event.clientY - frame.top];
    };
    box.addEventListener(
      "pointerdown",
      (event) => {
        if (event.button !== 0 || !this.view.tile) return;
        const place = at(event);
        if (id("settle").getAttribute("aria-pressed") === "true") {
          this.pressOver(this.view.under(...place));
          event.stopImmediatePropagation();
          return;
        }
        const handle = this.view.handleAt(...place);
        const found = handle ? null : this.view.under(...place);
        if (!handle && !found) {
          this.pressed = place;
          return;
        }
        event.stopImmediatePropagation();
        // What the hand holds stays under it, also when the page around the cloth changes its size meanwhile.
        this.view.follow = false;
        box.focus({ preventScroll: true });
        box.setPointerCapture(event.pointerId);
        if (found) {
          if (event.shiftKey) {
            this.choose(
              this.shared.chosen.has(found.number)
                ? this.chosen.filter((n) => n !== found.number)
                : [...this.chosen, found.number],
            );
          } else if (!this.shared.chosen.has(found.number)) this.choose([found.number]);
        }
        this.held = { from: place, handle, by: null, allowed: [0, 0] };
      },
      { capture: true },
    );
    box.addEventListener(
      "pointermove",
      (event) => {
        if (!this.held) return;
        event.stopImmediatePropagation();
        this.held.to = at(event);
        this.frame ??= requestAnimationFrame(() => {
          this.frame = null;
          if (this.held?.to) this.follow();
        });
      },
      { capture: true },
    );
    for (const end of ["pointerup", "pointercancel"]) {
      box.addEventListener(
        end,
        (event) => {
          if (this.pressed && end === "pointerup") {
            const [x, y] = at(event);
            if (Math.hypot(x - this.pressed[0], y - this.pressed[1]) < 4) this.choose([]);
          }
          this.pressed = null;
          if (!this.held) return;
          event.stopImmediatePropagation();
          if (end === "pointerup" && this.held.to) {
            this.held.to = at(event);
            this.follow();
          }
          const { held } = this;
          this.held = null;
          if (end === "pointerup" && held.by) this.letGo(held);
          else {
            this.view.by = null;
            this.view.draw();
          }
        },
        { capture: true },
      );
    }
  }

  // Follow the pointer: motifs move at once by whole px; where a distance is kept, to where the core allows.
  follow() {
    const { held, view } = this;
    const [dx, dy] = [(held.to[0] - held.from[0]) / view.zoom, (held.to[1] - held.from[1]) / view.zoom].map(Math.round);
    if (held.handle?.arrow) {
      held.by = { arrow: held.handle.arrow, x: dx, y: dy };
      this.followArrow(held.by);
      return;
    }
    if (held.handle?.turn || held.handle?.scale) {
      const about = held.handle.turn ?? held.handle.scale;
      /** @param {number[]} place */
      const way = ([left, top]) => {
        const [x, y] = view.toTile(left, top);
        return [x - about[0], y - about[1]];
      };
      const [from, to] = [way(held.from), way(held.to)];
      if (held.handle.turn) {
        held.by = {
          about,
          turn: round(((Math.atan2(to[1], to[0]) - Math.atan2(from[1], from[0])) * 180) / Math.PI, 1),
        };
      } else {
        held.by = { about, scale: Math.max(round(Math.hypot(...to) / Math.max(Math.hypot(...from), 1), 3), 0.05) };
      }
    } else if (dx || dy || held.by) {
      held.by = { x: dx, y: dy };
      if (this.layout.keep_px > 0) {
        this.askMove(held);
        view.drag({ x: held.allowed[0], y: held.allowed[1] });
        count(id("cloth"), "frames");
        return;
      }
    } else return;
    view.drag(held.by);
    count(id("cloth"), "frames");
  }

  async askMove(held) {
    const answer = await this.asking.ask("move", {
      what: "layout-move",
      recipe: this.recipe,
      chosen: this.chosen,
      x: held.by.x,
      y: held.by.y,
      last: held.allowed,
    });
    if (!answer || answer.facts.refused || this.held !== held) return;
    held.allowed = answer.facts.move.map(Math.round);
    this.shared.links = answer.facts.links;
    this.view.drag({ x: held.allowed[0], y: held.allowed[1] });
  }

  // An arrow of the repeat: the core says which size and which simple stagger that is, and the cloth follows.
  async followArrow({ arrow, x, y }) {
    const [a, b] = (this.arrows ??= this.view.basis);
    const moved = arrow === "a" ? { a: [a[0] + x, a[1] + y], b } : { a, b: [b[0] + x, b[1] + y] };
    const told = { what: "basis", dragged: arrow, ...moved };
    const answer = await this.asking.ask("arrow", {
      what: "layout-edit",
      recipe: this.recipe,
      chosen: this.chosen,
      edit: told,
    });
    if (!answer || answer.facts.refused || !this.arrows) return;
    const shown = await this.asking.ask("tile", {
      what: "tile",
      recipe: answer.facts.recipe,
      level: this.view.level,
      moving: true,
    });
    if (!shown || shown.facts.refused || !this.arrows) return;
    this.view.dropLayers();
    this.view.follow = false;
    this.view.put(shown.facts, shown.pixels);
    this.showRepeat(answer.facts.recipe);
  }

  letGo({ by, handle, allowed }) {
    if (handle?.arrow) {
      const [a, b] = this.arrows ?? this.view.basis;
      this.arrows = null;
      const moved = handle.arrow === "a" ? { a: [a[0] + by.x, a[1] + by.y], b } : { a, b: [b[0] + by.x, b[1] + by.y] };
      this.edit({ what: "basis", dragged: handle.arrow, ...moved }, { remember: false });
    } else if (by.turn !== undefined) this.edit({ what: "turn", by: by.turn });
    else if (by.scale !== undefined) this.edit({ what: "scale", times: by.scale });
    else if (by.x || by.y) this.edit({ what: "move", x: by.x, y: by.y, last: allowed });
  }

  // What lies over what: the first pressed shall lie over the second, where their copies meet.
  pressOver(found) {
    if (!found) return;
    if (!this.upper) {
      this.upper = found;
      this.choose([found.number]);
      id("mode-words").textContent = "Now click the motif below it";
      return;
    }
    const { upper } = this;
    this.upper = null;
    id("settle").setAttribute("aria-pressed", "false");
    id("mode-words").textContent = "Drag a motif to move it, drag the ground to pan";
    if (upper.number !== found.number || upper.i !== found.i || upper.j !== found.j) {
      this.edit({
        what: "over",
        upper: upper.number,
        lower: found.number,
        across: found.i - upper.i,
        down: found.j - upper.j,
      });
    }
  }

  presses() {
    document.addEventListener("bad-value", (event) => refuse(event.detail.rule));
    document.addEventListener("click", (event) => {
      const button = event.target.closest("[data-edit]");
      if (button) this.edit(JSON.parse(button.dataset.edit));
    });
    id("undo").addEventListener("click", () => this.undo());
    id("redo").addEventListener("click", () => this.redo());
    id("repeat-step").addEventListener("click", () => this.repeatStep());
    id("settle").addEventListener("click", () => {
      const on = id("settle").getAttribute("aria-pressed") !== "true";
      id("settle").setAttribute("aria-pressed", String(on));
      this.upper = null;
      id("mode-words").textContent = on
        ? "Click the motif that goes on top"
        : "Drag a motif to move it, drag the ground to pan";
    });
    id("align").addEventListener("change", (event) => {
      if (event.target.value) this.edit({ what: "align", how: event.target.value });
      event.target.value = "";
    });
    id("recolour").addEventListener("change", (event) => this.edit({ what: "recolour", colour: event.target.value }));
    for (const name of ["outlines", "links"]) id(name).addEventListener("change", () => this.view.draw());
    id("neighbours").addEventListener("input", (event) => {
      this.view.strength = Number(event.target.value) / 100;
      this.view.draw();
    });
    document.querySelectorAll("[data-number]").forEach((field) =>
      field.addEventListener("change", () => {
        const value = Number(field.value);
        if (field.value.trim() === "" || Number.isNaN(value)) {
          refuse(
            `${field.getAttribute("aria-label")?.split(",")[0] ?? "This field"}: “${field.value}” is not a number. Enter a number.`,
          );
          this.showChosen();
        } else this.edit({ what: "set", [field.dataset.number]: value });
      }),
    );
    id("fill-now").addEventListener("click", () => {
      const told = { what: "fill", motifs: this.motifs.marked() };
      for (const row of id("fill").querySelectorAll("[data-value]")) {
        told[row.dataset.value.replace("fill.", "")] = row.now;
      }
      this.edit(told);
    });
  }

  repeatStep() {
    if (this.last) this.edit(this.last);
  }

  // What belongs to the whole: repeat, size, ground, distance kept.
  settings() {
    document.addEventListener("value", (event) => {
      if (event.detail.name === "keep_px" && event.detail.settled) {
        this.edit({ what: "settings", keep_px: event.detail.value });
      }
    });
    const whole = () =>
      this.edit(
        {
          what: "basis",
          repeat: document.querySelector("input[name=repeat]:checked").value,
          stagger: id("stagger").value.trim(),
          size: [Number(id("width").value), Number(id("height").value)],
        },
        { remember: false },
      );
    document.querySelectorAll("input[name=repeat]").forEach((radio) => radio.addEventListener("change", whole));
    for (const name of ["stagger", "width", "height"]) id(name).addEventListener("change", whole);
    id("margin").addEventListener("change", () =>
      this.edit({ what: "settings", margin_px: Number(id("margin").value) }),
    );
    id("follows").addEventListener("change", (event) => this.edit({ what: "settings", follows: event.target.checked }));
    const ground = () => this.edit({ what: "settings", ground: id("bare").checked ? null : id("ground").value });
    id("ground").addEventListener("change", ground);
    id("bare").addEventListener("change", ground);
  }

  showRepeat(recipe) {
    document.querySelector(`input[name=repeat][value="${recipe.repeat}"]`).checked = true;
    id("stagger").value = recipe.stagger;
    id("stagger").disabled = recipe.repeat === "straight";
    [id("width").value, id("height").value] = recipe.size;
  }

  showGauge() {
    const { view } = this;
    const { overlay: over, seam } = this.readings;
    view.seam = seam;
    view.overlay = (told) => {
      view.drawOver();
      if (over) over(told);
    };
    view.draw();
  }

  stepsShown() {
    const fresh = !sameRecipe(this.recipe, this.kept);
    id("publish").disabled = !fresh;
    id("keep-note").textContent = fresh ? "Draft" : "Published";
    id("undo").disabled = !this.steps.can_undo && !this.draft.saver.pending;
    id("redo").disabled = !this.steps.can_redo || this.draft.saver.pending > 0;
  }

  shown() {
    this.stepsShown();
    this.showRepeat(this.recipe);
    const { keep_px: keep, margin_px: margin, follows, ground } = this.layout;
    if (valueOf("keep_px") !== keep) putValue("keep_px", keep);
    id("margin").value = margin;
    id("follows").checked = follows;
    id("bare").checked = ground === null;
    if (ground) id("ground").value = ground;
    this.showChosen();
  }

  showChosen() {
    const { items } = this.layout;
    const chosen = this.chosen.map((n) => items[n]).filter(Boolean);
    const names = new Map(this.layout.motifs.map((one) => [one.id, one.name]));
    id("chosen-words").textContent =
      chosen.length === 0
        ? `0 of ${items.length} selected. Click one on the cloth.`
        : chosen.length === 1
          ? `${names.get(chosen[0].motif)}${chosen[0].locked ? ", locked" : ""}`
          : `${chosen.length} of ${items.length} selected`;
    document.querySelectorAll("[data-number]").forEach((field) => {
      field.disabled = !chosen.length;
      const values = new Set(
        chosen.map((item) => round(item[field.dataset.number] ?? (field.dataset.number === "scale" ? 1 : 0), 3)),
      );
      field.value = values.size === 1 ? String([...values][0]) : "";
      field.placeholder = values.size > 1 ? "Mixed" : "";
    });
    document.querySelectorAll("[data-edit], #align, #recolour").forEach((one) => {
      one.disabled = !chosen.length;
    });
    id("repeat-step").disabled = !this.last || !chosen.length;
    this.motifs?.chosen(new Set(chosen.map((item) => item.motif)));
  }

  keys() {
    const all = () => this.layout.items.map((_, n) => n);
    new Keys({
      ...viewKeys(this.view),
      neighbours: () => {
        const field = id("neighbours");
        field.value = Number(field.value) < 100 ? "100" : FAINT;
        field.dispatchEvent(new Event("input", { bubbles: true }));
      },
      "select-all": () => this.choose(all()),
      deselect: () => this.choose([]),
      invert: () => this.choose(all().filter((n) => !this.shared.chosen.has(n))),
      delete: () => this.edit({ what: "delete" }),
      undo: () => this.undo(),
      redo: () => this.redo(),
      close: () => this.choose([]),
    });
    // Arrows move what is selected before the cloth pans by them.
    document.addEventListener(
      "keydown",
      (event) => {
        if (event.target.closest(`${FIELDS}, dialog`) || !this.shared.chosen.size) return;
        const step = event.shiftKey ? 10 : 1;
        const move = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[
          event.key
        ];
        if (!move) return;
        this.edit({ what: "move", x: move[0], y: move[1] });
        event.preventDefault();
        event.stopPropagation();
      },
      { capture: true },
    );
  }

  viewed(view) {
    this.zoomText = `${Math.round(view.zoom * view.ratio * 100)} %`;
    if (view.tile && view.level < view.tile.level && view.level !== this.asked) {
      this.asked = view.level;
      this.render();
    }
    if (view.tile && view.level >= view.tile.level) this.asked = null;
  }
  whole() {
    this.view.fit();
  }
  real() {
    this.view.real();
  }
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("layoutBench", () => new LayoutBench());
});
