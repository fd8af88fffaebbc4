// The live connection of one canvas: strokes under way go out, pixels and news come in, and a lost connection goes on.
import { Connection } from "./connection.js";
import { KIND, frame, jsonFrame, readAnswer, readPixels, readTold } from "./live.js";
import { count, note } from "./page.js";
import { works } from "./work.js";

const MOST_BATCH = 2000;
const NOT_HERE = 4404;
const REST_MS = 10;
const token = Array.from(crypto.getRandomValues(new Uint8Array(12)), (octet) =>
  octet.toString(16).padStart(2, "0"),
).join("");

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

export class PaintLink {
  // news: state(told), committed(told), refused(message), kept(words), resumed(); each is called when it happens.
  // path: where its socket is. stores: whether the server stores what is painted. world: whose sockets and clock are used.
  constructor(canvas, picture, news, options = {}) {
    const { path = `/live/canvas/${canvas}/${token}/`, stores = true, world = globalThis } = options;
    this.canvas = canvas;
    this.picture = picture;
    this.news = news;
    this.stores = stores;
    this.world = world;
    this.box = picture.box;
    this.strokes = [];
    this.nextStroke = crypto.getRandomValues(new Uint32Array(1))[0] >>> 1;
    // Numbers of strokes that are not known to be stored, and whether the server has said how the canvas stands.
    this.unsaved = new Set();
    this.ready = false;
    this.latency = [];
    // Called with what a hand that hovers would lay first.
    this.onHover = null;
    this.asked = new Map();
    this.nextQuestion = 2 ** 31;
    picture.onRegion = () => this.sendView();
    const handlers = { took: (buffer) => this.take(buffer), lost: (code) => this.lost(code) };
    this.connection = new Connection(path, handlers, world);
    works("painting", () => this.rests());
  }

  // Whether all strokes that have ended are stored, and all that has changed is shown: the server is asked, which answers
  // in turn.
  async rests() {
    const going = this.strokes.filter((stroke) => !stroke.ended && stroke.sent === stroke.samples.length).length;
    if (!this.ready || this.strokes.length > going || (this.stores && this.unsaved.size > going)) {
      await new Promise((resolve) => this.world.setTimeout(resolve, REST_MS));
      return false;
    }
    const { pending, in_flight: flying } = await this.question({ what: "settled" });
    return pending === 0 && flying === 0;
  }

  lost(code) {
    this.ready = false;
    for (const resolve of this.asked.values()) resolve({});
    this.asked.clear();
    const gone = code === NOT_HERE;
    this.news.kept(gone ? "Canvas not found" : "Connection lost, reconnecting…");
    return !gone;
  }

  take(buffer) {
    const kind = new DataView(buffer).getUint8(0);
    if (kind === KIND.pixels) {
      const update = readPixels(buffer);
      const shown = this.picture.put(update);
      if (shown && update.stamp) this.latency.push([update.stamp, performance.now()]);
      this.send(frame(KIND.ack, 4, (data) => data.setUint32(1, update.update, true)));
      if (shown) count(this.box, "updates");
    } else if (kind === KIND.told) this.told(readTold(buffer));
    else if (kind === KIND.answer) {
      const { id, facts, pixels } = readAnswer(buffer);
      const asked = this.asked.get(id);
      this.asked.delete(id);
      if (asked) asked({ ...facts, pixels });
      else this.onHover?.(id, facts, pixels);
    }
  }

  told(news) {
    if (news.kind === "state") {
      this.strokesKept = news.strokes;
      this.storedUpTo(news.stored);
      if (!this.ready) {
        this.ready = true;
        this.resume(news.going, news.stored);
      }
      this.news.state(news);
      this.savedShown();
      this.sayHeldBack(news.held_back);
    } else if (news.kind === "committed") {
      this.storedUpTo(news.stored);
      count(this.box, "committed");
      this.savedShown();
      this.news.committed(news);
    } else if (news.kind === "nothing") {
      this.unsaved.delete(news.stroke);
      this.savedShown();
    } else if (news.kind === "refused" || news.kind === "broken") {
      this.box.dataset.refused = news.message;
      if (news.kind === "broken") {
        this.strokes = [];
        this.unsaved.clear();
        this.connection.drop();
      }
      this.news.refused(news.message, news.code, news);
    }
  }

  // The numbers of a page's strokes ascend, and they are stored in their order: news that comes twice or late changes
  // nothing.
  storedUpTo(number) {
    if (typeof number !== "number") return;
    for (const one of this.unsaved) if (one <= number) this.unsaved.delete(one);
  }

  // Once a page: what could not be opened of the canvas.
  sayHeldBack(held) {
    if (!held || this.saidHeldBack) return;
    this.saidHeldBack = true;
    const one = held.steps === 1;
    const which = one ? "The last step is" : `The last ${held.steps} steps are`;
    const why = `${one ? "it" : "the first of them"} cannot be repainted (${held.reason})`;
    note(
      "Not all of this canvas could be opened",
      `${which} not shown, because ${why}. Redo tries again. If you paint on, ${one ? "it stays" : "they stay"} out.`,
    );
  }

  // After a (re)connection: go on with the stroke under way from the sample the server asks for. It may have ended here
  // already, its end being lost; where this page knows nothing of it, it ends as far as it came. What the server no
  // longer waits for has ended there as far as it came.
  resume(going, stored) {
    this.sendView();
    const [open] = this.strokes;
    const known = going && [open, this.last].find((stroke) => stroke?.id === going.stroke);
    if (known) {
      known.sent = going.received;
      if (known !== open) this.strokes.unshift(known);
    } else {
      if (going?.mine) this.sendEnd(going.stroke, going.received);
      if (open?.begun) {
        this.strokes.shift();
        this.unsaved.delete(open.id);
        if (this.stores) {
          note(
            "The connection was lost for too long",
            "The stroke under way ended where it was when the connection was lost. What you painted before is there.",
          );
        }
      }
    }
    // A server that knows no stroke of this page was started anew: it has what was stored, and says how much that is.
    if (stored === null && !going) {
      const waiting = new Set(this.strokes.map((stroke) => stroke.id));
      const unknown = [...this.unsaved].filter((number) => !waiting.has(number));
      unknown.forEach((number) => this.unsaved.delete(number));
      if (unknown.length) {
        note("The connection was lost while strokes were being stored", "Check whether the last strokes are there.");
      }
    }
    this.flush();
    this.news.resumed?.();
  }

  sendEnd(stroke, samples) {
    return this.send(
      frame(KIND.end, 8, (data) => {
        data.setUint32(1, stroke, true);
        data.setUint32(5, samples, true);
      }),
    );
  }

  send(buffer) {
    return this.ready && this.connection.send(buffer);
  }

  sendView() {
    const { region } = this.picture;
    if (!region) return;
    this.send(
      frame(KIND.view, 17, (data) => {
        data.setUint8(1, region.level);
        region.box.forEach((side, n) => data.setInt32(2 + 4 * n, side, true));
      }),
    );
  }

  flush() {
    while (this.strokes.length && this.ready) {
      const stroke = this.strokes[0];
      if (!stroke.begun) {
        stroke.begun = this.send(jsonFrame(KIND.begin, stroke.told, 4, (data) => data.setUint32(1, stroke.id, true)));
        if (!stroke.begun) return;
      }
      while (stroke.sent < stroke.samples.length) {
        const batch = stroke.samples.slice(stroke.sent, stroke.sent + MOST_BATCH);
        const sent = this.send(
          frame(KIND.samples, 16 + 28 * batch.length, (data) => {
            data.setUint32(1, stroke.id, true);
            data.setUint32(5, stroke.sent, true);
            data.setFloat64(9, stroke.stamp, true);
            batch.forEach((sample, n) =>
              sample.forEach((value, i) => data.setFloat32(17 + 28 * n + 4 * i, value, true)),
            );
          }),
        );
        if (!sent) return;
        stroke.sent += batch.length;
      }
      if (!stroke.ended) return;
      if (!this.sendEnd(stroke.id, stroke.samples.length)) return;
      this.last = this.strokes.shift();
    }
  }

  begin(told, start) {
    const stroke = new Stroke(this.nextStroke++, told, start);
    this.strokes.push(stroke);
    if (this.stores) this.unsaved.add(stroke.id);
    this.savedShown();
    return stroke;
  }

  // Take a stroke away again that has not ended.
  drop(stroke) {
    this.strokes = this.strokes.filter((one) => one.id !== stroke.id);
    this.unsaved.delete(stroke.id);
    if (stroke.begun) this.send(frame(KIND.drop, 4, (data) => data.setUint32(1, stroke.id, true)));
    this.savedShown();
  }

  // A question about the canvas that changes nothing; its facts.
  question(told) {
    const id = this.nextQuestion++;
    return new Promise((resolve) => {
      this.asked.set(id, resolve);
      if (!this.hover({ id, ...told })) {
        this.asked.delete(id);
        resolve({});
      }
    });
  }

  hover(told) {
    return this.send(jsonFrame(KIND.hover, told, 0, () => {}));
  }

  // Asks for an edit; its number, by which news of it is known, or 0 where there is no connection.
  edit(told) {
    this.edits = (this.edits ?? 0) + 1;
    return this.send(jsonFrame(KIND.edit, { ...told, edit: this.edits }, 0, () => {})) ? this.edits : 0;
  }

  undo() {
    this.send(frame(KIND.undo, 0));
  }
  redo() {
    this.send(frame(KIND.redo, 0));
  }
  savedShown() {
    this.news.kept(this.unsaved.size ? `Saving ${this.unsaved.size}…` : `All ${this.strokesKept ?? 0} saved`);
  }
}
