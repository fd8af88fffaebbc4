// The next stamp under the pointer before it is pressed: asked of the core, shown where the hand is now.
const TURNS_AFTER_PX = 6;
const KEY = "orvix-next-stamp";
const LOST_MS = 2000;

export class NextStamp {
  // hand: tells where the hand is and what it would begin.
  constructor(hand) {
    this.hand = hand;
    this.on = localStorage.getItem(KEY) !== "off";
    this.next = 1;
    this.heading = 0;
    this.screen = document.createElement("canvas");
    this.screen.className = "next-stamp";
    hand.picture.stage.append(this.screen);
    hand.link.onHover = (id, facts, pixels) => this.answered(id, facts, pixels);
    this.button = document.querySelector("[data-next-stamp]");
    this.button?.addEventListener("click", () => this.toggle());
    this.button?.setAttribute("aria-pressed", String(this.on));
    this.hide();
  }

  toggle() {
    this.on = !this.on;
    localStorage.setItem(KEY, this.on ? "on" : "off");
    this.button.setAttribute("aria-pressed", String(this.on));
    this.hide();
  }

  // The hand has moved without pressing.
  move(event) {
    const at = this.hand.at(event);
    this.from ??= at;
    const [dx, dy] = [at[0] - this.from[0], at[1] - this.from[1]];
    if (Math.hypot(dx, dy) >= TURNS_AFTER_PX) {
      this.heading = Math.atan2(dy, dx);
      this.from = at;
    }
    this.at = at;
    this.pen = {
      pointer: event.pointerType || "mouse",
      tilt_x: event.tiltX || 0,
      tilt_y: event.tiltY || 0,
      twist: event.twist || 0,
    };
    this.place();
    this.ask();
  }

  // Gone until the hand moves again; an answer that is still on its way is not waited for.
  hide() {
    this.at = this.from = this.shown = this.waiting = null;
    this.again = false;
    this.screen.style.display = "none";
  }

  // One question at a time; when its answer has come, the next one where the hand is by then.
  ask() {
    const { hand } = this;
    if (!this.on || !this.at || hand.stroke || hand.run) return;
    if (this.waiting && performance.now() - this.waiting.since < LOST_MS) {
      this.again = true;
      return;
    }
    const told = hand.told(this.pen.pointer, true);
    if (!told) return;
    const { pointer: _pointer, ...held } = this.pen;
    const [x, y] = hand.home(...this.at);
    const stroke = { ...told, seed: hand.seed };
    const id = this.next++;
    if (hand.link.hover({ id, level: hand.picture.level, x, y, heading: this.heading, ...held, stroke })) {
      this.waiting = { id, x, y, since: performance.now() };
    }
  }

  answered(id, facts, pixels) {
    const { waiting } = this;
    if (waiting?.id !== id) return;
    this.waiting = null;
    if (!pixels || !this.at || this.hand.stroke) {
      this.shown = null;
      this.screen.style.display = "none";
    } else {
      Object.assign(this.screen, { width: facts.width, height: facts.height });
      this.screen.getContext("2d").putImageData(new ImageData(pixels, facts.width, facts.height), 0, 0);
      const step = 2 ** facts.level;
      this.shown = { step, left: facts.left * step - waiting.x, top: facts.top * step - waiting.y };
      this.box.dataset.ghosts = String(Number(this.box.dataset.ghosts || 0) + 1);
      this.place();
    }
    if (this.again) {
      this.again = false;
      this.ask();
    }
  }

  get box() {
    return this.hand.box;
  }

  // Where the hand is now, moved as the answer says.
  place() {
    const { shown, hand, screen } = this;
    if (!shown || !this.at) return;
    const { picture } = hand;
    const [x, y] = hand.place(...picture.toCanvas(...this.at));
    const [left, top] = [(x + shown.left - picture.left) * picture.zoom, (y + shown.top - picture.top) * picture.zoom];
    Object.assign(screen.style, {
      display: "block",
      width: `${screen.width * shown.step * picture.zoom}px`,
      height: `${screen.height * shown.step * picture.zoom}px`,
      transform: `translate(${left}px, ${top}px)`,
      imageRendering: picture.zoom * shown.step > 2 ? "pixelated" : "auto",
    });
  }
}
