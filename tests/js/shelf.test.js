// What is selected on the shelf, and edits that build on each other.
import assert from "node:assert/strict";
import { test } from "node:test";

import { Selection } from "../../src/orvix_web/static/orvix/selection.js";
import { Turns } from "../../src/orvix_web/static/orvix/turns.js";
import { settle } from "./fakes.js";

const list = (...keys) => keys.map((value) => ({ value, checked: false }));

test("a list that is made anew shows what was selected, and what it does not show stays selected", () => {
  const one = new Selection();
  one.tick("tile-1", true);
  one.tick("grain-2", true);
  const boxes = list("tile-1", "brush-3");
  assert.deepEqual(one.follow(boxes), ["grain-2"]);
  assert.deepEqual(
    boxes.map((box) => box.checked),
    [true, false],
  );
  one.tick("tile-1", false);
  assert.deepEqual(one.keys, ["grain-2"]);
});

test("what was moved or deleted is selected no longer, what was tagged is", () => {
  for (const [deed, left] of [
    ["tag", 1],
    ["set", 1],
    ["favourite", 1],
    ["trash", 0],
    ["restore", 0],
    ["delete", 0],
  ]) {
    const one = new Selection();
    one.tick("tile-1", true);
    one.asked = deed;
    one.done();
    assert.equal(one.keys.length, left, deed);
  }
});

function turns() {
  const sent = [];
  const link = { connected: true, edit: (told) => (link.connected ? sent.push(told) : 0) };
  return { one: new Turns(link), sent, link };
}

test("an edit whose outcome is not known is waited for", async () => {
  const { one, sent } = turns();
  let stack = 1;
  for (let n = 0; n < 99; n += 1) one.run(() => one.send(stack + 1));
  for (let n = 1; n <= 99; n += 1) {
    assert.equal(sent.length, n);
    one.answered(n - 1);
    assert.equal(sent.length, n, "news of something else answers nothing");
    stack = sent.at(-1);
    one.answered(n);
    await settle();
  }
  assert.deepEqual(
    sent,
    Array.from({ length: 99 }, (_, n) => n + 2),
  );
});

test("an edit whose outcome is shown already lets others follow, and older news is told apart", () => {
  const { one, sent } = turns();
  for (let n = 1; n <= 99; n += 1) one.run(() => one.send(n, { known: true }));
  assert.equal(sent.length, 99);
  assert.equal(one.answered(98), false);
  assert.equal(one.answered(99), true);
});

test("what was refused, or could not be sent, drops what waited for it", async () => {
  const { one, sent, link } = turns();
  for (const told of ["a", "b"]) one.run(() => one.send(told));
  one.drop();
  one.answered(1);
  await settle();
  assert.deepEqual(sent, ["a"]);
  link.connected = false;
  for (const told of ["c", "d"]) one.run(() => one.send(told));
  link.connected = true;
  one.run(() => one.send("e"));
  assert.deepEqual(sent, ["a", "e"]);
});

test("work that sends nothing holds nothing up", () => {
  const { one, sent } = turns();
  one.run(() => {});
  one.run(() => one.send("a"));
  assert.deepEqual(sent, ["a"]);
});
