// How copies lie, and how the one tile is marked among them; for every cloth that is shown.

// Every copy that touches a view (left, top, right, bottom, px of the tile) under the vectors a and b, one of which is level
// or upright: whole numbers of the vectors, and where the copy begins.
/** @param {number[]} a  @param {number[]} b  @param {number[]} view */
export function lattice([ax, ay], [bx, by], view) {
  const out = [];
  const add = (i, j) => {
    const [x, y] = [i * ax + j * bx, i * ay + j * by];
    if (x + ax > view[0] && x < view[2] && y + by > view[1] && y < view[3]) out.push({ i, j, x, y });
  };
  if (bx) {
    for (let j = Math.floor(view[1] / by); j * by < view[3]; j += 1) {
      for (let i = Math.floor((view[0] - j * bx) / ax); i * ax + j * bx < view[2]; i += 1) add(i, j);
    }
  } else {
    for (let i = Math.floor(view[0] / ax); i * ax < view[2]; i += 1) {
      for (let j = Math.floor((view[1] - i * ay) / by); j * by + i * ay < view[3]; j += 1) add(i, j);
    }
  }
  return out;
}

// The vectors by which a tile repeats.
/** @param {number[]} size  @returns {[number[], number[]]} */
export function basisOf([w, h], repeat, moved) {
  return [
    [w, repeat === "half-drop" ? moved : 0],
    [repeat === "brick" ? moved : 0, h],
  ];
}

// The whole vector that brings a place nearest to the first copy.
/** @param {number[]} a  @param {number[]} b  @param {number} x  @param {number} y */
export function homeOf([ax, ay], [bx, by], x, y) {
  if (bx) {
    const j = Math.floor(y / by);
    return [j * bx + Math.floor((x - j * bx) / ax) * ax, j * by];
  }
  const i = Math.floor(x / ax);
  return [i * ax, i * ay + Math.floor((y - i * ay) / by) * by];
}

// Marks at the corners of the one tile.
/** @param {CanvasRenderingContext2D} context  @param {number[]} from  @param {number[]} to */
export function drawCorners(context, [x0, y0], [x1, y1]) {
  const arm = 22;
  for (const [style, width] of /** @type {[string, number][]} */ ([
    ["#ffffff", 4],
    ["#1c1e21", 1.5],
  ])) {
    context.strokeStyle = style;
    context.lineWidth = width;
    context.beginPath();
    for (const [x, y, dx, dy] of [
      [x0, y0, 1, 1],
      [x1, y0, -1, 1],
      [x0, y1, 1, -1],
      [x1, y1, -1, -1],
    ]) {
      context.moveTo(x - dx * 8, y);
      context.lineTo(x + dx * arm, y);
      context.moveTo(x, y - dy * 8);
      context.lineTo(x, y + dy * arm);
    }
    context.stroke();
  }
}
