// The proof wall: a canvas laid out so many by so many, its seam and tone, and the fit of its grains.
import { Cloth } from "./cloth.js";
import { fitParts } from "./fits.js";
import { drawBars, percent, showSeam, takeSeam } from "./gauges.js";
import { BenchLink } from "./live.js";
import { refuse } from "./page.js";
import { checked } from "./values.js";

const link = new BenchLink();

document.addEventListener("alpine:init", () => {
  window.Alpine.data("wall", () => ({
    zoomText: "", verdict: "reading…", verdictClass: "", seamValue: "…", mean: "…", spread: "…", seamShown: false, seamClass: "",

    init() {
      this.id = Number(this.$root.dataset.canvas);
      const limit = { columns: Number(this.$root.dataset.columns), rows: Number(this.$root.dataset.rows) };
      this.cloth = new Cloth(document.getElementById("cloth"), { limit, onView: (cloth) => this.viewed(cloth) });
      this.cloth.marked = false;
      document.querySelectorAll("input[name=columns], input[name=rows]").forEach((input) => input.addEventListener("change", () => this.count()));
      document.getElementById("marked").addEventListener("change", (event) => { this.cloth.marked = event.target.checked; this.cloth.draw(); });
      document.body.addEventListener("orvix-changed", () => { clearTimeout(this.soon); this.soon = setTimeout(() => this.show(true), 250); });
      this.show(true);
    },

    count() {
      this.cloth.limit = { columns: Number(checked("columns")), rows: Number(checked("rows")) };
      document.getElementById("columns-field").value = checked("columns");
      document.getElementById("rows-field").value = checked("rows");
      this.cloth.fit();
    },

    async show(readToo) {
      if (readToo) this.read();
      const answer = await link.ask("canvas", { what: "canvas", canvas: this.id, level: this.cloth.tile ? this.cloth.level : 2 });
      if (!answer) return;
      if (answer.facts.refused) { refuse(answer.facts.refused.message); return; }
      this.cloth.put(answer.facts, answer.pixels);
      if (this.cloth.level < answer.facts.level) this.viewed(this.cloth);
      document.getElementById("shown").textContent = `canvas v${answer.facts.revision}`;
    },

    async read() {
      const answer = await link.ask("readings", { what: "canvas-readings", canvas: this.id });
      if (!answer || answer.facts.refused) return;
      const { seam, tone, fits, joined } = answer.facts;
      takeSeam(this, seam);
      this.mean = percent(tone.mean);
      this.spread = `spread ${percent(tone.std)} %`;
      drawBars(tone.shares);
      document.getElementById("fits").replaceChildren(...fitParts(fits, joined));
    },

    toggleSeam() {
      this.seamShown = !this.seamShown;
      showSeam(this);
    },

    viewed(cloth) {
      this.zoomText = `${Math.round(cloth.zoom * cloth.ratio * 100)} %`;
      if (cloth.tile && cloth.level < cloth.tile.level && this.asked !== cloth.level) { this.asked = cloth.level; this.show(false); }
    },
    whole() { this.cloth.fit(); },
    real() { this.cloth.real(); },
  }));
});
