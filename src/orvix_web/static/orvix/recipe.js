// A recipe on the page: its cards, and what is changed in it. The server renders the cards; nothing is computed here.
import { same } from "./drafts.js";
import { setUpValues } from "./values.js";

export function fractionOf(text) {
  const [above, below = "1"] = String(text).split("/");
  return Number(above) / Number(below);
}

const plain = (recipe) => ({
  ...recipe,
  format: 0,
  version: 0,
  stagger: recipe.repeat === "straight" ? 0 : fractionOf(recipe.stagger).toFixed(9),
});
export const sameRecipe = (a, b) => same(plain(a), plain(b));

// A row of colours as data: [[number, "#rrggbb"], ...].
function readColours(box) {
  return [...box.querySelectorAll(".colour-row")].map((row) => [
    Number(row.querySelector("input.line").value),
    row.querySelector("input[type=color]").value,
  ]);
}

export class RecipeCards {
  // box: the element that holds the cards. onStore(recipe, settled) is called at every change, before anything is asked of
  // the server; onChange(settled) once the cards show it.
  constructor(box, address, { onStore, onChange }) {
    this.box = box;
    this.address = address;
    this.onStore = onStore;
    this.onChange = onChange;
    this.recipe = JSON.parse(box.querySelector("#recipe").textContent);
    this.setUp();
    this.listen();
  }

  setUp() {
    setUpValues(this.box);
    this.box.dataset.shown = String(Number(this.box.dataset.shown || 0) + 1);
  }

  put(path, value) {
    const parts = path.split(".");
    let inside = this.recipe;
    for (const part of parts.slice(0, -1)) inside = inside[part];
    inside[parts.at(-1)] = path === "stagger" ? String(value) : value;
  }

  get(path) {
    return path.split(".").reduce((inside, part) => inside[part], this.recipe);
  }

  // A change that other rows do not depend on: the cards stay as they are.
  change(path, value, settled = true) {
    this.put(path, value);
    this.onStore(this.recipe, settled);
    this.onChange(settled);
  }

  // One at a time: what is asked while cards are being fetched waits its turn.
  turn(work) {
    this.last = (this.last ?? Promise.resolve()).then(work);
    return this.last;
  }

  // A change after which there are other cards.
  rebuild(recipe) {
    return this.turn(() => this.takeCards(recipe, { store: true }));
  }

  // A recipe that is stored already: undone, redone, or changed in another window.
  show(recipe) {
    return this.turn(() => this.takeCards(recipe, { store: false }));
  }

  async takeCards(recipe, { store }) {
    const before = this.recipe;
    this.recipe = recipe;
    if (store) this.onStore(recipe, true);
    const answer = await this.fetchCards(recipe);
    if (!answer) {
      this.recipe = before;
      if (store) this.onStore(before, true);
      return false;
    }
    this.onChange(true);
    return true;
  }

  async fetchCards(recipe) {
    const headers = { ...JSON.parse(document.body.getAttribute("hx-headers")), "HX-Request": "true" };
    const answer = await fetch(this.address, {
      method: "POST",
      headers,
      body: new URLSearchParams({ recipe: JSON.stringify(recipe) }),
    });
    const html = await answer.text();
    if (!answer.ok) {
      document.getElementById("refusals").innerHTML = html;
      return null;
    }
    const kept = this.box.closest(".side").scrollTop;
    this.box.innerHTML = html;
    this.recipe = JSON.parse(this.box.querySelector("#recipe").textContent);
    this.box.closest(".side").scrollTop = kept;
    this.setUp();
    return html;
  }

  copy() {
    return JSON.parse(JSON.stringify(this.recipe));
  }

  addStep(name, values = {}) {
    const next = this.copy();
    next.steps.push({ name, values });
    return this.rebuild(next);
  }

  listen() {
    const { box } = this;
    box.addEventListener("value", (event) => this.change(event.detail.name, event.detail.value, event.detail.settled));
    box.addEventListener("change", (event) => this.changed(event.target));
    box.addEventListener("click", (event) => this.pressed(event.target));
  }

  changed(target) {
    const next = this.copy();
    if (target.dataset.path) {
      const value = target.type === "checkbox" ? target.checked : target.value;
      this.change(target.dataset.path, value);
      if (target.dataset.path === "repeat") {
        this.box.querySelector("#stagger-row").classList.toggle("hidden", value === "straight");
      }
    } else if (target.closest("[data-colours]")) {
      const rows = target.closest("[data-colours]");
      this.change(rows.dataset.colours, readColours(rows));
    } else if (target.dataset.switch) {
      next.steps[Number(target.dataset.switch)].on = target.checked;
      this.rebuild(next);
    } else if (target.id === "source-pick") {
      const given = next.source.values.file;
      next.source = {
        name: target.value,
        values: given && ["photo", "picture"].includes(target.value) ? { file: given } : {},
      };
      this.rebuild(next);
    } else if (target.dataset.inner) {
      const parts = target.dataset.inner.split(".");
      const last = parts.pop();
      parts.reduce((inside, part) => inside[part], next)[last] = { name: target.value, values: {} };
      this.rebuild(next);
    } else if (target.id === "add-step" && target.value) {
      this.addStep(target.value);
    }
  }

  pressed(target) {
    const next = this.copy();
    if (target.dataset.shift) {
      const from = Number(target.dataset.shift);
      const [one] = next.steps.splice(from, 1);
      next.steps.splice(from + Number(target.dataset.by), 0, one);
      this.rebuild(next);
    } else if (target.dataset.drop) {
      next.steps.splice(Number(target.dataset.drop), 1);
      this.rebuild(next);
    } else if (target.dataset.dropColour !== undefined) {
      const rows = target.closest("[data-colours]");
      if (readColours(rows).length <= Number(rows.dataset.least)) return;
      target.closest(".colour-row").remove();
      this.change(rows.dataset.colours, readColours(rows));
    } else if (target.dataset.addColour !== undefined) {
      const rows = target.closest("[data-colours]");
      const colours = readColours(rows);
      if (colours.length >= Number(rows.dataset.most)) return;
      const row = rows.querySelector(".colour-row:last-of-type").cloneNode(true);
      rows.insertBefore(row, target);
      this.change(rows.dataset.colours, readColours(rows));
    }
  }
}
