// Questions to the core and their answers, for a bench.
import { Connection } from "./connection.js";
import { KIND, jsonFrame, readAnswer } from "./live.js";
import { works } from "./work.js";

// On one channel the newest question waits while one is answered; those between are answered by null. A question that
// was under way when the connection was lost is asked again.
export class BenchLink {
  constructor(world = globalThis) {
    this.next = 1;
    this.open = new Map();
    this.latest = new Map();
    this.connection = new Connection(
      "/live/bench/",
      {
        opened: () => {
          for (const question of this.latest.values()) this.connection.send(jsonFrame(KIND.ask, question));
        },
        took: (buffer) => this.take(buffer),
      },
      world,
    );
    works("questions", () => this.rests());
  }

  async rests() {
    const asked = [...this.open.values()].map((one) => one.answered);
    await Promise.all(asked);
    return !asked.length;
  }

  // older: the answer that is under way is given too, so that something is shown while the hand goes on.
  ask(channel, told, { older = false } = {}) {
    const id = this.next++;
    const question = { ...told, id, channel };
    this.latest.set(channel, question);
    if (!older) this.giveUp(channel, id);
    this.connection.send(jsonFrame(KIND.ask, question));
    const one = { channel };
    one.answered = new Promise((resolve) => {
      one.resolve = resolve;
    });
    this.open.set(id, one);
    return one.answered;
  }

  giveUp(channel, before) {
    for (const [id, one] of this.open) {
      if (one.channel === channel && id < before) {
        one.resolve(null);
        this.open.delete(id);
      }
    }
  }

  // What was asked on a channel is no longer wanted: it gives way, and is not answered.
  drop(channel) {
    if (this.latest.has(channel)) this.ask(channel, { what: "nothing" });
  }

  take(buffer) {
    const data = new DataView(buffer);
    if (data.getUint8(0) !== KIND.answer) return;
    const { id, facts, pixels } = readAnswer(buffer);
    const asked = this.open.get(id);
    for (const [channel, question] of this.latest) if (question.id === id) this.latest.delete(channel);
    if (!asked) return;
    this.open.delete(id);
    this.giveUp(asked.channel, id);
    asked.resolve({ facts, pixels });
  }
}
