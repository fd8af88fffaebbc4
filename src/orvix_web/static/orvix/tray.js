// The tray: the brush and the colour in hand, their size and opacity; shared by the canvas room and the drawing bench.
import { putValue, valueOf } from "./values.js";

export class Tray {
  // root: holds data-chosen and data-ground. onChange: called when another brush is taken up.
  constructor(root, onChange = () => {}) {
    this.root = root;
    this.onChange = onChange;
    this.buttons = [...document.querySelectorAll("[data-brush]")];
    this.buttons.forEach((button) => button.addEventListener("click", () => this.choose(button)));
    this.colours();
    const first = this.buttons.find((button) => button.dataset.brush === root.dataset.chosen) || this.buttons[0];
    if (first) this.choose(first);
    const kind = document.getElementById("mouse-kind");
    kind.addEventListener("change", () =>
      document.getElementById("mouse-fixed").classList.toggle("hidden", kind.value !== "fixed"),
    );
  }

  choose(button, size = null) {
    this.buttons.forEach((one) => one.setAttribute("aria-pressed", String(one === button)));
    this.brush = Number(button.dataset.brush);
    this.brushId = Number(button.dataset.id);
    const values = JSON.parse(document.getElementById(button.dataset.brush).textContent);
    this.ribbon = values.ribbon;
    Object.assign(document.querySelector('.value[data-value="size"]').dataset, {
      low: values.smallest,
      high: values.largest,
    });
    // Brushes of one set belong together by scale: so many times its own size as the one before was of its own.
    const kept = (one) => Math.min(Math.max(one, values.smallest), values.largest);
    const together = this.taken && button.dataset.set && button.dataset.set === this.set;
    const own = together
      ? kept(Math.round(10 * values.size * (this.size / this.ownSize)) / 10)
      : values.keeps_size || !this.taken
        ? values.size
        : kept(this.size);
    putValue("size", size ?? own);
    this.set = button.dataset.set;
    this.ownSize = values.size;
    putValue("opacity", values.opacity);
    const use = document.querySelector(`input[name="mode"][value="${values.use}"]`);
    const painting = ["paint", "erase", "smear", "soften"].includes(
      document.querySelector('input[name="mode"]:checked')?.value,
    );
    if (use && painting && (values.use !== "paint" || this.taken)) use.checked = true;
    if (values.keeps_colour) {
      this.pick(values.colour, "brush colour");
      document.getElementById("second-colour").value = values.second_colour;
    }
    this.taken = true;
    this.onChange();
  }

  // A brush has another version: its swatch stands for that now; where it is in use, its size and colours stay.
  renew(before, { version, number, picture, values }) {
    const button = this.buttons.find((one) => Number(one.dataset.brush) === before);
    if (!button) return;
    document.getElementById(button.dataset.brush).remove();
    button.after(
      Object.assign(document.createElement("script"), {
        type: "application/json",
        id: String(version),
        textContent: JSON.stringify(values),
      }),
    );
    button.dataset.brush = String(version);
    button.title = button.title.replace(/ v\d+$/, ` v${number}`);
    button.querySelector("img").src = picture;
    if (this.brush === before) this.brush = version;
    this.onChange();
  }

  colours() {
    this.pick = (colour, name) => {
      document.getElementById("colour").value = colour;
      document.getElementById("colour-name").textContent = `${name} ${colour}`;
      this.swatches.forEach((one) => one.setAttribute("aria-pressed", String(one.dataset.colour === colour)));
    };
    this.swatches.forEach((button) => this.swatch(button));
    document.getElementById("colour").addEventListener("input", (event) => this.pick(event.target.value, ""));
    const light = (colour) =>
      [1, 3, 5].reduce((sum, at, n) => sum + parseInt(colour.slice(at, at + 2), 16) * [0.21, 0.72, 0.07][n], 0);
    const shows =
      this.swatches.find(
        (one) => Math.abs(light(one.dataset.colour) - light(this.root.dataset.ground || "#ffffff")) > 60,
      ) || this.swatches[0];
    if (shows) this.pick(shows.dataset.colour, shows.getAttribute("aria-label"));
  }

  get swatches() {
    return [...document.querySelectorAll("[data-colour]")];
  }

  swatch(button) {
    button.style.background = button.dataset.colour;
    button.addEventListener("click", () => this.pick(button.dataset.colour, button.getAttribute("aria-label")));
  }

  // The paint colour and the second colour change places.
  swap() {
    const [one, two] = ["colour", "second-colour"].map((name) => document.getElementById(name).value);
    document.getElementById("second-colour").value = one;
    this.pick(two, "second");
  }

  // The brush at a place of the list, from 1.
  nth(n) {
    const shown = this.buttons.filter((one) => one.isConnected && !one.hidden);
    if (shown[n - 1]) this.choose(shown[n - 1]);
  }
  focus() {
    (this.buttons.find((one) => one.getAttribute("aria-pressed") === "true") ?? this.buttons[0])?.focus();
  }

  // Another palette: rows of a name and a colour.
  palette(rows) {
    this.swatches.forEach((one) => one.remove());
    document.getElementById("colour").before(
      ...rows.map(([name, colour]) => {
        const button = Object.assign(document.createElement("button"), {
          type: "button",
          title: `${name}, ${colour}`,
          ariaLabel: name,
        });
        button.dataset.colour = colour;
        this.swatch(button);
        return button;
      }),
    );
    this.pick(document.getElementById("colour").value, "");
  }

  // Another size of mark, within the smallest and largest of the brush in hand.
  resize(size) {
    const { low, high } = document.querySelector('.value[data-value="size"]').dataset;
    putValue("size", Math.min(Math.max(Number(size.toFixed(1)), Number(low)), Number(high)));
  }

  get size() {
    return valueOf("size");
  }

  // What a stroke is begun with.
  told(pointer, mode) {
    const values = { size: this.size, opacity: valueOf("opacity") };
    const told = {
      brush: this.brush,
      colour: document.getElementById("colour").value,
      second_colour: document.getElementById("second-colour").value,
      mode,
      values,
      pointer,
    };
    if (pointer !== "pen") {
      told.mouse = document.getElementById("mouse-kind").value;
      told.fixed = Number(document.getElementById("mouse-fixed").value);
    }
    return told;
  }
}
