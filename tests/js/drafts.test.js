// Drafts: when changes go, that none is lost, and what another window does to them.
import assert from "node:assert/strict";
import { test } from "node:test";

import { Draft, Saver, same } from "../../src/orvix_web/static/orvix/drafts.js";
import { FakeClock, FakePage, later, settle } from "./fakes.js";

function saver() {
  const clock = new FakeClock();
  const [sent, taken, pending] = [[], [], []];
  const send = (changes, leaving) => {
    const answer = later();
    sent.push({ changes: changes.map(({ text, settled }) => [JSON.parse(text), settled]), leaving, ...answer });
    return answer.promise;
  };
  const one = new Saver({
    send,
    taken: (answer) => taken.push(answer),
    pending: (many, failing) => pending.push([many, failing]),
    clock,
  });
  return { one, clock, sent, taken, pending };
}

test("what the hand lets go of is sent at once, what it drags within a quarter of a second", async () => {
  const { one, clock, sent } = saver();
  one.change({ size: 1 }, false);
  await clock.pass(100);
  one.change({ size: 2 }, false);
  assert.equal(sent.length, 0);
  await clock.pass(150);
  assert.deepEqual(sent[0].changes, [[{ size: 2 }, false]]);
  sent[0].resolve({});
  await settle();
  one.change({ size: 3 }, true);
  assert.deepEqual(sent[1].changes, [[{ size: 3 }, true]]);
});

test("a hand that never rests is stored all the same", async () => {
  const { one, clock, sent } = saver();
  for (let n = 0; n < 20; n += 1) {
    one.change(n, false);
    await clock.pass(50);
    sent.forEach(({ resolve }) => resolve({}));
  }
  assert.ok(sent.length >= 4, `${sent.length} requests in a second`);
});

test("one request at a time; what comes meanwhile goes in its order, drags only as they ended", async () => {
  const { one, sent, taken } = saver();
  one.change("a");
  one.change("b");
  one.change("c1", false);
  one.change("c2", false);
  one.change("d");
  assert.equal(sent.length, 1);
  sent[0].resolve("first");
  await settle();
  assert.deepEqual(sent[1].changes, [
    ["b", true],
    ["d", true],
  ]);
  assert.equal(one.pending, 2);
  let rested = false;
  one.idle().then(() => {
    rested = true;
  });
  await settle();
  assert.equal(rested, false);
  sent[1].resolve("second");
  await settle();
  assert.ok(rested);
  assert.deepEqual(taken, ["first", "second"]);
  assert.equal(one.pending, 0);
});

test("values are stored as they were when they changed", () => {
  const { one, sent } = saver();
  const value = { size: 1 };
  one.change(value);
  value.size = 2;
  assert.deepEqual(sent[0].changes, [[{ size: 1 }, true]]);
});

test("a server that cannot be reached is tried again, more slowly, and nothing is dropped", async () => {
  const { one, clock, sent, pending } = saver();
  one.change("a");
  one.change("b");
  for (const wait of [500, 1000, 2000, 4000, 4000]) {
    const before = sent.length;
    sent.at(-1).reject(new Error("no answer"));
    await clock.pass(wait - 1);
    assert.equal(sent.length, before);
    await clock.pass(1);
    assert.equal(sent.length, before + 1);
    assert.deepEqual(sent.at(-1).changes, [
      ["a", true],
      ["b", true],
    ]);
  }
  assert.deepEqual(pending.at(-1), [2, true]);
  sent.at(-1).resolve({});
  await settle();
  assert.deepEqual(pending.at(-1), [0, false]);
});

test("leaving sends what is on its way once more, and only once", async () => {
  const { one, sent } = saver();
  one.change("a");
  one.change("b", false);
  assert.equal(one.leave(), true);
  assert.equal(one.leave(), true);
  assert.deepEqual(
    sent.map(({ leaving, changes }) => [leaving, changes.map(([value]) => value)]),
    [
      [false, ["a"]],
      [true, ["a", "b"]],
    ],
  );
});

function draft({ revision = 4, older = false, listening = false } = {}) {
  const [clock, page] = [new FakeClock(), new FakePage()];
  if (listening) page.document.body.dataset.listening = "yes";
  const [requests, shown, notes, asked, states] = [[], [], [], [], []];
  const fetch = (href, options = {}) => {
    const answer = later();
    requests.push({
      href,
      method: options.method ?? "GET",
      keepalive: options.keepalive,
      body:
        options.body instanceof URLSearchParams
          ? Object.fromEntries(options.body)
          : options.body && JSON.parse(options.body),
      answer: (told, status = 200) => {
        answer.resolve({ status, ok: status < 400, json: async () => told });
        return settle();
      },
      fail: () => {
        answer.reject(new TypeError("no answer"));
        return settle();
      },
    });
    return answer.promise;
  };
  const link = { ask: (channel, told) => asked.push(told) };
  const facts = {
    of: "tile",
    number: 7,
    href: "/drafts/tile/7/",
    revision,
    can_undo: false,
    can_redo: false,
    changed: false,
    older,
  };
  const one = new Draft(facts, {
    show: (value) => shown.push(value),
    state: (now) => states.push({ ...now }),
    link,
    told: (...words) => notes.push(words),
    clock,
    window: page,
    fetch,
  });
  const stands = (more) => ({ revision, changed: true, can_undo: true, can_redo: false, elsewhere: false, ...more });
  return { one, clock, page, requests, shown, notes, asked, states, stands };
}

test("a change says which revision it was made of, and takes the next from the answer", async () => {
  const { one, requests, states, stands } = draft();
  one.change({ size: 1 });
  assert.deepEqual([requests[0].body.base, requests[0].body.changes], [4, [{ value: { size: 1 }, settled: true }]]);
  await requests[0].answer(stands({ revision: 5 }));
  one.change({ size: 2 });
  assert.equal(requests[1].body.base, 5);
  assert.ok(requests[1].body.sequence > requests[0].body.sequence);
  assert.equal(requests[1].body.window, requests[0].body.window);
  assert.equal(states.at(-1).can_undo, true);
});

test("another window's change is shown, and the change made here at the same moment is not written over it", async () => {
  const { one, requests, shown, notes, stands } = draft();
  one.change({ size: 1 });
  one.change({ size: 2 });
  await requests[0].answer(stands({ revision: 6, elsewhere: true, value: { size: 50 } }));
  assert.deepEqual(shown, []);
  assert.equal(requests[1].body.base, 4, "what waited was made without knowing of the other window either");
  await requests[1].answer(stands({ revision: 6, elsewhere: true, can_redo: true, value: { size: 50 } }));
  assert.deepEqual(shown, [{ size: 50 }]);
  assert.match(notes[0][1], /Redo brings yours back/);
  one.change({ size: 60 });
  assert.equal(requests[2].body.base, 6);
});

test("word of another window fetches its change, unless the hand is changing it here", async () => {
  const { one, page, requests, shown, stands } = draft();
  page.send("orvix-draft", { of: "tile", number: 8, window: "other" });
  page.send("orvix-draft", { of: "tile", number: 7, window: one.window });
  assert.equal(requests.length, 0);
  page.send("orvix-draft", { of: "tile", number: 7, window: "other" });
  assert.equal(requests[0].method, "GET");
  one.change({ size: 1 });
  await requests[0].answer(stands({ revision: 5, value: { size: 9 } }));
  assert.deepEqual(shown, []);
  await requests[1].answer(stands({ revision: 6 }));
  page.send("orvix-draft", { of: "tile", number: 7, window: "other" });
  await requests[2].answer(stands({ revision: 7, value: { size: 11 } }));
  assert.deepEqual(shown, [{ size: 11 }]);
});

test("a page that opens, or whose connection comes back, asks for what it missed", async () => {
  const early = draft({ listening: true });
  assert.equal(early.requests[0].href, "/drafts/tile/7/");
  const { page, requests, shown, stands } = draft();
  page.send("orvix-listening");
  await requests[0].answer(stands({ revision: 4, value: { size: 1 } }));
  assert.deepEqual(shown, [], "it shows that already");
  page.send("orvix-listening");
  await requests[1].answer(stands({ revision: 5, value: { size: 2 } }));
  assert.deepEqual(shown, [{ size: 2 }]);
});

test("a version that was opened by its number stays, until it is changed", async () => {
  const { one, page, requests, shown, stands } = draft({ older: true });
  page.send("orvix-listening");
  await requests[0].answer(stands({ revision: 9, value: { size: 2 } }));
  assert.deepEqual(shown, []);
  one.change({ size: 3 });
  assert.equal(requests[1].body.base, 4, "so the server says that the draft is another by now");
});

test("undo waits for what is on its way, and shows what the server answers", async () => {
  const { one, requests, shown, stands } = draft();
  one.change({ size: 1 });
  one.undo();
  await settle();
  assert.equal(requests.length, 1);
  await requests[0].answer(stands({ revision: 5 }));
  assert.deepEqual([requests[1].href, requests[1].body], ["/drafts/tile/7/step/", { way: "undo", window: one.window }]);
  await requests[1].answer(stands({ revision: 6, value: { size: 0 }, can_redo: true }));
  assert.deepEqual(shown, [{ size: 0 }]);
});

test("what the server refuses is said, and the next change goes on", async () => {
  const { one, requests, notes, stands } = draft();
  one.change({ size: -1 });
  await requests[0].answer({ code: "bad-value", message: "size=-1: must be 1 to 9" }, 422);
  assert.deepEqual(notes[0], ["That did not work", "size=-1: must be 1 to 9"]);
  one.change({ size: 2 });
  await requests[1].answer(stands({ revision: 5 }));
  assert.equal(one.saver.pending, 0);
});

test("a server that fails or is gone is said once, and the change is sent until it is taken", async () => {
  const { one, clock, page, requests, notes, stands } = draft();
  one.change({ size: 1 });
  await requests[0].fail();
  await clock.pass(500);
  await requests[1].answer({}, 503);
  assert.equal(notes.length, 1);
  assert.equal(page.document.body.dataset.unsaved, "1");
  await clock.pass(1000);
  await requests[2].answer(stands({ revision: 5 }));
  assert.equal(page.document.body.dataset.unsaved, "0");
});

test("a page that is left sends a small change in a request that outlives it", () => {
  const { one, page, requests, asked } = draft();
  assert.equal(page.leave(), false);
  one.change({ size: 1 }, false);
  assert.equal(page.leave(), false);
  assert.equal(requests[0].keepalive, true);
  assert.deepEqual(requests[0].body.changes, [{ value: { size: 1 }, settled: true }]);
  assert.deepEqual(asked, []);
});

test("a large change goes over the socket when the page is left, and the page asks before it closes", async () => {
  const { one, page, requests, asked, stands } = draft();
  const large = { layout: "x".repeat(70_000) };
  one.change(large);
  assert.equal(requests[0].keepalive, false);
  assert.equal(page.leave(), true);
  assert.deepEqual([asked[0].what, asked[0].of, asked[0].number], ["draft", "tile", 7]);
  assert.deepEqual(asked[0].written.changes, [{ value: large, settled: true }]);
  assert.ok(asked[0].written.sequence > requests[0].body.sequence);
  await requests[0].answer(stands({ revision: 5 }));
  assert.equal(page.leave(), false);
});

test("values are the same whatever the order of their keys", () => {
  assert.ok(same({ a: 1, b: [{ c: 2, d: 3 }] }, { b: [{ d: 3, c: 2 }], a: 1 }));
  assert.ok(!same({ a: [1, 2] }, { a: [2, 1] }));
  assert.ok(!same({ a: 1 }, { a: "1" }));
});
