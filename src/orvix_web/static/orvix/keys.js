// The keys of a bench. Which key stands for which action comes with the page; what an action does here is given.

export const FIELDS =
  "input:not([type=radio]):not([type=checkbox]):not([type=range]):not([type=color]):not([type=file]), select, textarea, [contenteditable]";
const SIGNS = new Map([
  [" ", "Space"],
  ["=", "+"],
  ["Backspace", "Delete"],
]);
const WITH_CTRL = new Map([
  ["Z", "undo"],
  ["Shift+Z", "redo"],
]);

/**
 * A key press as the table writes it, as "Shift+G"; with Ctrl only the letter's own part.
 * @param {{key: string, code?: string, shiftKey?: boolean, altKey?: boolean}} event
 */
export function combinationOf({ key, code = "", shiftKey = false, altKey = false }) {
  const onBoard = /^Key([A-Z])$/.exec(code)?.[1];
  // Alt and scripts other than Latin write other letters: then the place on the keyboard counts.
  const letter = /^[a-z]$/i.test(key) ? key.toUpperCase() : [...key].length === 1 ? onBoard : undefined;
  const [shift, alt] = [shiftKey ? "Shift+" : "", altKey ? "Alt+" : ""];
  if (letter) return `${shift}${alt}${letter}`;
  const sign = SIGNS.get(key) ?? key;
  return `${sign.length > 1 ? shift : ""}${alt}${sign}`;
}

// What a page and its bench both hear: an act of the one does not keep the other from its own.
const heard = new WeakSet();

/** The key of every action on this page, by the action's name. */
function given() {
  return JSON.parse(document.getElementById("keys")?.textContent ?? "{}");
}

export class Keys {
  /**
   * acts: what an action does, by its name; `nth` is given the number that is pressed. held: actions that also do
   * something while their key is down, with {down, up} or nothing where a drag asks `holds`. ready(): whether keys may
   * act yet. after(): called once one has acted. leave(): takes the focus out of a field.
   * @param {Record<string, (n?: number) => void>} acts
   * @param {{held?: Record<string, {down?: () => void, up?: () => void}>, ready?: () => boolean, after?: () => void,
   *   leave?: () => void, page?: EventTarget, keys?: Record<string, string>}} [more]
   */
  constructor(acts, { held = {}, ready = () => true, after = () => {}, leave = null, page = null, keys = null } = {}) {
    this.acts = acts;
    this.held = held;
    this.ready = ready;
    this.after = after;
    this.leave = leave;
    this.keys = keys;
    this.down = null;
    this.used = false;
    const listens = page ?? document;
    listens.addEventListener("keydown", (event) => this.pressed(event));
    listens.addEventListener("keyup", (event) => this.let(event));
    if (page) return;
    window.addEventListener("blur", () => this.letGo());
    document.addEventListener("orvix-keys", () => {
      this.keys = null;
    });
  }

  /** The action that a key press stands for, or undefined. */
  action(event) {
    const combination = combinationOf(event);
    if (event.ctrlKey || event.metaKey) {
      const named = WITH_CTRL.get(combination);
      if (named || event.altKey) return named;
      return this.named(`Ctrl+${combination}`);
    }
    if (/^[1-9]$/.test(combination)) return "nth";
    return this.named(combination);
  }
  named(combination) {
    this.keys ??= given();
    return Object.keys(this.keys).find((name) => this.keys[name] === combination);
  }

  pressed(event) {
    if (event.defaultPrevented && !heard.has(event)) return;
    const { target } = event;
    if (target.closest?.(FIELDS)) {
      if (event.key === "Escape" && !target.closest("dialog")) {
        if (this.leave) this.leave();
        else target.blur();
      }
      return;
    }
    if (target.closest?.("dialog") || !this.ready()) return;
    const name = this.action(event);
    if (!name || !(this.acts[name] || this.held[name])) return;
    event.preventDefault();
    heard.add(event);
    if (this.held[name]) {
      if (event.repeat) {
        if (this.held[name].down) return;
        this.used = true;
      } else {
        this.down = name;
        this.used = false;
        this.held[name].down?.();
        return;
      }
    }
    this.acts[name]?.(name === "nth" ? Number(event.key) : undefined);
    this.after();
  }

  // A key that is only tapped does its step when it comes up again, unless something was dragged with it.
  let(event) {
    if (!this.down || combinationOf(event).split("+").at(-1) !== this.keys[this.down].split("+").at(-1)) return;
    const name = this.down;
    const tapped = !this.used;
    this.letGo();
    if (!tapped || !this.acts[name]) return;
    this.acts[name]();
    this.after();
  }

  letGo() {
    const name = this.down;
    this.down = null;
    if (name) this.held[name].up?.();
  }

  /** Whether the key of an action is down; asked by a drag, which is then what the key was pressed for. */
  holds(name) {
    if (this.down !== name) return false;
    this.used = true;
    return true;
  }
}

/** Check a mode's radio button, and say so. */
export function chooseMode(value) {
  const input = document.querySelector(`input[name=mode][value=${value}]`);
  input.checked = true;
  input.dispatchEvent(new Event("change", { bubbles: true }));
}
