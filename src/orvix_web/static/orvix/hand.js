// The hand on a canvas: a pen, a mouse or a recorded pen becomes samples; panning, zooming, the ring of the mark's size.
import { NextStamp } from "./next_stamp.js";

const STILL_MS = 16;
const STRAIGHT_STEP_PX = 8;
const PREVIEW_MS = 30;
const LEAD_WIDTHS = 0.6;
const SNAP_TURN = Math.PI / 12;
const MOVES = "onpointerrawupdate" in window ? "pointerrawupdate" : "pointermove";

const newSeed = () => crypto.getRandomValues(new Uint32Array(1))[0];

export class Hand {
  // told(pointer, hovers): what a stroke is begun with, or nothing to begin none; hovers: it is not begun. place(x, y): where a place of the picture is put.
  // straight(): whether the hand draws straight runs: "" for no, "on" for runs that go on from the last one's end. size(): the mark's size in px of the canvas. line: where the run is
  // shown while it is drawn, called with its two ends in px of the view, or with nothing. other(event): what the hand does
  // instead of painting, if anything: { move(x, y, event), end(x, y, event), drop() }, in px of the view.
  constructor(
    link,
    picture,
    {
      told,
      size,
      place = (x, y) => [x, y],
      straight = () => "",
      line = (..._ends) => {},
      other = (..._event) => null,
      ribbon = () => false,
    },
  ) {
    this.link = link;
    this.picture = picture;
    this.told = told;
    this.size = size;
    this.place = place;
    this.straight = straight;
    this.line = line;
    this.other = other;
    this.ribbon = ribbon;
    this.box = picture.box;
    this.runs = [];
    this.ended = 0;
    this.seed = newSeed();
    this.stamp = new NextStamp(this);
    this.listen();
  }

  // A place of the view on the one copy that is kept.
  home(x, y) {
    const at = this.picture.toCanvas(x, y);
    const by = this.picture.home(...at);
    return this.place(...at).map((one, axis) => one - by[axis]);
  }

  begin(pointer, x, y, at, rest) {
    const told = this.told(pointer, false);
    if (!told) return;
    this.stroke = this.link.begin({ ...told, seed: this.seed }, at);
    this.seed = newSeed();
    this.stamp.hide();
    this.from = this.picture.home(...this.picture.toCanvas(x, y));
    this.sample(x, y, at, rest);
    this.still = setInterval(() => this.holdStill(), STILL_MS);
  }

  sample(x, y, at, { pressure = 1, tiltX = 0, tiltY = 0, twist = 0, shiftKey = false }) {
    const { stroke } = this;
    if (stroke.told.mouse === "key") pressure = shiftKey ? 1 : 0.4;
    const [px, py] = this.place(...this.picture.toCanvas(x, y));
    [tiltX, tiltY] = this.picture.way(tiltX, tiltY);
    twist = (this.picture.flipped ? -1 : 1) * (twist - this.picture.turn);
    twist = ((twist % 360) + 360) % 360;
    const t = Math.max(at - stroke.start, stroke.samples.at(-1)?.[0] ?? 0, 0);
    stroke.samples.push([Math.fround(t), px - this.from[0], py - this.from[1], pressure, tiltX, tiltY, twist]);
    stroke.stamp = at;
    stroke.heard = performance.now();
  }

  holdStill() {
    const { stroke } = this;
    if (!stroke || performance.now() - stroke.heard < STILL_MS - 1) return;
    const last = stroke.samples.at(-1);
    stroke.samples.push([Math.fround(Math.max(performance.now() - stroke.start, last[0])), ...last.slice(1)]);
    this.link.flush();
  }

  finish() {
    clearInterval(this.still);
    if (!this.stroke) return;
    this.stroke.ended = true;
    this.stroke = null;
    this.link.flush();
  }

  drop() {
    this.doing?.drop?.();
    this.doing = null;
    this.run = null;
    this.line();
    if (!this.stroke) return;
    clearInterval(this.still);
    this.link.drop(this.stroke);
    this.stroke = null;
  }

  gather(event) {
    const events = event.getCoalescedEvents?.() ?? [];
    for (const one of events.length ? events : [event]) this.sample(...this.at(one), one.timeStamp, one);
    this.link.flush();
  }

  // The end that the next connected run goes on from: that of the last run that still stands and was not ended.
  get lastEnd() {
    return this.lastRun?.end;
  }
  get lastRun() {
    return this.runs.findLast(({ number }) => number <= this.standing && number > this.ended);
  }

  // News: the last stroke that stands, [number, layer]; undone runs are no longer gone on from.
  stands(last) {
    this.standing = last?.[0] ?? 0;
  }

  // A stroke of this number was stored: the run that was let go last.
  ran(number) {
    if (!this.laid) return;
    this.runs = [...this.runs.filter((one) => one.number !== number), { number, ...this.laid }];
    this.standing = Math.max(this.standing ?? 0, number);
    this.laid = null;
  }

  // Connected runs end here: the next one begins where the hand presses. False where there is nothing to end.
  endChain() {
    if (!this.lastEnd) return false;
    this.ended = this.standing;
    return true;
  }

  // A straight run goes from where the hand pressed to where it lifts, at the pressure it had at most. While the hand
  // holds its end it is painted anew at every move, the last one taken away.
  startRun(event) {
    const { picture } = this;
    const at = this.at(event);
    const before = this.straight() === "on" ? this.lastRun : null;
    const from = before ? before.end : picture.toCanvas(...at);
    this.run = {
      pointer: event.pointerType || "mouse",
      begun: from,
      from: at,
      to: at,
      start: event.timeStamp,
      end: event.timeStamp,
      pressure: event.pressure || 1,
      seed: this.seed,
      before,
    };
    this.run.from = this.picture.seen(from);
  }

  moveRun(event) {
    const { run } = this;
    let to = this.at(event);
    const [dx, dy] = [to[0] - run.from[0], to[1] - run.from[1]];
    if (event.shiftKey) {
      const turn = Math.round(Math.atan2(dy, dx) / SNAP_TURN) * SNAP_TURN;
      const long = dx * Math.cos(turn) + dy * Math.sin(turn);
      to = [run.from[0] + long * Math.cos(turn), run.from[1] + long * Math.sin(turn)];
    }
    Object.assign(run, { to, end: event.timeStamp, pressure: Math.max(run.pressure, event.pressure) });
    this.line(run.from, run.to);
    this.previewing ??= setTimeout(() => {
      this.previewing = null;
      if (this.run) this.layRun();
    }, PREVIEW_MS);
  }

  layRun() {
    const { run } = this;
    if (this.stroke) {
      this.link.drop(this.stroke);
      this.stroke = null;
    }
    this.seed = run.seed;
    const corner = this.cornerOf(run);
    this.begin(run.pointer, ...(corner ?? run.from), run.start, { pressure: run.pressure });
    if (!this.stroke) return;
    clearInterval(this.still);
    // Twice at one place: the curve through the samples turns there sharply.
    if (corner) for (let n = 0; n < 2; n += 1) this.sample(...run.from, run.start, { pressure: run.pressure });
    const steps = Math.max(
      Math.ceil(Math.hypot(run.to[0] - run.from[0], run.to[1] - run.from[1]) / STRAIGHT_STEP_PX),
      1,
    );
    for (let n = 1; n <= steps; n += 1) {
      const [x, y] = [0, 1].map((axis) => run.from[axis] + ((run.to[axis] - run.from[axis]) * n) / steps);
      this.sample(x, y, run.start + ((run.end - run.start) * n) / steps, { pressure: run.pressure });
    }
    this.link.flush();
  }

  // A ribbon that goes on begins a little before the end of the run before it, so that its corner is one of its own:
  // mitred, rounded or cut as the brush says, without a notch between the two ends. Null where there is no corner.
  cornerOf({ before, from }) {
    if (!before || !this.ribbon()) return null;
    const [start, end] = [before.from, before.end].map((place) => this.picture.seen(place));
    const [dx, dy] = [end[0] - start[0], end[1] - start[1]];
    const long = Math.hypot(dx, dy);
    const back = Math.min(LEAD_WIDTHS * this.size() * this.picture.zoom, long);
    return long ? [from[0] - (dx / long) * back, from[1] - (dy / long) * back] : null;
  }

  endRun() {
    clearTimeout(this.previewing);
    this.previewing = null;
    this.layRun();
    this.laid = { from: this.picture.toCanvas(...this.run.from), end: this.picture.toCanvas(...this.run.to) };
    this.run = null;
    this.line();
    this.seed = newSeed();
    this.finish();
  }

  at(event) {
    return this.picture.at(event);
  }

  listen() {
    let panning = null;
    this.box.addEventListener("pointerdown", (event) => {
      if (event.defaultPrevented || event.target.closest(".corner")) return;
      if (event.button === 1 || (event.button === 0 && this.space)) {
        this.stamp.hide();
        panning = [event.clientX, event.clientY];
        this.box.setPointerCapture(event.pointerId);
        event.preventDefault();
        return;
      }
      if (event.button !== 0 || this.stroke || this.run || this.doing) return;
      this.box.focus({ preventScroll: true });
      this.box.setPointerCapture(event.pointerId);
      this.pointer = event.pointerId;
      this.doing = this.other(event, ...this.at(event));
      if (this.doing) {
        this.stamp.hide();
        return;
      }
      const kind = event.pointerType || "mouse";
      if (this.straight()) {
        this.startRun(event);
        return;
      }
      this.begin(kind, ...this.at(event), event.timeStamp, event);
      this.link.flush();
    });
    this.box.addEventListener(MOVES, (event) => {
      if (this.stroke && !this.run && event.pointerId === this.pointer && !this.replaying) this.gather(event);
    });
    this.box.addEventListener("pointermove", (event) => {
      this.ringAt = [event.clientX, event.clientY];
      this.moveRing();
      if (this.doing && event.pointerId === this.pointer) {
        this.doing.move?.(...this.at(event), event);
        return;
      }
      if (!this.stroke && !panning && !this.space && event.pointerType !== "touch") this.stamp.move(event);
      if (this.run && event.pointerId === this.pointer) this.moveRun(event);
      if (panning) {
        this.picture.pan(...this.picture.way(event.clientX - panning[0], event.clientY - panning[1]));
        panning = [event.clientX, event.clientY];
      }
    });
    for (const end of ["pointerup", "pointercancel"]) {
      this.box.addEventListener(end, (event) => {
        panning = null;
        if (event.pointerId !== this.pointer || this.replaying) return;
        if (this.doing) {
          const { doing } = this;
          this.doing = null;
          if (end === "pointerup") doing.end?.(...this.at(event), event);
          else doing.drop?.();
          return;
        }
        if (this.run) {
          if (end === "pointerup") this.endRun();
          else this.drop();
          return;
        }
        if (this.stroke) {
          if (end === "pointerup" && MOVES === "pointermove") this.gather(event);
          this.finish();
        }
      });
    }
    this.box.addEventListener("pointerleave", () => {
      this.ringAt = null;
      this.stamp.hide();
      this.moveRing();
    });
    this.box.addEventListener(
      "wheel",
      (event) => {
        event.preventDefault();
        if (this.stroke) return;
        if (event.shiftKey) this.picture.pan(-event.deltaY - event.deltaX, 0);
        else this.picture.zoomTo(this.picture.zoom * 1.0016 ** -event.deltaY, ...this.at(event));
      },
      { passive: false },
    );
    document.addEventListener("keydown", (event) => {
      if (event.key === " " && event.target === this.box) {
        this.space = true;
        this.box.classList.add("panning");
        event.preventDefault();
      }
    });
    document.addEventListener("keyup", (event) => {
      if (event.key === " ") {
        this.space = false;
        this.box.classList.remove("panning");
      }
    });
  }

  // Something that decides how the next stamp looks has changed, or the view has moved.
  moveRing() {
    this.stamp.place();
    if (!this.stroke) this.stamp.ask();
    const ring = document.getElementById("ring");
    if (!this.ringAt) {
      ring.style.display = "none";
      return;
    }
    const [x, y] = this.at({ clientX: this.ringAt[0], clientY: this.ringAt[1] });
    const side = Math.max(this.size() * this.picture.zoom, 3);
    ring.style.display = "block";
    ring.style.width = `${side}px`;
    ring.style.height = `${side}px`;
    ring.style.transform = `translate(${x - side / 2}px, ${y - side / 2}px)`;
  }

  // The stylus stand-in: a recording goes through begin, sample and finish like any hand, at its own uneven pace.
  async replay(name) {
    if (this.stroke || this.replaying) return;
    const { samples } = await (await fetch(`/canvases/recordings/${encodeURIComponent(name)}.json`)).json();
    const side = Math.min(this.picture.width, this.picture.height) * 0.8;
    const place = ([, x, y]) => [
      (this.picture.width - side) / 2 + x * side,
      (this.picture.height - side) / 2 + y * side,
    ];
    const rest = ([, , , pressure, tiltX, tiltY, twist]) => ({ pressure, tiltX, tiltY, twist });
    this.replaying = true;
    const start = performance.now();
    this.begin("pen", ...place(samples[0]), start, rest(samples[0]));
    if (!this.stroke) {
      this.replaying = false;
      return;
    }
    clearInterval(this.still);
    for (const sample of samples.slice(1)) {
      const due = start + sample[0];
      if (due > performance.now()) await new Promise((resolve) => setTimeout(resolve, due - performance.now()));
      this.sample(...place(sample), due, rest(sample));
      this.link.flush();
    }
    this.finish();
    this.replaying = false;
  }
}
