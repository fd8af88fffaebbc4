// A clock that moves when it is told to, and what stands for a page and a server.
import { webcrypto } from "node:crypto";

globalThis.crypto ??= webcrypto;

export class FakeClock {
  constructor() {
    this.now = 0;
    this.next = 1;
    this.timers = new Map();
    this.setTimeout = (call, ms = 0) => {
      this.timers.set(this.next, { at: this.now + ms, call });
      this.next += 1;
      return this.next - 1;
    };
    this.clearTimeout = (id) => this.timers.delete(id);
  }

  // Let so many ms pass; what is due is called in its order, and promises settle in between.
  async pass(ms) {
    const end = this.now + ms;
    for (;;) {
      await settle();
      const due = [...this.timers].filter(([, { at }]) => at <= end).sort((a, b) => a[1].at - b[1].at)[0];
      if (!due) break;
      this.timers.delete(due[0]);
      this.now = Math.max(this.now, due[1].at);
      due[1].call();
    }
    this.now = end;
    await settle();
  }
}

export async function settle() {
  for (let n = 0; n < 20; n += 1) await Promise.resolve();
}

// A promise that a test settles.
export function later() {
  let [resolve, reject] = [null, null];
  const promise = new Promise((yes, no) => {
    [resolve, reject] = [yes, no];
  });
  return { promise, resolve, reject };
}

export class FakePage extends EventTarget {
  constructor() {
    super();
    this.document = new EventTarget();
    this.document.body = { dataset: {}, getAttribute: () => "{}" };
  }

  send(name, detail) {
    this.document.dispatchEvent(Object.assign(new Event(name), { detail }));
  }

  // Leave the page; whether it asked to stay.
  leave() {
    const event = new Event("beforeunload", { cancelable: true });
    this.dispatchEvent(event);
    return event.defaultPrevented;
  }
}
