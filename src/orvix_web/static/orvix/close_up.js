// The repeat up close: one cloth for each version, layer and colourway on the wall, panned and zoomed together; and a loupe.
import { Cloth } from "./cloth.js";
import { refuse } from "./page.js";

const MOST_BESIDE = 4;
const LOUPE_PX = 232;
const LOUPE_ZOOMS = [1, 2, 4, 8];

const shownOf = (look) =>
  Object.fromEntries(["version", "layer", "colours"].filter((name) => look[name]).map((name) => [name, look[name]]));

class Asking {
  constructor(link, of, wall) {
    this.link = link;
    this.of = of;
    this.wall = wall;
  }

  // The pixels of what is shown, at a level or the first that is sent at once.
  async put(cloth, channel, shown, level) {
    const answer = await this.link.ask(channel, {
      what: "proof-close",
      ...this.of,
      shown,
      level,
      colourways: this.wall.colourways ?? [],
    });
    if (!answer) return false;
    if (answer.facts.refused) {
      refuse(answer.facts.refused.message);
      return false;
    }
    cloth.put(answer.facts, answer.pixels);
    return true;
  }
}

export class CloseUp {
  // box: what the cloths are put into; namesOf(look): words for what a look shows; viewed(zoom) is told how near they are.
  constructor(box, link, of, wall, { namesOf, viewed }) {
    this.box = box;
    this.of = of;
    this.wall = wall;
    this.namesOf = namesOf;
    this.viewed = viewed;
    this.pieces = [];
    this.asking = new Asking(link, of, wall);
  }

  // What is on the wall, each once.
  show() {
    const looks = this.wall.panels
      .filter(
        (one, n, all) =>
          all.findIndex((other) => JSON.stringify(shownOf(other)) === JSON.stringify(shownOf(one))) === n,
      )
      .slice(0, MOST_BESIDE);
    const key = JSON.stringify(looks.map(shownOf));
    if (key !== this.key) this.hang(looks);
    this.key = key;
    this.pieces.forEach((piece, n) => this.draw(piece, n));
  }

  hang(looks) {
    const first = this.wall.panels.find((one) => one.columns) ?? { columns: 4, rows: 3 };
    this.pieces = looks.map((look) => {
      const frame = document.createElement("div");
      frame.className = "piece";
      frame.tabIndex = 0;
      const words = this.namesOf(look);
      frame.setAttribute("aria-label", `Close-up of the repeat, ${words}`);
      if (looks.length > 1) frame.append(Object.assign(document.createElement("b"), { textContent: words }));
      return { frame, shown: shownOf(look), limit: { columns: first.columns, rows: first.rows } };
    });
    this.box.replaceChildren(...this.pieces.map(({ frame }) => frame));
    for (const piece of this.pieces) {
      piece.cloth = new Cloth(piece.frame, { limit: piece.limit, onView: (cloth) => this.moved(piece, cloth) });
      piece.cloth.marked = false;
    }
    this.overlay();
  }

  // One is panned or zoomed: all the others show the same part.
  moved(piece, cloth) {
    if (!cloth.tile || this.following) return;
    this.following = true;
    for (const other of this.pieces) {
      if (other === piece || !other.cloth.tile) continue;
      const ratio = cloth.tile.size[0] / other.cloth.tile.size[0];
      other.cloth.look({ zoom: cloth.zoom * ratio, left: cloth.left, top: cloth.top });
    }
    this.following = false;
    this.viewed(cloth.zoom * cloth.ratio);
    this.pieces.forEach((one, n) => {
      if (one.cloth.tile && one.cloth.level < one.cloth.tile.level && one.asked !== one.cloth.level) this.draw(one, n);
    });
  }

  async draw(piece, n) {
    piece.asked = piece.cloth.tile ? piece.cloth.level : 2;
    await this.asking.put(piece.cloth, `close-${n}`, piece.shown, piece.asked);
  }

  // What is marked holds for the thing as it is now, not for its versions, layers and colourways.
  mark(seam, overlay) {
    this.seam = seam;
    this.over = overlay;
    this.overlay();
  }

  overlay() {
    for (const { cloth, shown } of this.pieces) {
      const own = !Object.keys(shown).length;
      [cloth.seam, cloth.overlay] = [own ? (this.seam ?? null) : null, own ? (this.over ?? null) : null];
      cloth.draw();
    }
  }
}

export class Loupe {
  // looks: the Looks it is held over; the seam of the thing is marked in it.
  constructor(looks, link, of, wall) {
    this.looks = looks;
    this.of = of;
    this.zoom = 2;
    this.asking = new Asking(link, of, wall);
    this.on = false;
    this.lens = document.createElement("div");
    this.lens.className = "loupe hidden";
    document.body.append(this.lens);
    this.cloth = new Cloth(this.lens);
    this.cloth.marked = false;
    this.cloth.follow = false;
    looks.box.addEventListener("pointermove", (event) => {
      this.last = event;
      this.move(event);
    });
    looks.box.addEventListener("pointerleave", () => this.lens.classList.add("hidden"));
    looks.box.addEventListener(
      "wheel",
      (event) => {
        if (!this.on || !this.over(event)) return;
        event.preventDefault();
        const at = LOUPE_ZOOMS.indexOf(this.zoom) - Math.sign(event.deltaY);
        this.zoom = LOUPE_ZOOMS[Math.min(Math.max(at, 0), LOUPE_ZOOMS.length - 1)];
        this.move(event);
      },
      { passive: false },
    );
  }

  set seam(seam) {
    this.told = seam;
  }

  turn(on) {
    this.on = on;
    this.looks.box.classList.toggle("under-loupe", on);
    if (!on) this.lens.classList.add("hidden");
    this.key = null;
  }

  // The flat look under the pointer, and where on its cloth that is, in mm.
  over({ target, clientX, clientY }) {
    const figure = target.closest?.("figure");
    const look = figure && this.looks.wall.panels[Number(figure.dataset.n)];
    if (!look || look.kind === "surface") return null;
    const frame = figure.querySelector("canvas").getBoundingClientRect();
    const [x, y] = [(clientX - frame.left) / frame.width, (clientY - frame.top) / frame.height];
    return x < 0 || y < 0 || x > 1 || y > 1 ? null : { look, share: [x * look.columns, y * look.rows] };
  }

  async move(event) {
    const found = this.on ? this.over(event) : null;
    this.lens.classList.toggle("hidden", !found);
    if (!found) return;
    this.lens.style.transform = `translate(${event.clientX - LOUPE_PX / 2}px, ${event.clientY - LOUPE_PX / 2}px)`;
    const shown = shownOf(found.look);
    const key = JSON.stringify([shown, this.looks.number, this.asking.wall.colourways]);
    if (key !== this.key) {
      this.key = key;
      this.cloth.tile = null;
      if (!(await this.asking.put(this.cloth, "loupe", shown, 0)) || key !== this.key) return;
    }
    if (!this.cloth.tile) return;
    this.cloth.limit = { columns: found.look.columns, rows: found.look.rows };
    this.cloth.seam = Object.keys(shown).length ? null : (this.told ?? null);
    const [w, h] = this.cloth.tile.size;
    const zoom = this.zoom / this.cloth.ratio;
    this.cloth.look({
      zoom,
      left: LOUPE_PX / 2 - found.share[0] * w * zoom,
      top: LOUPE_PX / 2 - found.share[1] * h * zoom,
    });
    this.lens.dataset.at = found.share.map((one, k) => Math.floor((one % 1) * [w, h][k])).join(" ");
  }
}
