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

// The other end of the sockets: what came, read as docs/formats/live.md says.
export class FakeServer {
  constructor() {
    Object.assign(this, { up: true, tries: 0, frames: [], socket: null });
  }

  took(buffer) {
    const [data, octets] = [new DataView(buffer), new Uint8Array(buffer)];
    const kind = data.getUint8(0);
    const one = { kind };
    const json = (at) => JSON.parse(new TextDecoder().decode(octets.slice(at)));
    if ([2, 3, 4, 8].includes(kind)) one.stroke = data.getUint32(1, true);
    if (kind === 2) one.told = json(5);
    if (kind === 3) Object.assign(one, { first: data.getUint32(5, true), count: (octets.length - 17) / 28 });
    if (kind === 4) one.count = data.getUint32(5, true);
    if (kind === 9 || kind === 10 || kind === 11) one.told = json(1);
    this.frames.push(one);
  }

  send(buffer) {
    this.socket.onmessage({ data: buffer });
  }

  drop(code = 1006) {
    this.socket.readyState = 3;
    this.socket.onclose({ code });
  }
}

// Sockets and a clock for a module that takes its world.
export function world(server) {
  const clock = new FakeClock();
  class FakeSocket {
    static OPEN = 1;

    constructor(url) {
      Object.assign(this, { url, readyState: 0 });
      server.tries += 1;
      server.socket = this;
      clock.setTimeout(() => {
        if (server.up) {
          this.readyState = 1;
          this.onopen();
        } else server.drop();
      });
    }

    send(buffer) {
      server.took(buffer);
    }

    close() {
      server.drop();
    }
  }
  return { clock, globals: { WebSocket: FakeSocket, setTimeout: clock.setTimeout } };
}
