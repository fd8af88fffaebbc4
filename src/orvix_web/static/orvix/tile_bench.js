// The tile bench: a recipe's values, the cloth they make, and its readings, all asked of the core at every change.
import { Cloth } from "./cloth.js";
import { drawBars, percent, showSeam, takeSeam, times } from "./gauges.js";
import { BenchLink } from "./live.js";
import { refuse } from "./page.js";
import { checked, setUpValues, valueOf } from "./values.js";

const READ_AFTER_MS = 160;
const link = new BenchLink();
const recipe = JSON.parse(document.getElementById("recipe").textContent);
const keptReadings = JSON.parse(document.getElementById("kept-readings").textContent);

function current() {
  const values = { ...recipe.source.values };
  for (const name of Object.keys(values)) if (valueOf(name) !== undefined) values[name] = valueOf(name);
  return {
    ...recipe,
    size: [valueOf("width"), valueOf("height")],
    repeat: checked("repeat"),
    stagger: String(valueOf("stagger")),
    seed: valueOf("seed") ?? recipe.seed,
    source: { name: recipe.source.name, values },
  };
}

const same = (a, b) => JSON.stringify({ ...a, stagger: 0 }) === JSON.stringify({ ...b, stagger: 0 }) && (a.repeat === "straight" || Math.abs(Number(a.stagger) - Number(fractionOf(b.stagger))) < 1e-9);

function fractionOf(text) {
  const [above, below = "1"] = String(text).split("/");
  return Number(above) / Number(below);
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("tileBench", () => ({
    zoomText: "", verdict: "…", verdictClass: "", seamValue: "…", leftRight: "…", topBottom: "…", passes: "…", spread: "…",
    seamShown: false, seamClass: "",

    init() {
      setUpValues();
      this.kept = recipe;
      this.cloth = new Cloth(document.getElementById("cloth"), { onView: (cloth) => this.viewed(cloth) });
      this.staggerShown();
      this.read(keptReadings);
      this.render();
      document.addEventListener("value", () => this.changed());
      document.addEventListener("bad-value", (event) => refuse(event.detail.rule));
      document.querySelectorAll("input[name=repeat]").forEach((input) => input.addEventListener("change", () => { this.staggerShown(); this.changed(); }));
      document.getElementById("keep").addEventListener("htmx:configRequest", (event) => { event.detail.parameters.recipe = JSON.stringify(current()); });
      document.body.addEventListener("htmx:afterRequest", (event) => {
        if (event.detail.elt.id === "keep" && event.detail.successful) { this.kept = current(); this.keepShown(); }
      });
    },

    staggerShown() { document.getElementById("stagger-row").classList.toggle("hidden", checked("repeat") === "straight"); },

    keepShown() {
      const fresh = !same(current(), this.kept);
      const button = document.getElementById("keep-button");
      button.disabled = !fresh;
      button.textContent = `Keep as v${document.getElementById("versions").dataset.next}`;
      document.getElementById("keep-note").textContent = fresh ? "not kept yet" : "shown as kept";
    },

    changed() {
      this.keepShown();
      this.render();
      clearTimeout(this.reading);
      this.reading = setTimeout(() => this.askReadings(), READ_AFTER_MS);
    },

    async render() {
      const asked = current();
      const level = this.cloth.level;
      const answer = await link.ask("tile", { what: "tile", recipe: asked, level });
      if (!answer) return;
      if (answer.facts.refused) { refuse(answer.facts.refused.message); return; }
      this.level = answer.facts.level;
      this.cloth.put(answer.facts, answer.pixels);
      document.getElementById("facts").textContent = `${asked.repeat}, ${answer.facts.size[0]} × ${answer.facts.size[1]} px${answer.facts.stagger_px ? `, staggered ${answer.facts.stagger_px} px` : ""}`;
      document.getElementById("shown").textContent = `shown in ${Math.round(answer.facts.ms)} ms`;
      document.getElementById("cloth").dataset.shown = String(Number(document.getElementById("cloth").dataset.shown || 0) + 1);
    },

    async askReadings() {
      const answer = await link.ask("readings", { what: "tile-readings", recipe: current() });
      if (answer && !answer.facts.refused) this.read(answer.facts);
    },

    read({ seam, tone }) {
      takeSeam(this, seam);
      this.leftRight = times(seam.edges.left_right);
      this.topBottom = times(seam.edges.top_bottom);
      this.passes = percent(tone.passes);
      this.spread = `spread ${percent(tone.std)} %`;
      drawBars(tone.shares);
    },

    toggleSeam() {
      this.seamShown = !this.seamShown;
      showSeam(this);
    },

    viewed(cloth) {
      this.zoomText = `${Math.round(cloth.zoom * cloth.ratio * 100)} %`;
      if (cloth.tile && cloth.level < cloth.tile.level && cloth.level !== this.asked) { this.asked = cloth.level; this.render(); }
      if (cloth.tile && cloth.level >= cloth.tile.level) this.asked = null;
    },
    whole() { this.cloth.fit(); },
    real() { this.cloth.real(); },
  }));
});
