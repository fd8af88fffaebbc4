// Size and opacity of the brush in hand on the picture itself: a drag with Ctrl, the wheel with Alt; sizes used before.
import { putValue, valueOf } from "./values.js";

const id = (name) => document.getElementById(name);
const DOUBLES_PX = 120;
const WHOLE_PX = 240;
const MOST_LISTED = 8;

export class Sizing {
  // tray: the brush in hand; box: the picture's; moved(): the ring is another now.
  constructor({ tray, box, moved }) {
    this.tray = tray;
    this.moved = moved;
    id("sizes-used")?.addEventListener("change", ({ target }) => {
      this.take(Number(target.value));
      target.value = "";
    });
    box.addEventListener(
      "wheel",
      (event) => {
        if (!event.altKey) return;
        event.preventDefault();
        event.stopImmediatePropagation();
        this.take(tray.size * 2 ** (-(event.deltaY || event.deltaX) / 600));
      },
      { passive: false, capture: true },
    );
  }

  take(size) {
    this.tray.resize(size);
    this.moved();
  }
  fainter(by) {
    putValue("opacity", Math.min(Math.max(Math.round((valueOf("opacity") + by) * 100) / 100, 0.01), 1));
  }

  // A drag: to the right larger, twice as large every so many px; upwards more opaque. only: "size" or "opacity".
  begin(x, y, only = "") {
    const [size, opacity] = [this.tray.size, valueOf("opacity")];
    return {
      move: (px, py) => {
        if (only !== "opacity") this.take(size * 2 ** ((px - x) / DOUBLES_PX));
        if (only !== "size" && Math.abs(py - y) > 8) {
          putValue("opacity", Math.min(Math.max(opacity + (y - py) / WHOLE_PX, 0.01), 1));
        }
      },
      end: () => {},
      drop: () => {
        this.take(size);
        putValue("opacity", opacity);
      },
    };
  }

  // Sizes that were used here with the brush in hand, the last first.
  list(used) {
    const found = [...new Set(used.filter(([brush]) => brush === this.tray.brush).map(([, size]) => size))].slice(
      0,
      MOST_LISTED,
    );
    const field = id("sizes-used");
    field.classList.toggle("hidden", !found.length);
    const options = found.map((size) => new Option(`${size} px`, size));
    field.replaceChildren(Object.assign(new Option("used", ""), { hidden: true }), ...options);
  }
}
