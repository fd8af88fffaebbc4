// What is in use on a canvas - brush, size, colours, layer, tool and view - is stored as it changes and taken up again.
// Used by the canvas room and the drawing bench; nothing of it is ever in the pixels.
import { Saver } from "./drafts.js";
import { putValue, valueOf } from "./values.js";

const LOOK_AFTER_MS = 120;
const EVENTS = ["change", "click", "input", "keyup", "pointerup", "value", "wheel"];
const id = (name) => document.getElementById(name);
const ROWS = ["size", "opacity", "steady", "trail"];
const FIELDS = { colour: "colour", second: "second-colour", lines: "lines", mouse: "mouse-kind" };

export class InUse {
  // href: where it is stored; tray, picture, layers: what is read and set. looked(): the view is another now.
  constructor(href, { tray, picture, layers, looked = () => {} }) {
    this.tray = tray;
    this.picture = picture;
    this.layers = layers;
    this.looked = looked;
    this.given = JSON.parse(id("in-use").textContent);
    this.saver = new Saver({
      send: (changes, leaving) => this.send(href, changes, leaving),
      taken: () => this.stored(),
    });
    if ("brush" in this.given) this.takeUp(this.given);
    this.last = JSON.stringify(this.given);
    this.told = this.given.brush;
    for (const kind of EVENTS) document.addEventListener(kind, () => this.look(), { capture: true, passive: true });
    window.addEventListener("pagehide", () => {
      this.note();
      this.saver.leave();
    });
  }

  // The strip at the head of the page shows the brush that is in use here.
  stored() {
    const { brush } = JSON.parse(this.last);
    if (brush === this.told) return;
    this.told = brush;
    window.htmx.trigger(document.body, "orvix-in-use");
  }

  send(href, changes, leaving) {
    const headers = {
      ...JSON.parse(document.body.getAttribute("hx-headers")),
      Accept: "application/json",
      "Content-Type": "application/json",
    };
    return fetch(href, { method: "POST", headers, body: changes.at(-1).text, keepalive: true }).then((answer) => {
      if (answer.status >= 500 && !leaving) throw new Error(`the server answered ${answer.status}`);
    });
  }

  // Whether the layer that was in use is there, once the layers are known.
  get layer() {
    return this.given.layer;
  }

  look() {
    this.later ??= setTimeout(() => {
      this.later = null;
      this.note();
    }, LOOK_AFTER_MS);
  }

  note() {
    const now = this.now();
    const text = JSON.stringify(now);
    if (!now || text === this.last) return;
    this.last = text;
    this.saver.change(now, false);
  }

  now() {
    const { tray, picture, layers } = this;
    if (!layers.stack.length) return null;
    const middle = picture.toCanvas(picture.width / 2, picture.height / 2);
    const told = {
      brush: tray.brushId ?? 0,
      fixed: Math.min(Math.max(Number(id("mouse-fixed").value) || 0, 0), 1),
      mode: document.querySelector("input[name=mode]:checked").value,
      layer: layers.chosen,
      fits: picture.follow,
      zoom: picture.zoom,
      x: middle[0],
      y: middle[1],
      rotation: picture.turn,
      flipped: picture.flipped,
    };
    for (const name of ROWS) told[name] = valueOf(name);
    for (const [name, field] of Object.entries(FIELDS)) if (id(field)) told[name] = id(field).value;
    if (id("straight")) told.lines = id("straight").checked ? "run" : "";
    return told;
  }

  takeUp(given) {
    for (const name of ROWS) putValue(name, given[name]);
    this.tray.pick(given.colour, "");
    for (const [name, field] of Object.entries(FIELDS)) if (id(field)) id(field).value = given[name];
    if (id("straight")) id("straight").checked = given.lines !== "";
    id("mouse-fixed").value = String(given.fixed);
    id("mouse-kind").dispatchEvent(new Event("change"));
    const mode = document.querySelector(`input[name=mode][value="${given.mode}"]`);
    if (mode) mode.checked = true;
    this.lookAs(given);
  }

  // The same part of the canvas in the middle of the view.
  lookAs({ fits, zoom, x, y, rotation, flipped }) {
    const { picture } = this;
    if (rotation !== picture.turn || flipped !== picture.flipped) picture.lookFrom(rotation, flipped);
    if (!fits) {
      picture.follow = false;
      Object.assign(picture, { zoom, left: x - picture.width / 2 / zoom, top: y - picture.height / 2 / zoom });
      picture.look();
    }
    this.looked();
  }
}
