// Readings: when they are asked, which answers count, and what the pressed gauge marks.
import assert from "node:assert/strict";
import { test } from "node:test";

import { FakeClock, FakePage, later, settle } from "./fakes.js";

const { Readings } = await import("../../src/orvix_web/static/orvix/readings.js");

function bench(more = {}) {
  const [clock, page] = [new FakeClock(), new FakePage()];
  const buttons = ["seam", "rows"].map((name) => ({
    dataset: { gauge: name },
    setAttribute(_, pressed) {
      this.pressed = pressed;
    },
    closest() {
      return this;
    },
  }));
  page.document.querySelectorAll = () => buttons;
  const [asked, gauges, dropped] = [[], [], []];
  const link = {
    ask: (channel, told) => {
      const one = { told, ...later() };
      asked.push(one);
      return one.promise;
    },
    drop: (channel) => dropped.push(channel),
  };
  let shown = 0;
  const one = new Readings(
    {
      link,
      band: { dataset: {} },
      question: () => ({ what: "tile-readings" }),
      shown: () => {
        shown += 1;
      },
      quickAfter: 90,
      fullAfter: 600,
      gauges: { none: () => gauges.push(null), some: (readings) => gauges.push(readings) },
      ...more,
    },
    { setTimeout: clock.setTimeout, clearTimeout: clock.clearTimeout, document: page.document },
  );
  const press = (n) => {
    const event = new Event("click");
    Object.defineProperty(event, "target", { value: buttons[n] });
    page.document.dispatchEvent(event);
  };
  return { one, clock, asked, gauges, dropped, buttons, press, shown: () => shown };
}

const answered = (facts) => ({ facts, pixels: null });

test("quick readings come once the hand rests, full ones when nothing more comes", async () => {
  const { one, clock, asked, gauges } = bench();
  one.clear();
  one.soon();
  await clock.pass(80);
  assert.equal(asked.length, 0);
  await clock.pass(20);
  assert.deepEqual(asked[0].told, { what: "tile-readings", quick: true });
  asked[0].resolve(answered({ seam: { value: 1 } }));
  await clock.pass(590);
  assert.equal(asked.length, 1);
  await clock.pass(20);
  assert.equal(asked[1].told.quick, false);
  asked[1].resolve(answered({ seam: { value: 1 }, full: true }));
  await clock.pass(5000);
  assert.deepEqual([asked.length, gauges.length, gauges[2].full], [2, 3, true]);
  assert.deepEqual({ ...one.band.dataset }, { quick: "1", full: "1" });
});

test("an answer about what was shown before is not shown", async () => {
  const { one, clock, asked, gauges, dropped } = bench();
  one.soon();
  await clock.pass(100);
  one.clear();
  assert.deepEqual(dropped, ["readings"]);
  asked[0].resolve(answered({ old: true }));
  await clock.pass(5000);
  assert.deepEqual([asked.length, gauges], [1, [null]]);
  assert.equal(one.now, null);
});

test("a change while full readings wait puts them off", async () => {
  const { one, clock, asked } = bench();
  one.soon();
  await clock.pass(100);
  asked[0].resolve(answered({}));
  await clock.pass(300);
  one.clear();
  one.soon();
  await clock.pass(400);
  assert.deepEqual(
    asked.map((each) => each.told.quick),
    [true, true],
  );
});

test("it waits for a hand at work, and for what has to be ready", async () => {
  let works = true;
  const made = later();
  const { one, clock, asked } = bench({ busy: () => works, ready: () => made.promise });
  one.soon();
  await clock.pass(2000);
  assert.equal(asked.length, 0);
  works = false;
  await clock.pass(100);
  assert.equal(asked.length, 0);
  made.resolve();
  await settle();
  assert.equal(asked.length, 1);
});

test("what is refused or gave way to another question changes nothing", async () => {
  const { one, asked, gauges } = bench();
  one.take({ seam: { value: 2 } });
  one.read(true);
  await settle();
  asked[0].resolve(answered({ refused: { message: "no" } }));
  one.read(true);
  await settle();
  asked[1].resolve(null);
  await settle();
  assert.deepEqual([gauges.length, one.now.seam.value], [1, 2]);
});

test("a gauge is pressed and let go, before there are readings too", async () => {
  const { one, press, buttons, shown } = bench();
  press(0);
  assert.deepEqual(
    [one.gauge, one.seam, one.overlay, buttons[0].pressed, buttons[1].pressed],
    ["seam", null, null, "true", "false"],
  );
  one.take({ seam: { value: 2 }, rows: { value: 0 } });
  assert.deepEqual(one.seam, { value: 2 });
  press(1);
  assert.deepEqual([one.gauge, one.seam, buttons[0].pressed], ["rows", null, "false"]);
  press(1);
  assert.deepEqual([one.gauge, shown()], [null, 4]);
});
