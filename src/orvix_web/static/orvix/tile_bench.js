// The tile bench: a recipe's cards, the cloth they make, and its readings, all asked of the core at every change.
import { Cloth, viewKeys } from "./cloth.js";
import { keepView } from "./kept_view.js";
import { Draft } from "./drafts.js";
import { Keys } from "./keys.js";
import { BenchLink } from "./bench_link.js";
import { count, note, refuse } from "./page.js";
import { PhotoStage } from "./photo_stage.js";
import { Publishing } from "./publish.js";
import { RecipeCards, sameRecipe } from "./recipe.js";
import { SpotPicking } from "./spots.js";
import { Readings } from "./readings.js";
import { times } from "./gauges.js";

const QUICK_AFTER_MS = 90;
const FULL_AFTER_MS = 600;
const link = new BenchLink();
const id = (name) => document.getElementById(name);

class TileBench {
  // Given by Alpine: the element that the page's part is on.
  $root = /** @type {any} */ (null);
  // The cloth of another version beside this one, once it was asked for.
  other = null;

  zoomText = "";

  init() {
    this.squint = 0;
    this.draft = new Draft(JSON.parse(id("draft").textContent), {
      link,
      told: note,
      show: (recipe) => this.cards.show(recipe),
      state: (facts) => {
        this.steps = facts;
        this.kept = facts.saved;
        this.changedShown();
      },
    });
    this.steps = this.draft.facts;
    this.cards = new RecipeCards(id("cards"), this.$root.dataset.cards, {
      onStore: (recipe, settled) => this.draft.change(recipe, settled),
      onChange: (settled) => this.changed(settled),
    });
    this.kept = this.steps.saved;
    this.cloth = new Cloth(id("cloth"), { onView: (cloth) => this.viewed(cloth) });
    keepView(this.cloth);
    this.photo = new PhotoStage(this, link);
    this.spots = new SpotPicking(this, link);
    // The readings that were kept with the version are those of what is shown only where that is the version itself.
    this.readings = new Readings({
      link,
      band: id("band"),
      question: () => ({ what: "tile-readings", recipe: this.cards.copy() }),
      // The picture as it will be kept, where it was made smaller while a value moved.
      ready: () => (this.exact === false ? this.render(false) : null),
      shown: () => this.readingsShown(),
      quickAfter: QUICK_AFTER_MS,
      fullAfter: FULL_AFTER_MS,
    });
    if (this.$root.dataset.shows === "draft") this.readings.clear();
    else this.readings.take(JSON.parse(id("kept-readings").textContent));
    this.render();
    this.readings.read(false);
    this.listen();
    this.changedShown();
    window.orvixTile = this;
  }

  listen() {
    document.addEventListener("bad-value", (event) => refuse(event.detail.rule));
    this.publishing = new Publishing({
      recipe: () => this.cards.recipe,
      ready: () => this.draft.idle(),
      splitHref: this.$root.dataset.split,
      published: (xhr) => this.published(xhr),
      dropped: () => this.draft.discard(),
      split: (told) => location.assign(told.href),
    });
    document.body.addEventListener("orvix-job-ended", () => this.jobEnded());
    document.addEventListener("click", (event) => this.pressed(event.target));
    new Keys({
      ...viewKeys(this.cloth),
      squint: () => this.nextSquint(),
      undo: () => this.draft.undo(),
      redo: () => this.draft.redo(),
    });
    id("undo").addEventListener("click", () => this.draft.undo());
    id("redo").addEventListener("click", () => this.draft.redo());
  }

  pressed(target) {
    if (target.dataset.squint) this.pressSquint(Number(target.dataset.squint));
    else if (target.dataset.mode) this.mode(target.dataset.mode);
    else if (target.dataset.beside) this.beside(target.dataset.beside);
    else if (target.dataset.advise) this.cards.addStep(target.dataset.advise);
    else if (target.dataset.size) this.takeSize(JSON.parse(target.dataset.size));
    else if (target.dataset.do === "photo") this.mode("photo");
    else if (target.dataset.do === "period") this.photo.findPeriod();
    else if (target.dataset.do === "no-period") {
      this.cards.rebuild({
        ...this.cards.copy(),
        source: { name: "picture", values: { file: this.cards.recipe.source.values.file } },
      });
    } else if (target.dataset.do === "spots") this.spots.start(Number(target.closest("[data-step]").dataset.step));
  }

  changed(settled) {
    this.readings.clear();
    this.changedShown();
    this.exact = false;
    const { turn } = this.readings;
    this.render(true).then(() => {
      if (turn === this.readings.turn) this.readings.soon();
    });
    if (settled && this.photo.open) this.photo.draw();
  }

  published(xhr) {
    if (xhr.responseText.includes("data-job=")) {
      this.queued = JSON.stringify(this.cards.recipe);
      id("keep-note").textContent = "Publishing, see Jobs";
      return;
    }
    this.kept = this.cards.copy();
    this.changedShown();
    this.draft.refresh();
  }

  // A tile made as long work was kept meanwhile: the page takes the newest versions from the server.
  jobEnded() {
    if (sameRecipe(this.cards.recipe, this.kept) || this.queued === JSON.stringify(this.cards.recipe)) {
      location.assign(location.pathname);
    } else {
      window.htmx.ajax("GET", location.pathname, { select: "#versions", target: "#versions", swap: "outerHTML" });
    }
  }

  changedShown() {
    const fresh = !sameRecipe(this.cards.recipe, this.kept);
    id("publish").disabled = !fresh;
    id("keep-note").textContent = fresh ? "Draft" : "Published";
    id("undo").disabled = !this.steps.can_undo && !this.draft.saver.pending;
    id("redo").disabled = !this.steps.can_redo || this.draft.saver.pending > 0;
    const { steps } = this.cards.recipe;
    const off = steps.filter((one) => one.on === false).length;
    id("recipe-words").textContent =
      `Source + ${steps.length} ${steps.length === 1 ? "step" : "steps"}${off ? `, ${off} off` : ""}`;
  }

  // moving: while a value moves, what is seen at half its size may be made at half its size.
  async render(moving = false) {
    const asked = this.cards.copy();
    const answer = await link.ask(
      "tile",
      { what: "tile", recipe: asked, level: this.cloth.level, squint: this.squint, moving },
      { older: true },
    );
    if (!answer) return;
    const { facts } = answer;
    if (facts.refused) {
      this.refused(facts.refused.message);
      return;
    }
    this.cloth.put(facts, answer.pixels);
    id("facts").textContent =
      `${facts.repeat[0].toUpperCase()}${facts.repeat.slice(1)}, ${facts.size[0]} × ${facts.size[1]} px${facts.stagger_px ? `, staggered ${facts.stagger_px} px` : ""}`;
    id("shown").textContent = `${Math.round(facts.ms)} ms`;
    id("shown").title = "Time to draw this preview";
    if (facts.moving) id("shown").textContent += `, preview at ${facts.shown[0]} px`;
    if (facts.preview) id("shown").textContent = `Preview at ${facts.shown[0]} px`;
    this.showGiven(facts);
    this.notes = facts.notes;
    this.showAdvice();
    this.exact = !facts.moving;
    count(id("cloth"), facts.moving ? "moved" : "shown");
  }

  refused(message) {
    refuse(message);
    count(id("cloth"), "refused");
  }

  // What the source took to the nearest that closes, asked beside given.
  showGiven({ given }) {
    const box = id("given");
    const lines = given.map((one) => {
      const line = document.createElement("div");
      line.className = "note";
      const exact = Math.abs(one.asked - one.given) < 0.005 * Math.max(Math.abs(one.asked), 0.01);
      line.textContent = `${one.title}: ${one.given} ${one.unit}, ${exact ? `asked for ${one.asked}` : `the seamless value nearest to ${one.asked}`}`;
      return line;
    });
    const sizes = given[0]?.sizes ?? [];
    if (sizes.length) {
      const line = document.createElement("div");
      line.className = "note";
      line.append(
        "Exact at ",
        ...sizes.flatMap((size, n) => {
          const button = document.createElement("button");
          Object.assign(button, { type: "button", className: "plain", textContent: `${size[0]} × ${size[1]}` });
          button.dataset.size = JSON.stringify(size);
          return n ? [", ", button] : [button];
        }),
      );
      lines.push(line);
    }
    box.replaceChildren(...lines);
  }

  takeSize(size) {
    const next = this.cards.copy();
    const { source } = next;
    if (source.values.ruling) {
      source.values.ruling = Number(((source.values.ruling * size[0]) / next.size[0]).toFixed(4));
    }
    next.size = size;
    this.cards.rebuild(next);
  }

  readingsShown() {
    if (this.readings.now) this.showAdvice();
    this.showOverlay();
  }

  // Steps that would mend what fails, and what the photo itself makes impossible.
  showAdvice() {
    const box = id("advice");
    const lines = [...(this.notes ?? [])].map((words) => {
      const line = document.createElement("span");
      line.className = "warm";
      line.textContent = words;
      return line;
    });
    for (const { words, step, title } of this.readings.now?.advice ?? []) {
      const line = document.createElement("span");
      line.append(`${words} `);
      if (step) {
        const button = document.createElement("button");
        Object.assign(button, { type: "button", className: "btn-o", textContent: `Add “${title}”` });
        button.dataset.advise = step;
        line.append(button);
      }
      lines.push(line);
    }
    box.replaceChildren(...lines);
    box.classList.toggle("hidden", !lines.length);
  }

  showOverlay() {
    if (this.spots.open) return;
    this.cloth.seam = this.readings.seam;
    this.cloth.overlay = this.readings.overlay;
    this.cloth.draw();
  }

  // From near to arm's length to across the room, and near again.
  nextSquint() {
    const all = [...document.querySelectorAll("[data-squint]")].map((one) => Number(one.dataset.squint));
    this.pressSquint(all[(all.indexOf(this.squint) + 1) % all.length]);
  }
  pressSquint(distance) {
    this.squint = distance;
    document
      .querySelectorAll("[data-squint]")
      .forEach((one) => one.setAttribute("aria-pressed", String(Number(one.dataset.squint) === distance)));
    const shrink = distance === 4000 ? 0.22 : distance === 600 ? 0.6 : null;
    if (shrink) {
      this.cloth.fit();
      this.cloth.zoomTo(this.cloth.zoom * shrink, this.cloth.width / 2, this.cloth.height / 2);
    } else this.cloth.fit();
    this.render();
  }

  mode(name) {
    document
      .querySelectorAll("[data-mode]")
      .forEach((one) => one.setAttribute("aria-pressed", String(one.dataset.mode === name)));
    if (name === "photo") {
      this.photo.start();
      return;
    }
    this.photo.stop();
    this.cloth.limit = name === "one" ? { columns: 1, rows: 1 } : null;
    this.cloth.fit();
  }

  // Another version beside what is on the bench: the same part of both cloths, both with their seam.
  async beside(number) {
    const box = id("beside");
    if (this.besideNumber === number) {
      this.besideNumber = null;
      box.classList.add("hidden");
      this.cloth.resize();
      return;
    }
    this.besideNumber = number;
    box.classList.remove("hidden");
    this.cloth.resize();
    this.other ??= new Cloth(box, {
      onView: (cloth) => {
        if (!this.looking) {
          this.looking = true;
          this.cloth.look(cloth);
          this.looking = false;
        }
      },
    });
    this.other.resize();
    const recipe = JSON.parse(id(number).textContent);
    const answer = await link.ask("beside", { what: "tile", recipe, level: this.cloth.level });
    if (!answer || answer.facts.refused) return;
    this.other.put(answer.facts, answer.pixels);
    this.other.look(this.cloth);
    const read = await link.ask("beside-readings", { what: "tile-readings", recipe, quick: false });
    if (!read || read.facts.refused) return;
    const { seam, tone, light } = read.facts;
    let tag = box.querySelector(".tag");
    if (!tag) {
      tag = document.createElement("div");
      tag.className = "tag";
      box.append(tag);
    }
    tag.textContent = `v${number}: seam ${times(seam.value)} (${seam.by_construction ? "always seamless" : seam.verdict}), light ${light.value.toFixed(1)} dE, tone ${Math.round(100 * tone.mean)} %`;
    count(box, "read");
  }

  viewed(cloth) {
    this.zoomText = `${Math.round(cloth.zoom * cloth.ratio * 100)} %`;
    if (this.other && this.besideNumber && !this.looking) {
      this.looking = true;
      this.other.look(cloth);
      this.looking = false;
    }
    if (cloth.tile && cloth.level < cloth.tile.level && cloth.level !== this.asked) {
      this.asked = cloth.level;
      this.render();
    }
    if (cloth.tile && cloth.level >= cloth.tile.level) this.asked = null;
  }
  whole() {
    this.cloth.fit();
  }
  real() {
    this.cloth.real();
  }
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("tileBench", () => new TileBench());
});
