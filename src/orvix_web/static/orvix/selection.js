// What is selected on the shelf, whatever the list shows at the moment: a search, a job or another window does not change it.

const GONE = new Set(["trash", "restore", "delete"]);

export class Selection {
  constructor() {
    this.chosen = new Set();
    this.asked = "";
  }

  // How forms name what is selected, the last ticked last.
  get keys() {
    return [...this.chosen];
  }

  tick(key, on) {
    this.chosen.delete(key);
    if (on) this.chosen.add(key);
  }

  clear() {
    this.chosen.clear();
  }

  // Tick the boxes of a list that was made anew; which keys are selected but not in it.
  follow(boxes) {
    const shown = new Set();
    for (const box of boxes) {
      shown.add(box.value);
      box.checked = this.chosen.has(box.value);
    }
    return this.keys.filter((key) => !shown.has(key));
  }

  // What was asked for last is done.
  done() {
    if (GONE.has(this.asked)) this.clear();
  }
}
