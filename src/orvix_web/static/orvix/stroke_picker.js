// Strokes picked on the picture: shown by their paths, and painted again otherwise, in their place.
import { refuse } from "./page.js";
import { svg } from "./svg.js";

const id = (name) => document.getElementById(name);

export class StrokePicker {
  // link: what answers and what is edited; picture: where they are shown; hand(): the brush and colour in hand; layer():
  // the layer in hand, { id, name }; byJob(told, why): lets the machine do it, where it takes long.
  constructor({ link, picture, hand, layer, byJob }) {
    this.link = link;
    this.picture = picture;
    this.hand = hand;
    this.layer = layer;
    this.byJob = byJob;
    this.strokes = [];
    this.bar = id("picked");
    this.paths = id("picked-paths");
    this.bar.addEventListener("click", ({ target }) => {
      if (target.value) this.acts(target.value);
    });
  }

  get numbers() {
    return this.strokes.map((one) => one.number);
  }

  // A press on the picture, in px of the canvas; several: beside those picked so far.
  async pick(at, several) {
    const found = await this.ask({ at: at.map((one) => Math.round(one * 100) / 100) });
    if (!found) return;
    if (!found.length && !several) {
      this.take([]);
      return;
    }
    const known = new Set(this.numbers);
    const same = found.length === 1 && known.has(found[0].number);
    if (several) {
      this.take(same ? this.strokes.filter((one) => one.number !== found[0].number) : [...found, ...this.strokes]);
    } else this.take(found);
  }

  async pickLayer(layer) {
    const found = await this.ask({ layer });
    if (found && !found.length) refuse("This layer has no strokes that can be repainted.");
    if (found) this.take(found);
  }

  async ask(told) {
    const { strokes, refused } = await this.link.question({ what: "strokes", ...told });
    if (refused) refuse(refused.message);
    return strokes ?? null;
  }

  take(strokes) {
    this.strokes = strokes;
    this.show();
  }

  // What is picked may be another now, or gone.
  async refresh() {
    if (!this.strokes.length) return;
    const found = await this.ask({ strokes: this.numbers });
    if (found) this.take(found);
  }

  show() {
    const { strokes } = this;
    this.bar.classList.toggle("hidden", !strokes.length);
    const names = [...new Set(strokes.map((one) => one.name))];
    id("picked-words").textContent =
      `${strokes.length === 1 ? "1 stroke" : `${strokes.length} strokes`} with ${names.length > 2 ? `${names.length} brushes` : names.join(" and ")}`;
    this.bar.dataset.count = String(strokes.length);
    this.place();
  }

  // The paths where the picture is now.
  place() {
    const { picture } = this;
    const lines = this.strokes.map((one) => {
      const line = svg("polyline");
      const path = one.path.length > 1 ? one.path : [one.path[0], one.path[0]];
      line.setAttribute(
        "points",
        path
          .map((place) =>
            picture
              .seen(place)
              .map((side) => side.toFixed(1))
              .join(),
          )
          .join(" "),
      );
      return line;
    });
    this.paths.replaceChildren(
      ...lines.flatMap((one) => {
        const under = one.cloneNode();
        under.classList.add("under");
        return [under, one];
      }),
    );
  }

  rework(told) {
    this.told = told;
    this.link.edit({ what: "rework", ...told });
  }

  // The canvas says that so much would have to be painted again that nobody should wait for it.
  long(why) {
    if (this.told) this.byJob(this.told, why);
  }

  acts(what) {
    const { brush, colour } = this.hand();
    const told = {
      layer: { layer: this.layer().id },
      brush: { brush },
      colour: { colour },
      smaller: { size: 0.8 },
      larger: { size: 1.25 },
      out: { gone: true },
    }[what];
    if (what === "leave") {
      this.take([]);
      return;
    }
    if (told) this.rework({ strokes: this.numbers, ...told });
    if (what === "out") this.take([]);
  }
}
