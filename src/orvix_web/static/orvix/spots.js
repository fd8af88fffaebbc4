// Picking spots to heal on the cloth: suggestions ranked by the core, each accepted or left, others added by hand.
import { circles } from "./overlays.js";

const id = (name) => document.getElementById(name);
const BY_HAND = 0.03;

export class SpotPicking {
  constructor(bench, link) {
    this.bench = bench;
    this.link = link;
    this.open = false;
    this.suggested = [];
  }

  path() {
    return `steps.${this.step}.values.spots`;
  }

  // The step is shown as it finds the tile, so that spots are seen where they lie before they are healed.
  async start(step) {
    if (this.open) {
      this.stop();
      return;
    }
    this.step = step;
    this.open = true;
    this.bench.mode("cloth");
    this.say("Finding spots…");
    const { cloth } = this.bench;
    cloth.seam = null;
    cloth.onPress = (place) => this.press(place);
    this.draw();
    const before = this.bench.cards.copy();
    before.steps = before.steps.slice(0, step);
    const answer = await this.link.ask("stains", { what: "stains", recipe: before });
    if (!answer || !this.open) return;
    if (answer.facts.refused) {
      this.bench.refused(answer.facts.refused.message);
      return;
    }
    this.suggested = answer.facts.stains;
    this.say(
      `${this.suggested.length} spots suggested. Click a spot to include or skip it, or click elsewhere to add one.`,
    );
    this.draw();
    id("cloth").dataset.spots = String(this.suggested.length);
  }

  stop() {
    this.open = false;
    this.suggested = [];
    this.bench.cloth.onPress = null;
    this.bench.cloth.overlay = null;
    this.say("");
    this.bench.showOverlay();
  }

  say(words) {
    let tag = id("cloth").querySelector(".tag.top");
    if (!tag) {
      tag = document.createElement("div");
      tag.className = "tag top";
      id("cloth").append(tag);
    }
    tag.textContent = words;
    tag.classList.toggle("hidden", !words);
  }

  spots() {
    return this.bench.cards.get(this.path());
  }

  draw() {
    const { cloth } = this.bench;
    const [w, h] = cloth.tile.size;
    const taken = this.spots().map(([x, y, r]) => ({ at: [x * w, y * h], radius: r * w, words: "heal" }));
    const left = this.suggested
      .map((one, n) => ({ ...one, n }))
      .filter((one) => !this.taken(one))
      .map((one) => ({ at: [one.x * w, one.y * h], radius: one.r * w, words: String(one.n + 1), dashed: true }));
    cloth.overlay = circles([...left, ...taken]);
    cloth.draw();
  }

  taken(one) {
    return this.spots().some(([x, y]) => Math.hypot(x - one.x, y - one.y) < 1e-6);
  }

  press([px, py]) {
    const [w, h] = this.bench.cloth.tile.size;
    const [x, y] = [px / w, py / h];
    const near = (list) => list.find(([sx, sy, r]) => Math.hypot((sx - x) * w, (sy - y) * h) < Math.max(r * w, 8));
    const held = near(this.spots());
    let spots = this.spots();
    if (held) spots = spots.filter((one) => one !== held);
    else spots = [...spots, near(this.suggested.map((one) => [one.x, one.y, one.r])) ?? [x, y, BY_HAND]];
    this.bench.cards.change(this.path(), spots);
    const row = document.querySelector(`[data-step="${this.step}"] [data-do="spots"]`);
    row.previousElementSibling.textContent = spots.length === 1 ? "1 spot" : `${spots.length} spots`;
    this.draw();
  }
}
