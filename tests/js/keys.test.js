// Keys: what a press stands for, and what a bench does about it.
import assert from "node:assert/strict";
import test from "node:test";
import { Keys, combinationOf } from "../../src/orvix_web/static/orvix/keys.js";

const KEYS = { paint: "P", grow: "G", shrink: "Shift+G", deselect: "Alt+C", nearer: "+", keys: "?", copy: "Ctrl+C" };
const bare = { closest: () => null };
const field = { closest: (what) => (what === "dialog" ? null : {}), blur: () => field.left.push("left"), left: [] };

// A bench with these acts; press(key, more) and up(key) are what its page hears.
function bench(names, more = {}) {
  const done = [];
  const heard = {};
  const page = /** @type {any} */ ({ addEventListener: (kind, act) => (heard[kind] = act) });
  const acts = Object.fromEntries(
    names.map((name) => [name, (n) => done.push(n === undefined ? name : `${name} ${n}`)]),
  );
  const keys = new Keys(acts, { page, keys: KEYS, ...more });
  const event = (key, told) => ({ key, target: bare, preventDefault: () => done.push("taken"), ...told });
  return {
    done,
    keys,
    press: (key, told = {}) => heard.keydown(event(key, told)),
    up: (key, told = {}) => heard.keyup(event(key, told)),
  };
}

test("a press is written as the table writes it, whatever the script and the shift that a sign takes", () => {
  assert.equal(combinationOf({ key: "p" }), "P");
  assert.equal(combinationOf({ key: "G", shiftKey: true }), "Shift+G");
  assert.equal(combinationOf({ key: "ç", code: "KeyC", altKey: true }), "Alt+C");
  assert.equal(combinationOf({ key: "з", code: "KeyP" }), "P");
  assert.equal(combinationOf({ key: "?", shiftKey: true }), "?");
  assert.equal(combinationOf({ key: "=" }), "+");
  assert.equal(combinationOf({ key: " " }), "Space");
  assert.equal(combinationOf({ key: "Backspace" }), "Delete");
});

test("a key does what the bench can do, and any other key is left to the browser", () => {
  const { done, press } = bench(["paint", "deselect", "nth"]);
  press("p");
  press("c", { altKey: true });
  press("4");
  press("?", { shiftKey: true });
  press("p", { ctrlKey: true });
  assert.deepEqual(done, ["taken", "paint", "taken", "deselect", "taken", "nth 4"]);
});

test("Ctrl with Z undoes, with Shift it redoes, whatever key undo has", () => {
  const { done, press } = bench(["undo", "redo", "copy"]);
  press("z", { ctrlKey: true });
  press("Z", { ctrlKey: true, shiftKey: true });
  press("c", { metaKey: true });
  assert.deepEqual(done, ["taken", "undo", "taken", "redo", "taken", "copy"]);
});

test("in a field only Escape acts, and it leaves the field", () => {
  const { done, press } = bench(["paint"]);
  press("p", { target: field });
  press("Escape", { target: field });
  assert.deepEqual(done, []);
  assert.deepEqual(field.left, ["left"]);
});

test("nothing acts before the bench is ready", () => {
  let ready = false;
  const { done, press } = bench(["paint"], { ready: () => ready });
  press("p");
  assert.deepEqual(done, []);
  ready = true;
  press("p");
  assert.deepEqual(done, ["taken", "paint"]);
});

test("a held key is for a drag; only tapped, or repeated, it takes its step", () => {
  const { done, keys, press, up } = bench(["grow"], { held: { grow: {} } });
  press("g");
  assert.equal(keys.holds("grow"), true);
  assert.equal(keys.holds("denser"), false);
  up("g");
  assert.deepEqual(done, ["taken"]);
  press("g");
  up("g");
  assert.deepEqual(done.filter((one) => one === "grow").length, 1);
  press("g");
  press("g", { repeat: true });
  up("g");
  assert.deepEqual(done.filter((one) => one === "grow").length, 2);
  assert.equal(keys.holds("grow"), false);
});

test("what shows while a key is down goes when it comes up or the window is left", () => {
  const seen = [];
  const look = { down: () => seen.push("down"), up: () => seen.push("up") };
  const { keys, press, up } = bench([], { held: { grow: look } });
  press("g");
  press("g", { repeat: true });
  up("g");
  press("g");
  keys.letGo();
  keys.letGo();
  assert.deepEqual(seen, ["down", "up", "down", "up"]);
});

test("a page and its bench both hear a key, and what somebody else took is left alone", () => {
  const one = bench(["paint"]);
  const two = bench(["paint"]);
  const event = {
    key: "p",
    target: bare,
    preventDefault: () => (event.defaultPrevented = true),
    defaultPrevented: false,
  };
  one.keys.pressed(event);
  two.keys.pressed(event);
  assert.deepEqual([one.done, two.done], [["paint"], ["paint"]]);
  const taken = { key: "p", target: bare, preventDefault: () => {}, defaultPrevented: true };
  two.keys.pressed(taken);
  assert.deepEqual(two.done, ["paint"]);
});
