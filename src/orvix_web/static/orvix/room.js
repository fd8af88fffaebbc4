// The canvas room: shows pixels the core painted, gathers what the hand does, and nothing else.
import { fitLine } from "./fits.js";
import { BenchLink, KIND, frame, jsonFrame, readPixels, readTold, socketAddress } from "./live.js";
import { refuse } from "./page.js";
import { Picture } from "./picture.js";
import { checked, putValue, setUpValues, valueOf } from "./values.js";

const STILL_MS = 16;
const MOST_BATCH = 2000;
const MOVES = "onpointerrawupdate" in window ? "pointerrawupdate" : "pointermove";
const token = Array.from(crypto.getRandomValues(new Uint8Array(12)), (octet) => octet.toString(16).padStart(2, "0")).join("");

// The stroke under way: samples not yet known to have arrived are kept, so that a lost connection can go on.
class Stroke {
  constructor(id, told, start) {
    this.id = id;
    this.told = told;
    this.start = start;
    this.samples = [];
    this.sent = 0;
    this.ended = false;
  }
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("room", () => ({
    zoomText: "", cannotUndo: true, cannotRedo: true,

    init() {
      setUpValues();
      const told = this.$root.dataset;
      const [above, below = "1"] = told.stagger.split("/");
      const sizes = { width: Number(told.width), height: Number(told.height) };
      const length = { straight: 0, brick: sizes.width, "half-drop": sizes.height }[told.repeat];
      const moved = Math.floor((Number(above) / Number(below)) * length + 0.5) % (length || 1);
      this.facts = { ...sizes, joined: Boolean(told.joined), repeat: told.repeat, moved, ground: "#b4b4b4" };
      this.id = Number(told.canvas);
      this.box = document.getElementById("picture");
      this.picture = new Picture(this.box, this.facts, (picture) => { this.zoomText = `${Math.round(picture.zoom * picture.ratio * 100)} %`; this.moveRing(); });
      this.picture.onRegion = () => this.sendView();
      this.strokes = [];
      this.nextStroke = crypto.getRandomValues(new Uint32Array(1))[0] >>> 1;
      this.unsaved = 0;
      this.latency = [];
      this.link = new BenchLink();
      this.connect();
      this.hand();
      this.tray();
      this.keys();
      window.orvixRoom = this;
    },

    // The connection.
    connect() {
      this.wait = this.wait || 150;
      const socket = new WebSocket(socketAddress(`/live/canvas/${this.id}/${token}/`));
      socket.binaryType = "arraybuffer";
      socket.onopen = () => { this.wait = 150; };
      socket.onmessage = (event) => this.take(event.data);
      socket.onclose = (event) => {
        if (this.socket === socket) this.socket = null;
        if (event.code === 4404) { this.kept("not here"); return; }
        this.kept("connection lost, trying again");
        setTimeout(() => this.connect(), this.wait);
        this.wait = Math.min(this.wait * 2, 2000);
      };
      this.pendingSocket = socket;
    },

    take(buffer) {
      const kind = new DataView(buffer).getUint8(0);
      if (kind === KIND.pixels) {
        const update = readPixels(buffer);
        const shown = this.picture.put(update);
        if (shown && update.stamp) this.latency.push([update.stamp, performance.now()]);
        this.send(frame(KIND.ack, 4, (data) => data.setUint32(1, update.update, true)));
        if (shown) this.box.dataset.updates = String(Number(this.box.dataset.updates || 0) + 1);
      } else if (kind === KIND.told) this.told(readTold(buffer));
    },

    told(news) {
      if (news.kind === "state") {
        this.cannotUndo = !news.can_undo;
        this.cannotRedo = !news.can_redo;
        this.count = news.strokes;
        if (!this.socket) { this.socket = this.pendingSocket; this.resume(news.going); }
        this.savedShown();
      } else if (news.kind === "committed") {
        if (news.what === "stroke") this.unsaved = Math.max(this.unsaved - 1, 0);
        this.box.dataset.committed = String(Number(this.box.dataset.committed || 0) + 1);
        this.savedShown();
        this.askFit();
      } else if (news.kind === "nothing") {
        this.unsaved = Math.max(this.unsaved - 1, 0);
        this.savedShown();
      } else if (news.kind === "refused" || news.kind === "broken") {
        refuse(news.message);
        this.box.dataset.refused = news.message;
        if (news.kind === "broken") { this.strokes = []; this.unsaved = 0; this.pendingSocket.close(); }
      }
    },

    // After a (re)connection: go on with the stroke under way from the sample the server asks for. It may have ended here
    // already, its end being lost; where this page knows nothing of it, it ends as far as it came.
    resume(going) {
      this.sendView();
      const [open] = this.strokes;
      const known = going && [open, this.last].find((stroke) => stroke?.id === going.stroke);
      if (known) {
        known.sent = going.received;
        if (known !== open) this.strokes.unshift(known);
      } else {
        if (going?.mine) this.sendEnd(going.stroke, going.received);
        if (open?.begun) { this.strokes.shift(); this.unsaved = Math.max(this.unsaved - 1, 0); }
      }
      this.flush();
      this.askFit();
    },

    sendEnd(stroke, count) {
      return this.send(frame(KIND.end, 8, (data) => { data.setUint32(1, stroke, true); data.setUint32(5, count, true); }));
    },

    send(buffer) { if (this.socket?.readyState === WebSocket.OPEN) { this.socket.send(buffer); return true; } return false; },

    sendView() {
      const { region } = this.picture;
      if (!region) return;
      this.send(frame(KIND.view, 17, (data) => {
        data.setUint8(1, region.level);
        region.box.forEach((side, n) => data.setInt32(2 + 4 * n, side, true));
      }));
    },

    flush() {
      while (this.strokes.length && this.socket) {
        const stroke = this.strokes[0];
        if (!stroke.begun) {
          stroke.begun = this.send(jsonFrame(KIND.begin, stroke.told, 4, (data) => data.setUint32(1, stroke.id, true)));
          if (!stroke.begun) return;
        }
        while (stroke.sent < stroke.samples.length) {
          const batch = stroke.samples.slice(stroke.sent, stroke.sent + MOST_BATCH);
          const sent = this.send(frame(KIND.samples, 16 + 28 * batch.length, (data) => {
            data.setUint32(1, stroke.id, true);
            data.setUint32(5, stroke.sent, true);
            data.setFloat64(9, stroke.stamp, true);
            batch.forEach((sample, n) => sample.forEach((value, i) => data.setFloat32(17 + 28 * n + 4 * i, value, true)));
          }));
          if (!sent) return;
          stroke.sent += batch.length;
        }
        if (!stroke.ended) return;
        if (!this.sendEnd(stroke.id, stroke.samples.length)) return;
        this.last = this.strokes.shift();
      }
    },

    // The hand.
    begin(pointer, x, y, at, rest) {
      if (!this.brush) { refuse("Choose a brush first, or start one on the brush bench."); return; }
      const values = { size: valueOf("size"), opacity: valueOf("opacity") };
      const told = { brush: this.brush, colour: document.getElementById("colour").value, mode: checked("mode"), seed: crypto.getRandomValues(new Uint32Array(1))[0], values, pointer };
      if (pointer !== "pen") { told.mouse = document.getElementById("mouse-kind").value; told.fixed = Number(document.getElementById("mouse-fixed").value); }
      this.stroke = new Stroke(this.nextStroke++, told, at);
      this.strokes.push(this.stroke);
      this.unsaved += 1;
      this.savedShown();
      this.sample(x, y, at, rest);
      this.still = setInterval(() => this.holdStill(), STILL_MS);
    },

    sample(x, y, at, { pressure = 1, tiltX = 0, tiltY = 0, twist = 0 }) {
      const { stroke } = this;
      const [px, py] = this.picture.toCanvas(x, y);
      const t = Math.max(at - stroke.start, stroke.samples.at(-1)?.[0] ?? 0, 0);
      stroke.samples.push([Math.fround(t), px, py, pressure, tiltX, tiltY, twist]);
      stroke.stamp = at;
      stroke.heard = performance.now();
    },

    holdStill() {
      const { stroke } = this;
      if (!stroke || performance.now() - stroke.heard < STILL_MS - 1) return;
      const last = stroke.samples.at(-1);
      stroke.samples.push([Math.fround(Math.max(performance.now() - stroke.start, last[0])), ...last.slice(1)]);
      this.flush();
    },

    finish() {
      clearInterval(this.still);
      if (!this.stroke) return;
      this.stroke.ended = true;
      this.stroke = null;
      this.flush();
    },

    gather(event) {
      const frameBox = this.box.getBoundingClientRect();
      const events = event.getCoalescedEvents?.() ?? [];
      for (const one of events.length ? events : [event]) this.sample(one.clientX - frameBox.left, one.clientY - frameBox.top, one.timeStamp, one);
      this.flush();
    },

    hand() {
      let panning = null;
      this.box.addEventListener("pointerdown", (event) => {
        if (event.target.closest(".corner")) return;
        if (event.button === 1 || (event.button === 0 && this.space)) { panning = [event.clientX, event.clientY]; this.box.setPointerCapture(event.pointerId); event.preventDefault(); return; }
        if (event.button !== 0 || this.stroke) return;
        this.box.focus({ preventScroll: true });
        this.box.setPointerCapture(event.pointerId);
        this.pointer = event.pointerId;
        const frameBox = this.box.getBoundingClientRect();
        this.begin(event.pointerType || "mouse", event.clientX - frameBox.left, event.clientY - frameBox.top, event.timeStamp, event);
        this.flush();
      });
      this.box.addEventListener(MOVES, (event) => { if (this.stroke && event.pointerId === this.pointer && !this.replaying) this.gather(event); });
      this.box.addEventListener("pointermove", (event) => {
        this.ringAt = [event.clientX, event.clientY];
        this.moveRing();
        if (panning) { this.picture.pan(event.clientX - panning[0], event.clientY - panning[1]); panning = [event.clientX, event.clientY]; }
      });
      for (const end of ["pointerup", "pointercancel"]) {
        this.box.addEventListener(end, (event) => {
          panning = null;
          if (this.stroke && event.pointerId === this.pointer && !this.replaying) { if (end === "pointerup" && MOVES === "pointermove") this.gather(event); this.finish(); }
        });
      }
      this.box.addEventListener("pointerleave", () => { this.ringAt = null; this.moveRing(); });
      this.box.addEventListener("wheel", (event) => {
        event.preventDefault();
        if (this.stroke) return;
        const frameBox = this.box.getBoundingClientRect();
        if (event.shiftKey) this.picture.pan(-event.deltaY - event.deltaX, 0);
        else this.picture.zoomTo(this.picture.zoom * 1.0016 ** -event.deltaY, event.clientX - frameBox.left, event.clientY - frameBox.top);
      }, { passive: false });
    },

    moveRing() {
      const ring = document.getElementById("ring");
      if (!this.ringAt) { ring.style.display = "none"; return; }
      const frameBox = this.box.getBoundingClientRect();
      const side = Math.max(valueOf("size") * this.picture.zoom, 3);
      ring.style.display = "block";
      ring.style.width = `${side}px`;
      ring.style.height = `${side}px`;
      ring.style.transform = `translate(${this.ringAt[0] - frameBox.left - side / 2}px, ${this.ringAt[1] - frameBox.top - side / 2}px)`;
    },

    // The stylus stand-in: a recording goes through begin, sample and finish like any hand, at its own uneven pace.
    async replay() {
      if (this.stroke || this.replaying) return;
      const name = document.getElementById("recording").value;
      const { samples } = await (await fetch(`/canvases/recordings/${encodeURIComponent(name)}.json`)).json();
      const side = Math.min(this.picture.width, this.picture.height) * 0.8;
      const place = ([, x, y]) => [(this.picture.width - side) / 2 + x * side, (this.picture.height - side) / 2 + y * side];
      const rest = ([, , , pressure, tiltX, tiltY, twist]) => ({ pressure, tiltX, tiltY, twist });
      this.replaying = true;
      const start = performance.now();
      this.begin("pen", ...place(samples[0]), start, rest(samples[0]));
      if (!this.stroke) { this.replaying = false; return; }
      clearInterval(this.still);
      for (const sample of samples.slice(1)) {
        const due = start + sample[0];
        if (due > performance.now()) await new Promise((resolve) => setTimeout(resolve, due - performance.now()));
        this.sample(...place(sample), due, rest(sample));
        this.flush();
      }
      this.finish();
      this.replaying = false;
    },

    // The tray.
    tray() {
      const buttons = [...document.querySelectorAll("[data-brush]")];
      const choose = (button) => {
        buttons.forEach((one) => one.setAttribute("aria-pressed", String(one === button)));
        this.brush = Number(button.dataset.brush);
        const values = JSON.parse(document.getElementById(button.dataset.brush).textContent);
        Object.assign(document.querySelector('.value[data-value="size"]').dataset, { low: values.smallest, high: values.largest });
        putValue("size", values.size);
        putValue("opacity", values.opacity);
        this.moveRing();
        this.askFit();
      };
      buttons.forEach((button) => button.addEventListener("click", () => choose(button)));
      const first = buttons.find((button) => button.dataset.brush === this.$root.dataset.chosen) || buttons[0];
      if (first) choose(first);
      const colours = [...document.querySelectorAll("[data-colour]")];
      const pick = (colour, name) => {
        document.getElementById("colour").value = colour;
        document.getElementById("colour-name").textContent = `${name} ${colour}`;
        colours.forEach((one) => one.setAttribute("aria-pressed", String(one.dataset.colour === colour)));
      };
      colours.forEach((button) => {
        button.style.background = button.dataset.colour;
        button.addEventListener("click", () => pick(button.dataset.colour, button.getAttribute("aria-label")));
      });
      document.getElementById("colour").addEventListener("input", (event) => pick(event.target.value, ""));
      const light = (colour) => [1, 3, 5].reduce((sum, at, n) => sum + parseInt(colour.slice(at, at + 2), 16) * [0.21, 0.72, 0.07][n], 0);
      const shows = colours.find((one) => Math.abs(light(one.dataset.colour) - light(this.$root.dataset.ground)) > 60) || colours[0];
      pick(shows.dataset.colour, shows.getAttribute("aria-label"));
      const kind = document.getElementById("mouse-kind");
      kind.addEventListener("change", () => document.getElementById("mouse-fixed").classList.toggle("hidden", kind.value !== "fixed"));
      document.addEventListener("value", () => this.moveRing());
      document.addEventListener("bad-value", (event) => refuse(event.detail.rule));
    },

    async askFit() {
      const answer = await this.link.ask("fits", { what: "canvas-fits", canvas: this.id, brush: this.brush ?? 0 });
      if (answer && !answer.facts.refused) document.getElementById("fit").replaceChildren(fitLine(answer.facts.fits));
    },

    kept(words) { document.getElementById("kept").textContent = words; },
    savedShown() { this.kept(this.unsaved ? `${this.unsaved} not stored yet` : `all ${this.count ?? 0} strokes kept`); },

    // Keys and presses.
    keys() {
      document.addEventListener("keydown", (event) => {
        if (event.target.closest("input:not([type=radio]):not([type=range]), select, textarea")) return;
        const key = event.key.toLowerCase();
        if (key === " " && event.target === this.box) { this.space = true; this.box.classList.add("panning"); event.preventDefault(); return; }
        const size = valueOf("size");
        const acts = {
          z: () => (event.shiftKey ? this.redo() : this.undo()), y: () => this.redo(),
          b: () => { document.querySelector("input[name=mode][value=paint]").checked = true; },
          e: () => { document.querySelector("input[name=mode][value=erase]").checked = true; },
          "[": () => this.resize(size / 1.1), "]": () => this.resize(size * 1.1 + 0.1),
          "+": () => this.zoomIn(), "=": () => this.zoomIn(), "-": () => this.zoomOut(), 0: () => this.zoomFit(), 1: () => this.zoomReal(),
          escape: () => this.dropStroke(),
        };
        if (acts[key] && !(event.altKey || (event.ctrlKey && key !== "z" && key !== "y"))) { acts[key](); this.moveRing(); event.preventDefault(); }
      });
      document.addEventListener("keyup", (event) => { if (event.key === " ") { this.space = false; this.box.classList.remove("panning"); } });
    },

    // Another size of mark, within the smallest and largest of the brush in hand.
    resize(size) {
      const { low, high } = document.querySelector('.value[data-value="size"]').dataset;
      putValue("size", Math.min(Math.max(Number(size.toFixed(1)), Number(low)), Number(high)));
    },

    dropStroke() {
      if (!this.stroke) return;
      const { stroke } = this;
      clearInterval(this.still);
      this.stroke = null;
      this.strokes = this.strokes.filter((one) => one !== stroke);
      this.unsaved = Math.max(this.unsaved - 1, 0);
      if (stroke.begun) this.send(frame(KIND.drop, 4, (data) => data.setUint32(1, stroke.id, true)));
      this.savedShown();
    },
    undo() { if (!this.stroke) this.send(frame(KIND.undo, 0)); },
    redo() { if (!this.stroke) this.send(frame(KIND.redo, 0)); },
    zoomIn() { this.picture.zoomTo(this.picture.zoom * 1.25, this.picture.width / 2, this.picture.height / 2); },
    zoomOut() { this.picture.zoomTo(this.picture.zoom / 1.25, this.picture.width / 2, this.picture.height / 2); },
    zoomReal() { this.picture.zoomTo(1 / this.picture.ratio, this.picture.width / 2, this.picture.height / 2); },
    zoomFit() { this.picture.fit(); },
  }));
});
