// Drafts: what is changed on a bench is stored while it is changed, stepped back and forth in, and followed in other windows.
// Every bench uses this module. What a value means is the bench's; the server checks it.
import { works } from "./work.js";

const WHILE_DRAGGED_MS = 200;
const FIRST_RETRY_MS = 500;
const LONGEST_RETRY_MS = 4000;
const MOST_AT_ONCE = 100;
// A browser sends at most 64 KB on behalf of a page that is gone, all such requests together.
const MOST_ON_LEAVING = 60_000;
const MOST_IN_PASSING = 20_000;

const sorted = (value) => {
  if (Array.isArray(value)) return value.map(sorted);
  if (!value || typeof value !== "object") return value;
  return Object.fromEntries(
    Object.keys(value)
      .sort()
      .map((key) => [key, sorted(value[key])]),
  );
};

// A value as text that is the same whatever the order of its keys.
export const canonical = (value) => JSON.stringify(sorted(value));
export const same = (a, b) => canonical(a) === canonical(b);

// Changes on their way: at once when the hand lets go, within WHILE_DRAGGED_MS while it drags; one request at a time, in
// their order, tried again for as long as the server cannot be reached.
export class Saver {
  // send(changes, leaving): resolves to the answer, rejects where the server cannot be reached. changes: [{text, settled}].
  // taken(answer): after each answer. pending(count, failing): how many are on their way, and whether the last try failed.
  constructor({ send, taken, pending = (_many, _failing) => {}, clock = globalThis }) {
    this.send = send;
    this.taken = taken;
    this.told = pending;
    this.clock = clock;
    this.waiting = [];
    this.going = [];
    this.retry = FIRST_RETRY_MS;
    this.resting = [];
  }

  change(value, settled = true) {
    if (this.waiting.length && !this.waiting.at(-1).settled) this.waiting.pop();
    this.waiting.push({ text: JSON.stringify(value), settled });
    this.told(this.pending, this.failing);
    if (settled) this.now();
    else this.timer ??= this.clock.setTimeout(() => this.now(), WHILE_DRAGGED_MS);
  }

  get pending() {
    return this.going.length + this.waiting.length;
  }

  // Resolves once nothing is on its way.
  idle() {
    if (!this.pending) return Promise.resolve();
    this.now();
    return new Promise((resolve) => this.resting.push(resolve));
  }

  now() {
    this.clock.clearTimeout(this.timer);
    this.timer = null;
    if (this.going.length || !this.waiting.length) return;
    this.going = this.waiting.splice(0, MOST_AT_ONCE);
    this.send(this.going, false).then(
      (answer) => this.answered(answer),
      () => this.failed(),
    );
  }

  answered(answer) {
    this.going = [];
    this.failing = false;
    this.retry = FIRST_RETRY_MS;
    this.taken(answer);
    this.told(this.pending, false);
    if (this.waiting.length) this.now();
    else this.resting.splice(0).forEach((resolve) => resolve());
  }

  failed() {
    this.waiting.unshift(...this.going.splice(0));
    this.failing = true;
    this.told(this.pending, true);
    this.clock.clearTimeout(this.timer);
    this.timer = this.clock.setTimeout(() => this.now(), this.retry);
    this.retry = Math.min(this.retry * 2, LONGEST_RETRY_MS);
  }

  // The page is being left: what is on its way goes once more, in a request that outlives the page. False where it is too
  // large for that, and the page has to stay until it is stored.
  leave() {
    if (!this.pending) return true;
    if (this.left?.last !== (this.waiting.at(-1) ?? this.going.at(-1))) {
      const sent = this.send([...this.going, ...this.waiting], true);
      sent?.catch(() => {});
      this.left = { last: this.waiting.at(-1) ?? this.going.at(-1), stays: sent === null };
    }
    return !this.left.stays;
  }
}

const form = (values) => new URLSearchParams(values);

// One thing's draft on this page.
export class Draft {
  // facts: {href, revision, can_undo, can_redo, changed, saved}, from the page. show(value): puts a value on the bench.
  // state(facts): called whenever one of them is another. link: a BenchLink. told(title, message): a note for the painter.
  constructor(
    facts,
    {
      show,
      state = (_facts) => {},
      link,
      told,
      clock = globalThis,
      window = globalThis.window,
      fetch = globalThis.fetch.bind(globalThis),
    },
  ) {
    this.facts = facts;
    this.show = show;
    this.stateOf = state;
    this.link = link;
    this.note = told;
    this.clock = clock;
    this.page = window;
    this.fetch = fetch;
    this.window = Array.from(crypto.getRandomValues(new Uint8Array(12)), (octet) =>
      octet.toString(16).padStart(2, "0"),
    ).join("");
    this.sequence = 0;
    this.turns = Promise.resolve();
    this.saver = new Saver({
      send: (changes, leaving) => this.send(changes, leaving),
      taken: (answer) => this.taken(answer),
      pending: (many, failing) => this.pendingShown(many, failing),
      clock,
    });
    this.listen();
    works("draft", async () => {
      const still = this.saver.pending === 0;
      await this.idle();
      return still;
    });
    this.pendingShown(0, false);
    queueMicrotask(() => this.stateOf(this.facts));
  }

  listen() {
    const { page } = this;
    page.addEventListener("beforeunload", (event) => {
      if (!this.saver.leave()) event.preventDefault();
    });
    page.addEventListener("pagehide", () => this.saver.leave());
    page.document.addEventListener("orvix-draft", ({ detail }) => this.follow(detail));
    page.document.addEventListener("orvix-listening", () => this.refresh());
    if (page.document.body.dataset.listening) this.refresh();
  }

  pendingShown(many, failing) {
    const { body } = this.page.document;
    body.dataset.unsaved = String(many);
    if (failing && !this.failing) {
      this.note(
        "Not saved yet",
        "Orvix is not answering. Your changes stay on this page and are saved when it answers again.",
      );
    }
    this.failing = failing;
  }

  // Another value on the bench. settled: the hand has let go of it.
  change(value, settled = true) {
    this.saver.change(value, settled);
  }

  // Resolves once everything is stored.
  idle() {
    return this.saver.idle();
  }

  headers() {
    return JSON.parse(this.page.document.body.getAttribute("hx-headers"));
  }

  body(changes, leaving) {
    const told = changes.map(
      ({ text, settled }, n) => `{"value":${text},"settled":${settled || (leaving && n === changes.length - 1)}}`,
    );
    this.sequence += 1;
    return `{"window":"${this.window}","base":${this.facts.revision},"sequence":${this.sequence},"changes":[${told.join(",")}]}`;
  }

  // Null where the page is being left and the changes are too large for a request that outlives it.
  send(changes, leaving) {
    const body = this.body(changes, leaving);
    if (leaving && body.length > MOST_ON_LEAVING) {
      this.link?.ask("draft", {
        what: "draft",
        of: this.facts.of,
        number: this.facts.number,
        written: JSON.parse(body),
      });
      return null;
    }
    const headers = { ...this.headers(), Accept: "application/json", "Content-Type": "application/json" };
    return this.fetch(this.facts.href, {
      method: "POST",
      headers,
      body,
      keepalive: leaving || body.length < MOST_IN_PASSING,
    }).then((answer) => this.read(answer));
  }

  async read(answer) {
    if (answer.status >= 500) throw new Error(`the server answered ${answer.status}`);
    const told = await answer.json();
    return answer.ok ? told : { refused: told.message };
  }

  taken(answer) {
    if (answer.refused) {
      this.note("That did not work", answer.refused);
      return;
    }
    if (!answer.elsewhere) {
      this.know(answer);
      return;
    }
    // What still waits was made without knowing of the other window either: it becomes the step to redo instead.
    if (this.saver.waiting.length) return;
    this.know(answer);
    this.show(answer.value);
    this.note(
      "Changed in another window",
      "Another window changed this at the same moment. Its change is shown. Redo brings yours back.",
    );
  }

  know(answer) {
    Object.assign(this.facts, answer, { older: false });
    this.stateOf(this.facts);
  }

  step(way) {
    this.turns = this.turns
      .then(async () => {
        await this.idle();
        const answer = await this.fetch(`${this.facts.href}step/`, {
          method: "POST",
          headers: { ...this.headers(), Accept: "application/json" },
          body: form({ way, window: this.window }),
        }).then((one) => this.read(one));
        if (answer.refused) {
          this.note("That did not work", answer.refused);
          return;
        }
        this.know(answer);
        await this.show(answer.value);
      })
      .catch(() =>
        this.note("That did not work", "Orvix is not answering. Check that the server is running, then try again."),
      );
    return this.turns;
  }

  undo() {
    return this.step("undo");
  }
  redo() {
    return this.step("redo");
  }
  discard() {
    return this.step("discard");
  }

  // A form that saves the thing goes once every change is stored.
  before(formElement) {
    formElement.addEventListener("htmx:confirm", (event) => {
      event.preventDefault();
      this.idle().then(() => event.detail.issueRequest(true));
    });
  }

  // Word that this draft was written to: by another window, or by a new version that was saved.
  follow({ of, number, window: writer }) {
    if (of === this.facts.of && number === this.facts.number && writer !== this.window) this.refresh();
  }

  // The newest is shown, unless the hand is changing it here: then the server says so when that is written.
  async refresh() {
    if (this.saver.pending) return;
    const answer = await this.fetch(this.facts.href, { headers: { Accept: "application/json" } })
      .then((one) => this.read(one))
      .catch(() => null);
    if (!answer || answer.refused || this.saver.pending) return;
    const newer = answer.revision > this.facts.revision && !this.facts.older;
    if (!newer && answer.revision !== this.facts.revision) return;
    const { older } = this.facts;
    this.know(answer);
    this.facts.older = older && !newer;
    if (newer) await this.show(answer.value);
  }
}
