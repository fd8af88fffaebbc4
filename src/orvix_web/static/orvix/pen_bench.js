// The painter's own pen: three touches are measured on a pad, and the core makes the response of them.
import { BenchLink } from "./bench_link.js";
import { refuse } from "./page.js";
import { Strip } from "./strip.js";
import { putValue, setUpValues, valueOf } from "./values.js";

const TOUCHES = ["light", "usual", "hard"];
const id = (name) => document.getElementById(name);
const PAD_HEIGHT = 400;
const facts = JSON.parse(id("facts").textContent);
const [LEFT, RIGHT, TOP, BOTTOM] = [20, 310, 10, 200];
const at = ([x, y]) => `${LEFT + x * (RIGHT - LEFT)},${BOTTOM - y * (BOTTOM - TOP)}`;

class PenBench {
  constructor() {
    setUpValues();
    this.link = new BenchLink();
    this.measured = {};
    this.response = facts.response;
    this.kept = JSON.stringify(facts.response);
    const colours = ["#2f6f93", "#d9793f"];
    this.strip = new Strip(id("strip"), {
      told: () => ({ colour: colours[0] }),
      size: () => facts.brush.coats[0].values.size,
      refused: refuse,
      penSeen: () => {},
      height: PAD_HEIGHT,
      keeps: false,
    });
    this.paint = () => this.strip.show(facts.brush, 1, "#f7f7f7", colours, this.response);
    id("strip").addEventListener("pointerdown", () => {
      this.stroke = this.strip.hand.stroke;
    });
    id("strip").addEventListener("pointerup", () => this.ended());
    id("afresh").addEventListener("click", () => this.afresh());
    id("plain").addEventListener("click", () => {
      this.show(facts.plain);
      this.put([0, 0.5, 1]);
    });
    id("keep").addEventListener("htmx:configRequest", (event) => {
      event.detail.parameters.response = JSON.stringify(this.response);
    });
    document.body.addEventListener("htmx:afterRequest", (event) => {
      if (event.detail.elt.id === "keep" && event.detail.successful) {
        this.kept = JSON.stringify(this.response);
        this.words();
      }
    });
    document.addEventListener("value", () =>
      this.ask(Object.fromEntries(TOUCHES.map((name) => [name, valueOf(name)]))),
    );
    document.addEventListener("bad-value", (event) => refuse(event.detail.rule));
    const named = facts.response.filter(([x]) => x > 0 || facts.response.length === 3);
    if (named.length === 3) {
      this.put(named.map(([x]) => x));
      this.ask(Object.fromEntries(TOUCHES.map((name, n) => [name, named[n][0]])));
    } else {
      this.put([0, 0.5, 1]);
      this.show(facts.response);
    }
  }

  // The touch that the next stroke on the pad measures.
  get next() {
    return TOUCHES.find((name) => !this.measured[name]);
  }

  put(values) {
    TOUCHES.forEach((name, n) => putValue(name, values[n]));
  }

  afresh() {
    this.measured = {};
    for (const one of document.querySelectorAll("[data-touch] output")) one.textContent = "Not measured";
    this.words();
  }

  ended() {
    const { stroke, next } = this;
    this.stroke = null;
    if (!stroke || !next) return;
    if (stroke.told.pointer !== "pen") {
      refuse("That stroke came from a mouse or finger, which report no pressure. Use your pen.");
      return;
    }
    this.measured[next] = stroke.samples.map((sample) => sample[3]);
    document.querySelector(`[data-touch="${next}"] output`).textContent = "Measured";
    if (!this.next) this.ask(this.measured);
    this.words();
  }

  async ask(touches) {
    const answer = await this.link.ask("pen", { what: "pen", touches });
    if (!answer) return;
    if (answer.facts.refused) {
      refuse(answer.facts.refused.message);
      if (Array.isArray(touches.light)) this.afresh();
      return;
    }
    const found = answer.facts.touches;
    this.put(TOUCHES.map((name) => found[name]));
    for (const name of TOUCHES) {
      if (this.measured[name]) {
        document.querySelector(`[data-touch="${name}"] output`).textContent = `${Math.round(100 * found[name])} %`;
      }
    }
    this.show(answer.facts.response, answer.facts.curve);
  }

  show(response, curve = null) {
    this.response = response;
    const line = curve ? curve.map((y, n) => [n / (curve.length - 1), y]) : response;
    id("line").setAttribute("points", line.map(at).join(" "));
    id("dots").innerHTML = response
      .map((point) => {
        const [x, y] = at(point).split(",");
        return `<circle cx="${x}" cy="${y}" r="3.5"/>`;
      })
      .join("");
    this.paint();
    this.words();
    id("pen").dataset.shown = String(Number(id("pen").dataset.shown || 0) + 1);
  }

  words() {
    const { next } = this;
    for (const one of document.querySelectorAll("[data-touch]")) {
      one.classList.toggle("now", one.dataset.touch === next);
    }
    id("pad-words").textContent = next
      ? { light: "Paint a light stroke on the pad.", usual: "Paint a normal stroke.", hard: "Paint a hard stroke." }[
          next
        ]
      : "Measured. Try it on the pad, then save.";
    id("keep-button").disabled = JSON.stringify(this.response) === this.kept;
  }
}

window.orvixPen = new PenBench();
