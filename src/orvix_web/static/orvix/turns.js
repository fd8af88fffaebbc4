// Edits that build on each other: each is worked out once news of the one before it has come.

export class Turns {
  // link: edit(told) gives the number of the edit, or 0 where there is no connection.
  constructor(link) {
    Object.assign(this, { link, waiting: 0, works: [] });
  }

  // work() sends at most one edit, worked out on what is there then.
  run(work) {
    this.works.push(work);
    this.goOn();
  }

  goOn() {
    while (!this.waiting && this.works.length) this.works.shift()();
  }

  send(told) {
    this.waiting = this.link.edit(told);
    if (!this.waiting) this.works = [];
  }

  // News: the number of the last edit that was answered. What waited for it goes on once the news was taken in.
  answered(edited) {
    if (!this.waiting || edited < this.waiting) return;
    this.waiting = 0;
    queueMicrotask(() => this.goOn());
  }

  // What was asked was refused, or the connection was lost: what waited for it is dropped.
  drop() {
    Object.assign(this, { waiting: 0, works: [] });
  }
}
