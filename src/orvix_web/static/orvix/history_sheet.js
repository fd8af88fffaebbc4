// The history of a canvas as a list with pictures; a press goes there. What was painted before an undo is brought back.
import { post, refuse } from "./page.js";

const id = (name) => document.getElementById(name);
const make = (tag, told = {}, ...inside) => {
  const one = Object.assign(document.createElement(tag), told);
  one.append(...inside);
  return one;
};
const steps = (n) => `${n} ${n === 1 ? "step" : "steps"}`;

export class HistorySheet {
  // link: what is asked and edited; canvas: its number; byJob(href, why): lets the machine do what takes long.
  constructor({ link, canvas, byJob }) {
    this.link = link;
    this.canvas = canvas;
    this.byJob = byJob;
    this.sheet = id("history-sheet");
    this.list = id("history-steps");
    id("history-open").addEventListener("click", () => this.open(this.sheet.classList.contains("hidden")));
    id("history-close").addEventListener("click", () => this.open(false));
    id("history-older").addEventListener("click", () => this.fetch(this.older));
    this.list.addEventListener("click", ({ target }) => {
      const step = target.closest("[data-step]");
      if (step) this.link.edit({ what: "go-to", number: Number(step.dataset.step) });
    });
    id("history-branches").addEventListener("click", ({ target }) => this.branch(target.dataset));
  }

  open(on) {
    this.sheet.classList.toggle("hidden", !on);
    id("history-open").setAttribute("aria-expanded", String(on));
    if (on) this.fetch(0);
  }

  refresh() {
    if (!this.sheet.classList.contains("hidden")) {
      clearTimeout(this.later);
      this.later = setTimeout(() => this.fetch(0), 300);
    }
  }

  async fetch(older) {
    const {
      steps: found,
      undone,
      size,
      more,
      older: next,
      refused,
      pixels,
    } = await this.link.question({ what: "history", older });
    if (refused) {
      refuse(refused.message);
      return;
    }
    this.older = next;
    const items = found.map((step, n) => {
      const picture = make("canvas", { width: size[0], height: size[1] });
      const octets = size[0] * size[1] * 4;
      picture
        .getContext("2d")
        .putImageData(new ImageData(pixels.slice(n * octets, (n + 1) * octets), size[0], size[1]), 0, 0);
      return this.item(step, picture, !older && !n);
    });
    const gone = undone.map((step) => this.item(step, "", false, true)).reverse();
    if (older) this.list.append(...items);
    else this.list.replaceChildren(...gone, ...items);
    this.list.dataset.count = String(this.list.children.length);
    id("history-older").classList.toggle("hidden", !more);
    if (!older) await this.branches();
  }

  item(step, picture, here, undone = false) {
    const press = make(
      "button",
      { type: "button", className: "plain", title: here ? "Current step" : "Returns to this step." },
      picture,
      make("span", { className: "words", textContent: step.words }),
    );
    press.dataset.step = String(step.number);
    if (step.colour) press.append(Object.assign(make("i"), { style: `background:${step.colour}` }));
    const item = make("li", { className: [here ? "here" : "", undone ? "undone" : ""].join(" ") }, press);
    return item;
  }

  async branches() {
    const answer = await fetch(`/canvases/${this.canvas}/undone.json`, { headers: { Accept: "application/json" } });
    if (!answer.ok) return;
    const { branches } = await answer.json();
    const rows = branches.map((one) => {
      const back = make("button", { type: "button", className: "mini word", textContent: "Restore" });
      const away = make("button", { type: "button", className: "mini word", textContent: "Delete" });
      back.dataset.back = String(one.number);
      away.dataset.away = String(one.number);
      return make(
        "div",
        { className: "line-row" },
        make("span", {
          textContent: `${steps(one.steps)} undone on ${one.when.replace("T", " ").slice(0, 16)}`,
        }),
        back,
        away,
      );
    });
    id("history-branches").replaceChildren(...rows);
  }

  async branch({ back, away }) {
    if (back) {
      const told = await post(`/canvases/${this.canvas}/undone/${back}/back/`, {});
      if (told.code === "long") await this.byJob(`/canvases/${this.canvas}/undone/${back}/back-by-job/`, told.refused);
      else if (told.refused) refuse(told.refused);
      else this.link.edit({ what: "take-up", state: told.state });
    }
    if (away) {
      const told = await post(`/canvases/${this.canvas}/undone/${away}/throw-away/`, {});
      if (told.refused) refuse(told.refused);
      await this.branches();
    }
  }
}
