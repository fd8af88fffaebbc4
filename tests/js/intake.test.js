// Which field takes a file, by its type or its ending.
import assert from "node:assert/strict";
import { test } from "node:test";
import { accepts } from "../../src/orvix_web/static/orvix/intake.js";

const PICTURES = "image/png,image/jpeg,image/webp,image/tiff";

test("a picture goes where pictures are taken", () => {
  assert.ok(accepts(PICTURES, { name: "wall.jpg", type: "image/jpeg" }));
  assert.ok(accepts("image/*", { name: "wall.jpg", type: "image/jpeg" }));
  assert.ok(!accepts(PICTURES, { name: "studio.zip", type: "application/zip" }));
  assert.ok(!accepts(PICTURES, { name: "wave.svg", type: "image/svg+xml" }));
});

test("a file whose type the system does not know goes by its ending", () => {
  assert.ok(accepts(".ora,image/openraster", { name: "Lid.ORA", type: "" }));
  assert.ok(accepts(PICTURES, { name: "wall.jpg", type: "" }));
  assert.ok(accepts(PICTURES, { name: "wall.tiff", type: "" }));
  assert.ok(!accepts(PICTURES, { name: "notes.txt", type: "" }));
  assert.ok(accepts(".zip,application/zip", { name: "studio.zip", type: "application/x-zip-compressed" }));
});
