// Edits that build on each other. What comes of some is known at once, and others may follow; others are waited for.

export class Turns {
  // link: edit(told) gives the number of the edit, or 0 where there is no connection.
  constructor(link) {
    this.link = link;
    this.sent = 0;
    this.waiting = 0;
    this.works = [];
  }

  // work() sends at most one edit, worked out on what is there then.
  run(work) {
    this.works.push(work);
    this.goOn();
  }

  goOn() {
    while (!this.waiting && this.works.length) this.works.shift()();
  }

  // known: the page shows already what comes of it, so the next need not wait. False where it could not be sent.
  send(told, { known = false } = {}) {
    const number = this.link.edit(told);
    if (!number) {
      this.drop();
      return false;
    }
    this.sent = number;
    if (!known) this.waiting = number;
    return true;
  }

  // News: the number of the last edit that was answered. False where it is older than what was asked since.
  answered(edited) {
    if (this.waiting && edited >= this.waiting) {
      this.waiting = 0;
      queueMicrotask(() => this.goOn());
    }
    return edited >= this.sent;
  }

  // What was asked was refused, or the connection was lost: what waited for it is dropped.
  drop() {
    this.sent = 0;
    this.waiting = 0;
    this.works = [];
  }
}
