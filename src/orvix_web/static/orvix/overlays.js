// What readings and spots draw over a cloth: full in the one tile, faint in its copies; cool with a white edge.

const COOL = "#1b5e80";

function edged(context, width, draw) {
  for (const [style, extra] of [
    ["#ffffff", 2],
    [COOL, 0],
  ]) {
    context.strokeStyle = style;
    context.lineWidth = width + extra;
    context.beginPath();
    draw();
    context.stroke();
  }
}

function tag(context, words, x, y) {
  context.font = "600 12px Commissioner, sans-serif";
  const wide = context.measureText(words).width + 10;
  context.fillStyle = COOL;
  context.fillRect(x - wide / 2, y - 9, wide, 18);
  context.fillStyle = "#ffffff";
  context.textAlign = "center";
  context.textBaseline = "middle";
  context.fillText(words, x, y + 0.5);
}

// Circles at places of the tile: [{at: [x, y], radius, words, dashed}].
export function circles(spots) {
  return ({ context, zoom, copies, at }) => {
    for (const [left, top] of copies) {
      const own = left === 0 && top === 0;
      context.globalAlpha = own ? 1 : 0.4;
      for (const spot of spots) {
        const [x, y] = at(left + spot.at[0], top + spot.at[1]);
        context.setLineDash(spot.dashed ? [5, 4] : []);
        edged(context, own ? 2 : 1.2, () => context.arc(x, y, Math.max(spot.radius * zoom, 5), 0, 2 * Math.PI));
        context.setLineDash([]);
        const r = spot.radius * zoom;
        if (own && spot.words) tag(context, spot.words, x, r > 26 ? y : y - Math.max(r, 5) - 11);
      }
      context.globalAlpha = 1;
    }
  };
}

// Lines along the direction that leads, through the corner of every copy.
export function rowLines(angle) {
  return ({ context, copies, at }) => {
    const turn = (-angle * Math.PI) / 180;
    const reach = 4000;
    for (const [left, top] of copies) {
      const [x, y] = at(left, top);
      context.globalAlpha = left === 0 && top === 0 ? 1 : 0.45;
      edged(context, 1.5, () => {
        context.moveTo(x - reach * Math.cos(turn), y - reach * Math.sin(turn));
        context.lineTo(x + reach * Math.cos(turn), y + reach * Math.sin(turn));
      });
    }
    context.globalAlpha = 1;
  };
}

// How much of each box is covered, hatched the denser the more; it does not tint the picture.
export function coverMap(map) {
  return ({ context, copies, at, size: [w, h] }) => {
    for (const [left, top] of copies) {
      if (left !== 0 || top !== 0) continue;
      map.forEach((line, row) =>
        line.forEach((share, column) => {
          const [x0, y0] = at(left + (column * w) / line.length, top + (row * h) / map.length);
          const [x1, y1] = at(left + ((column + 1) * w) / line.length, top + ((row + 1) * h) / map.length);
          context.save();
          context.beginPath();
          context.rect(x0, y0, x1 - x0, y1 - y0);
          context.clip();
          const gap = 26 - 22 * share;
          if (share > 0.02) {
            edged(context, 1, () => {
              for (let d = x0 - (y1 - y0); d < x1; d += gap) {
                context.moveTo(d, y1);
                context.lineTo(d + (y1 - y0), y0);
              }
            });
          }
          context.restore();
          edged(context, 0.8, () => context.rect(x0, y0, x1 - x0, y1 - y0));
          if (x1 - x0 > 44) tag(context, `${Math.round(100 * share)} %`, (x0 + x1) / 2, (y0 + y1) / 2);
        }),
      );
    }
  };
}
