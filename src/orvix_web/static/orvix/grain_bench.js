// The grain page: how a tile is read as a grain, and where paint will land.
import { Cloth, viewKeys } from "./cloth.js";
import { keepView } from "./kept_view.js";
import { Draft, same } from "./drafts.js";
import { drawBars, percent } from "./gauges.js";
import { Keys } from "./keys.js";
import { BenchLink } from "./bench_link.js";
import { note, refuse } from "./page.js";
import { putValue, setUpValues, valueOf } from "./values.js";

const link = new BenchLink();

class GrainBench {
  // Given by Alpine: the element that the page's part is on.
  $root = /** @type {any} */ (null);

  zoomText = "";
  cover = "…";
  coverWord = "…";
  coverClass = "";
  coverWordClass = "";

  init() {
    setUpValues();
    this.tileVersion = Number(this.$root.dataset.tileVersion);
    this.draft = new Draft(JSON.parse(document.getElementById("draft").textContent), {
      link,
      told: note,
      show: (value) => this.put(value),
      state: (facts) => {
        this.steps = facts;
        this.keepShown();
      },
    });
    this.steps = this.draft.facts;
    this.cloth = new Cloth(document.getElementById("cloth"), { onView: (cloth) => this.viewed(cloth) });
    keepView(this.cloth);
    this.render();
    this.stroke();
    document.addEventListener("value", (event) => this.changed(event.detail.settled));
    for (const way of ["undo", "redo"]) {
      document.getElementById(way).addEventListener("click", () => this.draft[way]());
    }
    const { cloth, draft } = this;
    new Keys({ ...viewKeys(cloth), undo: () => draft.undo(), redo: () => draft.redo() });
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
      if (event.detail.elt.id === "keep" && event.detail.successful) this.draft.refresh();
    });
    this.draft.before(document.getElementById("keep"));
  }

  // What a draft holds of the grain.
  get value() {
    return { tone: this.tone(), tile_version: this.tileVersion, scale: String(valueOf("scale")) };
  }

  // A value that is stored already: undone, redone, or changed in another window.
  put({ tone, tile_version: version, scale }) {
    this.tileVersion = version;
    putValue("scale", scale);
    this.toneShown(tone);
    this.keepShown();
    this.render();
    this.stroke();
  }

  tone() {
    return {
      negative: document.getElementById("v-negative").checked,
      contrast: valueOf("contrast"),
      brightness: valueOf("brightness"),
    };
  }

  toneShown(tone) {
    document.getElementById("v-negative").checked = tone.negative;
    putValue("contrast", tone.contrast);
    putValue("brightness", tone.brightness);
  }

  take(tone) {
    this.toneShown(tone);
    this.changed();
  }

  takeNewer(event) {
    this.tileVersion = Number(event.target.dataset.take);
    event.target.disabled = true;
    this.changed();
  }

  keepShown() {
    const fresh = !same(this.value, this.steps.saved);
    document.getElementById("undo").disabled = !this.steps.can_undo && !this.draft.saver.pending;
    document.getElementById("redo").disabled = !this.steps.can_redo || this.draft.saver.pending > 0;
    const button = document.getElementById("keep-button");
    button.disabled = !fresh;
    button.textContent = `Save v${document.getElementById("versions").dataset.next}`;
    document.getElementById("keep-note").textContent = fresh ? "Not saved" : "Saved";
  }

  changed(settled = true) {
    this.draft.change(this.value, settled);
    this.keepShown();
    this.render();
    this.stroke();
  }

  // One trial stroke with a round brush that paints through the grain as it is now.
  async stroke() {
    const answer = await link.ask(
      "stroke",
      { what: "grain-stroke", tile_version: this.tileVersion, tone: this.tone(), scale: String(valueOf("scale")) },
      { older: true },
    );
    if (!answer || answer.facts.refused) return;
    const canvas = document.getElementById("trial");
    canvas
      .getContext("2d", { alpha: false })
      .putImageData(new ImageData(answer.pixels, answer.facts.width, answer.facts.height), 0, 0);
    canvas.dataset.shown = String(Number(canvas.dataset.shown || 0) + 1);
  }

  async render() {
    const answer = await link.ask(
      "grain",
      { what: "grain", tile_version: this.tileVersion, tone: this.tone(), level: this.cloth.level },
      { older: true },
    );
    if (!answer) return;
    if (answer.facts.refused) {
      refuse(answer.facts.refused.message);
      return;
    }
    this.cloth.put(answer.facts, answer.pixels);
    const cover = answer.facts.cover;
    this.cover = percent(cover);
    const none = cover < 0.1 ? "Almost no paint" : cover > 0.9 ? "Almost solid" : "";
    this.coverWord = none || "Good";
    this.coverWordClass = none ? "warm" : "";
    this.coverClass = none ? "bad" : "";
    document.getElementById("cover-at").setAttribute("transform", `translate(${cover * 200} 0)`);
    drawBars(answer.facts.shares);
    document.getElementById("shown").textContent = `Drawn in ${Math.round(answer.facts.ms)} ms`;
  }

  viewed(cloth) {
    this.zoomText = `${Math.round(cloth.zoom * cloth.ratio * 100)} %`;
    if (cloth.tile && cloth.level < cloth.tile.level && cloth.level !== this.asked) {
      this.asked = cloth.level;
      this.render();
    }
  }
  whole() {
    this.cloth.fit();
  }
  real() {
    this.cloth.real();
  }
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("grainBench", () => new GrainBench());
});
