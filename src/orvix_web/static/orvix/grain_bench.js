// The grain page: how a tile is read as a grain, and where paint will land.
import { Cloth } from "./cloth.js";
import { drawBars, percent } from "./gauges.js";
import { BenchLink } from "./live.js";
import { refuse } from "./page.js";
import { putValue, setUpValues, valueOf } from "./values.js";

const link = new BenchLink();

document.addEventListener("alpine:init", () => {
  window.Alpine.data("grainBench", () => ({
    zoomText: "", cover: "…", coverWord: "…", coverClass: "", coverWordClass: "",

    init() {
      setUpValues();
      this.tileVersion = Number(this.$root.dataset.tileVersion);
      this.kept = JSON.stringify([this.tone(), this.tileVersion, String(valueOf("scale"))]);
      this.cloth = new Cloth(document.getElementById("cloth"), { onView: (cloth) => this.viewed(cloth) });
      this.render();
      this.stroke();
      document.addEventListener("value", () => this.changed());
      document.addEventListener("bad-value", (event) => refuse(event.detail.rule));
      document.getElementById("v-negative").addEventListener("change", () => this.changed());
      document.addEventListener("click", (event) => {
        const older = event.target.closest("[data-tone]");
        if (!older) return;
        event.preventDefault();
        this.take(JSON.parse(document.getElementById(older.dataset.tone).textContent));
      });
      document.getElementById("keep").addEventListener("htmx:configRequest", (event) => {
        event.detail.parameters.tone = JSON.stringify(this.tone());
        event.detail.parameters.tile_version = this.tileVersion;
        event.detail.parameters.scale = String(valueOf("scale"));
      });
      document.body.addEventListener("htmx:afterRequest", (event) => {
        if (event.detail.elt.id === "keep" && event.detail.successful) { this.kept = JSON.stringify([this.tone(), this.tileVersion, String(valueOf("scale"))]); this.keepShown(); }
      });
    },

    tone() { return { negative: document.getElementById("v-negative").checked, contrast: valueOf("contrast"), brightness: valueOf("brightness") }; },

    take(tone) {
      document.getElementById("v-negative").checked = tone.negative;
      putValue("contrast", tone.contrast);
      putValue("brightness", tone.brightness);
      this.changed();
    },

    takeNewer(event) {
      this.tileVersion = Number(event.target.dataset.take);
      event.target.disabled = true;
      this.changed();
    },

    keepShown() {
      const fresh = JSON.stringify([this.tone(), this.tileVersion, String(valueOf("scale"))]) !== this.kept;
      const button = document.getElementById("keep-button");
      button.disabled = !fresh;
      button.textContent = `Keep as v${document.getElementById("versions").dataset.next}`;
      document.getElementById("keep-note").textContent = fresh ? "not kept yet" : "shown as kept";
    },

    changed() { this.keepShown(); this.render(); this.stroke(); },

    // One trial stroke with a round brush that paints through the grain as it is now.
    async stroke() {
      const answer = await link.ask("stroke", { what: "grain-stroke", tile_version: this.tileVersion, tone: this.tone(), scale: String(valueOf("scale")) }, { older: true });
      if (!answer || answer.facts.refused) return;
      const canvas = document.getElementById("trial");
      canvas.getContext("2d", { alpha: false }).putImageData(new ImageData(answer.pixels, answer.facts.width, answer.facts.height), 0, 0);
      canvas.dataset.shown = String(Number(canvas.dataset.shown || 0) + 1);
    },

    async render() {
      const answer = await link.ask("grain", { what: "grain", tile_version: this.tileVersion, tone: this.tone(), level: this.cloth.level }, { older: true });
      if (!answer) return;
      if (answer.facts.refused) { refuse(answer.facts.refused.message); return; }
      this.cloth.put(answer.facts, answer.pixels);
      const cover = answer.facts.cover;
      this.cover = percent(cover);
      const none = cover < 0.1 ? "almost nothing lands" : cover > 0.9 ? "almost all of it lands" : "";
      this.coverWord = none || "shows";
      this.coverWordClass = none ? "warm" : "";
      this.coverClass = none ? "bad" : "";
      document.getElementById("cover-at").setAttribute("transform", `translate(${cover * 200} 0)`);
      drawBars(answer.facts.shares);
      document.getElementById("shown").textContent = `shown in ${Math.round(answer.facts.ms)} ms`;
    },

    viewed(cloth) {
      this.zoomText = `${Math.round(cloth.zoom * cloth.ratio * 100)} %`;
      if (cloth.tile && cloth.level < cloth.tile.level && cloth.level !== this.asked) { this.asked = cloth.level; this.render(); }
    },
    whole() { this.cloth.fit(); },
    real() { this.cloth.real(); },
  }));
});
