// The connection that comes back, the bench's questions over it, and a stroke that goes on after a loss.
import assert from "node:assert/strict";
import { test } from "node:test";

import { FakeServer, settle, world } from "./fakes.js";

globalThis.location = { protocol: "http:", host: "here" };
globalThis.document = globalThis.document ?? { getElementById: () => null };
const { Connection } = await import("../../src/orvix_web/static/orvix/connection.js");
const { BenchLink } = await import("../../src/orvix_web/static/orvix/bench_link.js");
const { PaintLink } = await import("../../src/orvix_web/static/orvix/paint_link.js");
const { KIND, frame, jsonFrame } = await import("../../src/orvix_web/static/orvix/live.js");

const SAMPLE = [0, 1, 2, 0.5, 0, 0, 0];

function bench() {
  const server = new FakeServer();
  return { server, ...world(server), link: null };
}

function told(news) {
  return jsonFrame(KIND.told, news);
}

function answer(id, facts) {
  const body = new TextEncoder().encode(JSON.stringify(facts));
  return frame(KIND.answer, 8 + body.length, (data) => {
    data.setUint32(1, id, true);
    data.setUint32(5, body.length, true);
    new Uint8Array(data.buffer).set(body, 9);
  });
}

test("a lost connection comes back, later each time, at once after a good one", async () => {
  const { server, clock, globals } = bench();
  server.up = false;
  const one = new Connection("/live/x/", { took: () => {} }, globals);
  await clock.pass(0);
  const tries = [];
  for (let ms = 0; ms < 9000; ms += 50) {
    await clock.pass(50);
    tries.push(server.tries);
  }
  assert.equal(tries[0], 1);
  const gaps = [];
  for (let n = 1, last = 0; n < tries.length; n += 1) {
    if (tries[n] > tries[n - 1]) {
      gaps.push(50 * (n - last));
      last = n;
    }
  }
  assert.deepEqual(gaps.slice(1, 6), [300, 600, 1200, 2000, 2000]);
  server.up = true;
  await clock.pass(2000);
  assert.ok(one.send(frame(KIND.undo, 0)));
  const before = server.tries;
  server.drop();
  await clock.pass(150);
  assert.equal(server.tries, before + 1);
  assert.equal(new URL(server.socket.url).pathname, "/live/x/");
});

test("what is sent while there is no connection is said not to be sent", async () => {
  const { server, clock, globals } = bench();
  const one = new Connection("/live/x/", { took: () => {} }, globals);
  assert.equal(one.send(frame(KIND.undo, 0)), false);
  await clock.pass(0);
  assert.equal(one.send(frame(KIND.undo, 0)), true);
  assert.equal(server.frames.length, 1);
});

test("a connection that should not come back does not", async () => {
  const { server, clock, globals } = bench();
  const one = new Connection("/live/x/", { took: () => {}, lost: (code) => code !== 4401 }, globals);
  await clock.pass(0);
  server.drop(4401);
  await clock.pass(60_000);
  assert.equal(server.tries, 1);
  assert.equal(one.send(frame(KIND.undo, 0)), false);
});

test("on one channel only the newest question is answered; the others give null", async () => {
  const { server, clock, globals } = bench();
  const link = new BenchLink(globals);
  await clock.pass(0);
  const answers = [];
  for (const n of [1, 2, 3]) link.ask("tile", { n }).then((one) => answers.push([n, one?.facts ?? null]));
  await settle();
  server.send(answer(3, { good: true }));
  await settle();
  assert.deepEqual(answers, [
    [1, null],
    [2, null],
    [3, { good: true }],
  ]);
  server.send(answer(3, { good: "twice" }));
  server.send(answer(1, { good: "late" }));
  await settle();
  assert.equal(answers.length, 3);
});

test("a question under way when the connection is lost is asked again, an answered one is not", async () => {
  const { server, clock, globals } = bench();
  const link = new BenchLink(globals);
  await clock.pass(0);
  const got = [];
  link.ask("tile", { n: 1 }).then((one) => got.push(one.facts));
  link.ask("readings", { n: 2 }).then((one) => got.push(one.facts));
  server.send(answer(1, "tile"));
  await settle();
  server.drop();
  server.frames.length = 0;
  await clock.pass(1000);
  assert.deepEqual(
    server.frames.map((one) => one.told.n),
    [2],
  );
  server.send(answer(2, "readings"));
  await settle();
  assert.deepEqual(got, ["tile", "readings"]);
});

// A page at a canvas; what the server knows of the stroke under way is kept by the test.
async function room() {
  const { server, clock, globals } = bench();
  const [kept, notes] = [[], []];
  globalThis.document = {
    createElement: () => ({
      append: (...words) => notes.push(words.map((one) => one.textContent ?? one).join("")),
      dataset: {},
      matches: () => false,
      remove: () => {},
    }),
    getElementById: () => ({ replaceChildren: () => {} }),
  };
  const picture = { box: { dataset: {} }, region: { level: 0, box: [0, 0, 64, 64] }, put: () => true };
  const news = {
    state: () => {},
    committed: () => {},
    refused: (message) => notes.push(message),
    kept: (words) => kept.push(words),
  };
  const link = new PaintLink(7, picture, news, { world: globals });
  await clock.pass(0);
  const state = (more = {}) => server.send(told({ kind: "state", strokes: 0, going: null, stored: null, ...more }));
  state();
  const of = (kind) => server.frames.filter((one) => one.kind === kind);
  const draw = (stroke, many) => {
    for (let n = 0; n < many; n += 1) stroke.samples.push(SAMPLE);
    link.flush();
  };
  return { server, clock, link, kept, notes, state, of, draw, last: () => kept.at(-1) };
}

test("a stroke goes on in mid-stroke from the sample the server asks for", async () => {
  const { server, clock, link, state, of, draw } = await room();
  const stroke = link.begin({ brush: 1 }, 0);
  draw(stroke, 10);
  server.drop();
  draw(stroke, 5);
  assert.equal(link.send(frame(KIND.undo, 0)), false);
  await clock.pass(9000);
  server.frames.length = 0;
  state({ going: { stroke: stroke.id, received: 6, mine: true } });
  const [batch] = of(KIND.samples);
  assert.deepEqual([batch.first, batch.count], [6, 9]);
  assert.equal(of(KIND.begin).length, 0);
  stroke.ended = true;
  link.flush();
  assert.deepEqual(
    of(KIND.end).map((one) => one.count),
    [15],
  );
});

test("a stroke whose end was lost is sent its end again", async () => {
  const { server, clock, link, state, of, draw } = await room();
  const stroke = link.begin({ brush: 1 }, 0);
  draw(stroke, 3);
  stroke.ended = true;
  link.flush();
  server.drop();
  await clock.pass(500);
  server.frames.length = 0;
  state({ going: { stroke: stroke.id, received: 3, mine: true } });
  assert.deepEqual(
    of(KIND.end).map((one) => [one.stroke, one.count]),
    [[stroke.id, 3]],
  );
  assert.equal(of(KIND.samples).length, 0);
});

test("after ten seconds the server has ended the stroke: the page gives it up, says so, and goes on with the next", async () => {
  const { server, clock, link, state, of, draw, notes, last } = await room();
  const stroke = link.begin({ brush: 1 }, 0);
  draw(stroke, 4);
  server.drop();
  await clock.pass(12_000);
  server.frames.length = 0;
  state({ strokes: 1, stored: stroke.id });
  assert.equal(of(KIND.samples).length, 0);
  assert.match(notes.join(), /lost for too long/);
  assert.equal(last(), "All 1 saved");
  const next = link.begin({ brush: 1 }, 0);
  draw(next, 2);
  assert.deepEqual(
    of(KIND.begin).map((one) => one.stroke),
    [next.id],
  );
});

test("a stroke that was drawn whole while the connection was away goes out when it is back", async () => {
  const { server, clock, link, state, of, draw, notes, last } = await room();
  server.drop();
  const stroke = link.begin({ brush: 1 }, 0);
  draw(stroke, 4);
  stroke.ended = true;
  link.flush();
  await clock.pass(60_000);
  server.frames.length = 0;
  state();
  assert.deepEqual([of(KIND.begin).length, of(KIND.samples).length, of(KIND.end).length], [1, 1, 1]);
  assert.equal(last(), "Saving 1…");
  assert.deepEqual(notes, []);
});

test("acknowledgements that come twice, late, or for another page count once", async () => {
  const { server, link, last, state, draw } = await room();
  const strokes = [1, 2, 3].map(() => link.begin({ brush: 1 }, 0));
  for (const one of strokes) {
    draw(one, 2);
    one.ended = true;
    link.flush();
  }
  const stored = (number) => server.send(told({ kind: "committed", what: "stroke", number: 1, stored: number }));
  assert.equal(last(), "Saving 3…");
  stored(null); // another page's
  assert.equal(last(), "Saving 3…");
  stored(strokes[1].id);
  assert.equal(last(), "Saving 1…");
  stored(strokes[1].id);
  stored(strokes[0].id);
  assert.equal(last(), "Saving 1…");
  state({ strokes: 3, stored: strokes[2].id });
  assert.equal(last(), "All 3 saved");
  server.send(told({ kind: "nothing", stroke: strokes[0].id }));
  assert.equal(last(), "All 3 saved");
});

test("a server that was started anew knows none of this page's strokes: the page says so once", async () => {
  const { server, clock, link, state, draw, notes, last } = await room();
  const stroke = link.begin({ brush: 1 }, 0);
  draw(stroke, 2);
  stroke.ended = true;
  link.flush();
  server.drop();
  await clock.pass(1000);
  state({ strokes: 0 });
  assert.match(notes.join(), /Check whether/);
  assert.equal(last(), "All 0 saved");
});

test("questions that were open when the connection was lost are answered by nothing", async () => {
  const { server, link } = await room();
  const asked = link.question({ what: "strokes" });
  server.drop();
  assert.deepEqual(await asked, {});
});

test("a first stroke that is still being stored when the connection is back is waited for, without a word", async () => {
  const { server, clock, link, state, draw, notes, last } = await room();
  const stroke = link.begin({ brush: 1 }, 0);
  draw(stroke, 2);
  stroke.ended = true;
  link.flush();
  server.drop();
  await clock.pass(1000);
  state({ stored: 0 });
  assert.deepEqual(notes, []);
  assert.equal(last(), "Saving 1…");
  server.send(told({ kind: "committed", what: "stroke", number: 1, stored: stroke.id }));
  assert.equal(last(), "All 0 saved");
});
