// What a bench reads of what it shows, into its band of gauges: quick readings once the hand rests, full ones when
// nothing more comes, and the gauge that is pressed.
import { count } from "./page.js";
import { overlayOf, showReading, showReadings } from "./tile_gauges.js";

export class Readings {
  // question(quick): what the core is asked. shown(): other readings, none, or another gauge pressed. ready(): awaited
  // before it is asked. busy(): whether the hand is at work, which is waited for. band: the box of the gauges, where what
  // was read is counted.
  constructor(
    {
      link,
      band,
      question,
      shown,
      ready = async () => {},
      busy = () => false,
      quickAfter = 0,
      fullAfter = 0,
      gauges = { none: showReading, some: showReadings },
    },
    world = globalThis,
  ) {
    this.link = link;
    this.band = band;
    this.question = question;
    this.shown = shown;
    this.ready = ready;
    this.busy = busy;
    this.quickAfter = quickAfter;
    this.fullAfter = fullAfter;
    this.gauges = gauges;
    this.world = world;
    this.now = null;
    this.gauge = null;
    this.turn = 0;
    world.document.addEventListener("click", ({ target }) => {
      const pressed = target.closest?.("button[data-gauge]");
      if (pressed) this.press(pressed.dataset.gauge);
    });
  }

  // What the pressed gauge marks on the picture: the seam's places, or a function that draws over it.
  get seam() {
    return this.gauge === "seam" ? (this.now?.seam ?? null) : null;
  }

  get overlay() {
    return overlayOf(this.gauge, this.now);
  }

  press(name) {
    this.gauge = this.gauge === name ? null : name;
    for (const one of this.world.document.querySelectorAll("button[data-gauge]")) {
      one.setAttribute("aria-pressed", String(one.dataset.gauge === this.gauge));
    }
    this.shown();
  }

  // What is shown has changed: its readings are not known.
  clear() {
    this.turn += 1;
    this.world.clearTimeout(this.later);
    this.link.drop("readings");
    this.now = null;
    this.gauges.none();
    this.shown();
  }

  // Reads once the hand rests.
  soon() {
    this.again(true, this.quickAfter);
  }

  again(quick, after) {
    const { turn } = this;
    this.world.clearTimeout(this.later);
    this.later = this.world.setTimeout(() => {
      if (turn === this.turn) this.read(quick);
    }, after);
  }

  async read(quick) {
    const { turn } = this;
    if (this.busy()) {
      this.again(quick, Math.max(this.quickAfter, 60));
      return;
    }
    await this.ready();
    if (turn !== this.turn) return;
    const answer = await this.link.ask("readings", { ...this.question(), quick });
    if (!answer || answer.facts.refused || turn !== this.turn) return;
    this.take(answer.facts);
    count(this.band, quick ? "quick" : "full");
    if (quick) this.again(false, this.fullAfter);
  }

  // Readings that are known.
  take(readings) {
    this.now = readings;
    this.gauges.some(readings);
    this.shown();
  }
}
