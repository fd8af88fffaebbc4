// A picture beside the work: opened from a file, moved, made larger; a press picks its colour. It never leaves the page.
const id = (name) => document.getElementById(name);
const LEAST_PX = 80;

export class Reference {
  // pick(colour): a colour of it was pressed.
  constructor({ pick }) {
    this.pick = pick;
    this.box = id("reference");
    this.screen = id("reference-picture");
    id("reference-file").addEventListener("change", ({ target }) => this.open(target));
    id("reference-close").addEventListener("click", () => this.box.classList.add("hidden"));
    this.dragged(id("reference-bar"), (dx, dy) => this.put(this.left + dx, this.top + dy));
    this.dragged(id("reference-size"), (dx) => this.resize(this.width + dx));
    this.screen.addEventListener("click", (event) => this.pressed(event));
  }

  async open(field) {
    const [file] = field.files;
    field.value = "";
    if (!file) return;
    const picture = await createImageBitmap(file).catch(() => null);
    if (!picture) {
      this.pick(null, `${file.name} cannot be shown. Choose a PNG, JPEG or WebP picture.`);
      return;
    }
    Object.assign(this.screen, { width: picture.width, height: picture.height });
    this.context = this.screen.getContext("2d", { willReadFrequently: true });
    this.context.drawImage(picture, 0, 0);
    this.box.classList.remove("hidden");
    this.resize(Math.min(picture.width, 300));
    this.put(24, 24);
  }

  put(left, top) {
    const room = this.box.parentElement.getBoundingClientRect();
    this.left = Math.min(Math.max(left, 0), Math.max(room.width - 40, 0));
    this.top = Math.min(Math.max(top, 0), Math.max(room.height - 40, 0));
    Object.assign(this.box.style, { left: `${this.left}px`, top: `${this.top}px` });
  }

  resize(width) {
    this.width = Math.max(width, LEAST_PX);
    this.screen.style.width = `${this.width}px`;
  }

  dragged(handle, move) {
    let from = null;
    handle.addEventListener("pointerdown", (event) => {
      from = [event.clientX, event.clientY];
      handle.setPointerCapture(event.pointerId);
      event.stopPropagation();
    });
    handle.addEventListener("pointermove", (event) => {
      if (!from) return;
      move(event.clientX - from[0], event.clientY - from[1]);
      from = [event.clientX, event.clientY];
    });
    for (const end of ["pointerup", "pointercancel"]) {
      handle.addEventListener(end, () => {
        from = null;
      });
    }
  }

  pressed(event) {
    const { left, top, width, height } = this.screen.getBoundingClientRect();
    const at = [
      ((event.clientX - left) / width) * this.screen.width,
      ((event.clientY - top) / height) * this.screen.height,
    ].map(Math.floor);
    const [red, green, blue, alpha] = this.context.getImageData(...at, 1, 1).data;
    if (alpha) this.pick(`#${[red, green, blue].map((one) => one.toString(16).padStart(2, "0")).join("")}`);
  }
}
