// Colourways: named sets of colours swapped through what the wall is of. The core says which colours it has, and swaps them.
import { refuse } from "./page.js";

const MOST = 12;
const id = (name) => document.getElementById(name);

export class Colourways {
  // wall: what is kept; changed(name): its colours are others; renamed(from, to), gone(name), hang(names) as they say.
  constructor(link, of, wall, told) {
    this.link = link;
    this.of = of;
    this.wall = wall;
    this.told = told;
    this.at = 0;
    this.wall.colourways ??= [];
    id("colourways").addEventListener("click", () => this.open());
    id("colourway-new").addEventListener("click", () => this.add());
    id("colourway-off").addEventListener("click", () => this.takeOff());
    id("colourway-hang").addEventListener("click", () => {
      this.told.hang(this.wall.colourways.map(({ name }) => name));
      id("colourways-dialog").close();
    });
    id("colourway-name").addEventListener("change", ({ target }) => this.rename(target.value.trim()));
    id("colourway-tile").addEventListener("submit", () => {
      id("colourway-field").value = JSON.stringify(this.now);
    });
  }

  get now() {
    return this.wall.colourways[this.at];
  }

  async open() {
    if (!this.colours) {
      const answer = await this.link.ask("colours", { what: "proof-colours", ...this.of });
      if (!answer || answer.facts.refused) return;
      this.colours = answer.facts.colours;
    }
    if (!this.colours.length) {
      refuse("The picture is empty, so there are no colours to swap. Paint something first.");
      return;
    }
    if (!this.wall.colourways.length) this.add();
    this.draw();
    id("colourways-dialog").show();
  }

  // The wall is another: undone, redone, or changed in another window.
  taken() {
    this.at = Math.min(this.at, Math.max(this.wall.colourways.length - 1, 0));
    if (!id("colourways-dialog").open) return;
    if (this.wall.colourways.length) this.draw();
    else id("colourways-dialog").close();
  }

  add() {
    if (this.wall.colourways.length === MOST) {
      refuse(`A proof holds ${MOST} colourways. Delete one first.`);
      return;
    }
    const names = this.wall.colourways.map(({ name }) => name);
    let number = names.length + 1;
    while (names.includes(`Colourway ${number}`)) number += 1;
    const swaps = this.now
      ? this.now.swaps.map(([from, to]) => [from, to])
      : this.colours.map(([colour]) => [colour, colour]);
    this.wall.colourways.push({ name: `Colourway ${number}`, swaps });
    this.at = this.wall.colourways.length - 1;
    this.told.hang([this.now.name]);
    this.draw();
    id("colourway-name").select();
  }

  takeOff() {
    const [gone] = this.wall.colourways.splice(this.at, 1);
    this.at = Math.max(this.at - 1, 0);
    this.told.gone(gone.name);
    if (this.wall.colourways.length) this.draw();
    else id("colourways-dialog").close();
  }

  rename(name) {
    const before = this.now.name;
    if (!name || (name !== before && this.wall.colourways.some((one) => one.name === name))) {
      refuse(name ? `${name} already exists. Choose another name.` : "The colourway has no name. Enter one.");
      id("colourway-name").value = before;
      return;
    }
    this.now.name = name;
    this.told.renamed(before, name);
    this.draw();
  }

  draw() {
    const { now } = this;
    id("colourway-list").replaceChildren(
      ...this.wall.colourways.map((one, n) => {
        const button = document.createElement("button");
        button.type = "button";
        button.setAttribute("aria-pressed", String(n === this.at));
        const dots = document.createElement("span");
        dots.className = "dots";
        dots.append(
          ...one.swaps.map(([, to]) => {
            const dot = document.createElement("i");
            dot.style.background = to;
            return dot;
          }),
        );
        button.append(dots, one.name);
        button.addEventListener("click", () => {
          this.at = n;
          this.draw();
        });
        return button;
      }),
    );
    id("colourway-name").value = now.name;
    id("colourway-swaps").replaceChildren(
      ...now.swaps.map(([from, to], n) => {
        const row = document.createElement("label");
        const [was, arrow, share] = ["i", "span", "small"].map((kind) => document.createElement(kind));
        was.style.background = from;
        was.title = from;
        arrow.textContent = "→";
        const found = this.colours.find(([colour]) => colour === from);
        share.textContent = found ? `${Math.max(Math.round(100 * found[1]), 1)} %` : "";
        const input = Object.assign(document.createElement("input"), {
          type: "color",
          value: to,
          title: `Replaces ${from}.`,
        });
        ["input", "change"].forEach((kind) =>
          input.addEventListener(kind, () => {
            now.swaps[n] = [from, input.value];
            this.told.changed(now.name, kind === "change");
            this.dots();
          }),
        );
        const back = Object.assign(document.createElement("button"), {
          type: "button",
          className: "plain",
          textContent: "Reset",
        });
        back.addEventListener("click", () => {
          now.swaps[n] = [from, from];
          this.told.changed(now.name);
          this.draw();
        });
        row.append(was, arrow, input, share, back);
        return row;
      }),
    );
  }

  dots() {
    const dots = id("colourway-list").children[this.at].querySelectorAll("i");
    this.now.swaps.forEach(([, to], n) => {
      dots[n].style.background = to;
    });
  }
}
