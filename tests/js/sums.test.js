// Typed numbers: sums, a decimal comma, units.
import assert from "node:assert/strict";
import test from "node:test";
import { asText, numberOf } from "../../src/orvix_web/static/orvix/sums.js";

test("a sum is worked out in the usual order", () => {
  assert.equal(numberOf("300/2"), 150);
  assert.equal(numberOf("2 + 3 * 4"), 14);
  assert.equal(numberOf("(2 + 3) × 4"), 20);
  assert.equal(numberOf("-1.5 − 2"), -3.5);
  assert.equal(numberOf("8 ÷ 4 : 2"), 1);
});

test("a comma is a point", () => {
  assert.equal(numberOf("1,5"), 1.5);
  assert.equal(numberOf(",5 + 2,"), 2.5);
});

test("lengths come into the unit of the field, px by its resolution", () => {
  assert.equal(numberOf("3 cm", { unit: "mm" }), 30);
  assert.equal(numberOf("1 in", { unit: "px", ppi: 150 }), 150);
  assert.equal(asText(numberOf("2,54cm + 10", { unit: "px", ppi: 300 })), "310");
  assert.equal(asText(numberOf("300 px", { unit: "mm", ppi: 300 })), "25.4");
  assert.equal(numberOf("40 %", { unit: "%" }), 40);
  assert.equal(numberOf("15°", { unit: "degrees" }), 15);
});

test("what is no number, or in a unit that does not fit, is none", () => {
  for (const text of ["", "  ", "abc", "1 +", "(1", "1)", "2 2", "1/0", "3 kg"]) {
    assert.ok(Number.isNaN(numberOf(text)), text);
  }
  assert.ok(Number.isNaN(numberOf("3 cm", { unit: "°" })));
  assert.ok(Number.isNaN(numberOf("10 %", { unit: "px" })));
});
