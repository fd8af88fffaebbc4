// Mixing a colour: by a wheel, by numbers, from those used and from the canvas's palette. Numbers are turned by the core.
import { note, post, refuse } from "./page.js";

const RECENT_KEY = "orvix-recent-colours";
const MOST_RECENT = 14;
const id = (name) => document.getElementById(name);

const toHex = ([hue, saturation, brightness]) => {
  const channel = (n) => {
    const k = (n + hue / 60) % 6;
    return brightness / 100 - (brightness / 100) * (saturation / 100) * Math.max(0, Math.min(k, 4 - k, 1));
  };
  return `#${[5, 3, 1]
    .map((n) =>
      Math.round(255 * channel(n))
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")}`;
};

export class ColourMixer {
  // tray: holds the colour in hand; asking: a BenchLink; canvas: whose palette it is.
  constructor({ tray, asking, canvas }) {
    this.tray = tray;
    this.asking = asking;
    this.canvas = canvas;
    this.sheet = id("colour-sheet");
    this.hsb = [0, 0, 0];
    id("mix").addEventListener("click", () => this.open(this.sheet.classList.contains("hidden")));
    this.sheet.querySelector('[value="close"]').addEventListener("click", () => this.open(false));
    this.wheel();
    this.numbers();
    this.palette();
    id("colour").addEventListener("input", () => this.look(id("colour").value));
    this.recent = JSON.parse(localStorage.getItem(RECENT_KEY) || "[]");
    this.showRecent();
  }

  open(on) {
    this.sheet.classList.toggle("hidden", !on);
    id("mix").setAttribute("aria-expanded", String(on));
    if (on) this.look(id("colour").value);
  }

  // Look at a colour that was set elsewhere: tell it in every space.
  async look(hex) {
    if (this.sheet.classList.contains("hidden")) return;
    const answer = await this.asking.ask("colour", { what: "colour", space: "hex", given: hex });
    if (answer && !answer.facts.refused) this.show(answer.facts);
  }

  show({ hex, hsb, oklch, inside }) {
    // A grey has no hue of its own: the wheel stays where it was.
    this.hsb = [hsb[1] > 0 ? hsb[0] : this.hsb[0], hsb[2] > 0 ? hsb[1] : this.hsb[1], hsb[2]];
    this.mark();
    const typing = document.activeElement;
    const put = (name, value) => {
      if (id(name) !== typing) id(name).value = value;
    };
    put("mix-hex", hex);
    hsb.forEach((one, n) => put(`mix-hsb-${n}`, one));
    oklch.forEach((one, n) => put(`mix-oklch-${n}`, one));
    id("mix-outside").classList.toggle("keeps-room", inside !== false);
    this.sheet.dataset.hex = hex;
  }

  mark() {
    const [hue, saturation, brightness] = this.hsb;
    id("mix-wheel").style.setProperty("--hue", hue.toFixed(1));
    id("mix-square").style.setProperty("--hue", hue.toFixed(1));
    id("mix-square").style.setProperty("--s", `${saturation}%`);
    id("mix-square").style.setProperty("--b", `${100 - brightness}%`);
  }

  take(hex) {
    this.tray.pick(hex, "mixed");
  }

  wheel() {
    const [wheel, square] = [id("mix-wheel"), id("mix-square")];
    const drag = (box, move) => {
      box.addEventListener("pointerdown", (event) => {
        if (event.target !== box) return;
        box.setPointerCapture(event.pointerId);
        move(event);
        event.preventDefault();
      });
      box.addEventListener("pointermove", (event) => {
        if (box.hasPointerCapture(event.pointerId)) move(event);
      });
    };
    const set = (hsb) => {
      this.hsb = hsb;
      this.mark();
      const hex = toHex(hsb);
      this.take(hex);
      this.look(hex);
    };
    drag(wheel, (event) => {
      const box = wheel.getBoundingClientRect();
      const turn = Math.atan2(event.clientX - box.left - box.width / 2, box.top + box.height / 2 - event.clientY);
      set([((turn * 180) / Math.PI + 360) % 360, this.hsb[1] || 60, this.hsb[2] || 60]);
    });
    drag(square, (event) => {
      const box = square.getBoundingClientRect();
      const share = (value, from, size) => Math.round(1000 * Math.min(Math.max((value - from) / size, 0), 1)) / 10;
      set([this.hsb[0], share(event.clientX, box.left, box.width), 100 - share(event.clientY, box.top, box.height)]);
    });
  }

  numbers() {
    const typed = async (space, given) => {
      const answer = await this.asking.ask("colour", { what: "colour", space, given });
      if (!answer) return;
      if (answer.facts.refused) {
        refuse(answer.facts.refused.message);
        return;
      }
      this.take(answer.facts.hex);
      this.show(answer.facts);
    };
    id("mix-hex").addEventListener("change", () => {
      const text = id("mix-hex").value.trim().toLowerCase();
      typed("hex", text.startsWith("#") ? text : `#${text}`);
    });
    for (const space of ["hsb", "oklch"]) {
      for (let n = 0; n < 3; n += 1) {
        id(`mix-${space}-${n}`).addEventListener("change", () =>
          typed(
            space,
            [0, 1, 2].map((k) => Number(id(`mix-${space}-${k}`).value)),
          ),
        );
      }
    }
  }

  swap() {
    this.tray.swap();
    this.look(id("colour").value);
  }

  // A stroke was begun with a colour.
  used(hex) {
    this.recent = [hex, ...this.recent.filter((one) => one !== hex)].slice(0, MOST_RECENT);
    localStorage.setItem(RECENT_KEY, JSON.stringify(this.recent));
    this.showRecent();
  }

  showRecent() {
    id("mix-recent").replaceChildren(...this.recent.map((hex) => this.swatch(hex, `Recent: ${hex}`)));
  }

  swatch(hex, title) {
    const button = Object.assign(document.createElement("button"), { type: "button", title });
    button.style.background = hex;
    button.setAttribute("aria-label", title);
    button.addEventListener("click", () => {
      this.take(hex);
      this.look(hex);
    });
    return button;
  }

  // The canvas's palette: the colour in hand added, one taken out, all opened from a file and kept as one.
  palette() {
    const keep = async (values) => {
      const answer = await post(`/canvases/${this.canvas}/palette/`, values);
      if (answer.refused) {
        refuse(answer.refused);
        return;
      }
      this.tray.palette(answer.palette);
    };
    const rows = () =>
      [...document.querySelectorAll("#colours [data-colour]")].map((one) => [
        one.getAttribute("aria-label"),
        one.dataset.colour,
      ]);
    id("palette-add").addEventListener("click", () =>
      keep({
        palette: JSON.stringify([
          ...rows(),
          [id("palette-name").value.trim() || id("colour").value, id("colour").value],
        ]),
      }),
    );
    id("palette-out").addEventListener("click", () =>
      keep({ palette: JSON.stringify(rows().filter(([, hex]) => hex !== id("colour").value)) }),
    );
    id("palette-keep")?.addEventListener("click", async () => {
      const told = await post(`/canvases/${this.canvas}/palette/keep/`, { name: id("palette-name").value.trim() });
      if (told.refused) {
        refuse(told.refused);
        return;
      }
      id("palette-kept").append(new Option(told.name, told.palette));
      id("palette-kept").disabled = false;
      note("Saved", `Saved to the shelf as ${told.name}.`);
    });
    id("palette-kept")?.addEventListener("change", ({ target }) => {
      const { value } = target;
      target.value = "";
      if (value) keep({ kept: value });
    });
    id("palette-file").addEventListener("change", () => {
      const [file] = id("palette-file").files;
      if (!file) return;
      const form = new FormData();
      form.append("file", file);
      keep(form);
      id("palette-file").value = "";
    });
  }
}
