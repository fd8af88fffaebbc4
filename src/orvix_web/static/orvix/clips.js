// Copying, cutting and pasting: inside, with every bit and its place, and through the clipboard of the system.
import { note, post, refuse } from "./page.js";

const KEPT = "orvix-clip";
const LOOK_PX = 48;
const ALIKE = 3;

async function small(blob) {
  const picture = await createImageBitmap(blob);
  const canvas = new OffscreenCanvas(LOOK_PX, LOOK_PX);
  const context = canvas.getContext("2d");
  context.drawImage(picture, 0, 0, LOOK_PX, LOOK_PX);
  return { size: [picture.width, picture.height], pixels: context.getImageData(0, 0, LOOK_PX, LOOK_PX).data };
}

export class Clips {
  // link: what is edited; layers: the LayerStrip; picture: what is looked at; facts: the canvas's size.
  constructor({ link, layers, picture, facts }) {
    this.link = link;
    this.layers = layers;
    this.picture = picture;
    this.facts = facts;
    document.addEventListener("paste", (event) => {
      if (!event.target.closest("input, textarea")) {
        event.preventDefault();
        this.pasted(event.clipboardData);
      }
    });
  }

  // A picture that is dropped on the page becomes a layer.
  takesDropped(field) {
    field.addEventListener("change", () => {
      this.take(field.files[0]);
      field.value = "";
    });
  }

  get kept() {
    try {
      return JSON.parse(localStorage.getItem(KEPT));
    } catch {
      return null;
    }
  }

  async copy({ cut = false } = {}) {
    const layers = this.layers.some.map((one) => one.id);
    const told = await post(`/canvases/${this.link.canvas}/copy/`, { layers: JSON.stringify(layers) });
    if (told.refused) {
      refuse(told.refused);
      return;
    }
    localStorage.setItem(KEPT, JSON.stringify({ ...told, canvas: this.link.canvas }));
    if (cut) this.link.edit({ what: "clear", layers });
    this.picture.box.dataset.copied = String(told.picture);
    try {
      await navigator.clipboard.write([new ClipboardItem({ "image/png": this.png(told.picture) })]);
    } catch {
      /* the system's is not to be had here: inside it is kept all the same */
    }
  }

  async png(number) {
    return (await fetch(`/canvases/clips/${number}.png`)).blob();
  }

  clear() {
    this.link.edit({ what: "clear", layers: this.layers.some.map((one) => one.id) });
  }

  // What the system's clipboard holds, unless it is what was copied here: that is kept with every bit.
  async pasted(data) {
    const file = [...(data?.files ?? [])].find((one) => one.type.startsWith("image/"));
    if (file && !(await this.isOurs(file))) {
      await this.take(file);
      return;
    }
    if (this.kept) this.put(this.kept);
    else refuse("The clipboard is empty. Copy or cut something first.");
  }

  async isOurs(file) {
    const { kept } = this;
    if (!kept) return false;
    const [given, ours] = await Promise.all([
      small(file),
      this.png(kept.picture)
        .then(small)
        .catch(() => null),
    ]);
    if (!ours || String(given.size) !== String(ours.size)) return false;
    return given.pixels.reduce((sum, one, n) => sum + Math.abs(one - ours.pixels[n]), 0) / given.pixels.length < ALIKE;
  }

  async take(file) {
    const form = new FormData();
    form.append("picture", file, file.name || "pasted.png");
    const told = await post("/canvases/clips/", form);
    if (told.refused) refuse(told.refused);
    else {
      this.put(told);
      if (told.notes?.length) note("Pasted, with changes", told.notes.join(". "));
    }
  }

  // Where it was taken from; what comes from elsewhere in the middle of what is seen.
  put(told) {
    const { picture, facts } = this;
    const [width, height] = told.size;
    const middle = picture
      .toCanvas(picture.width / 2, picture.height / 2)
      .map((one, axis) => Math.min(Math.max(one, 0), [facts.width, facts.height][axis]));
    const [x, y] =
      told.canvas === this.link.canvas
        ? [told.x, told.y]
        : [Math.round(middle[0] - width / 2), Math.round(middle[1] - height / 2)];
    const number = this.layers.next;
    this.layers.awaited = number;
    this.link.edit({
      what: "paste",
      picture: told.picture,
      x,
      y,
      layer: number,
      over: this.layers.layer().id,
      name: told.name,
    });
  }
}
