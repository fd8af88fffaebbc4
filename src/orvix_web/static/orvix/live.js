// The octets of the live connection, as docs/formats/live.md says. Nothing is computed here.

export const KIND = {
  view: 1,
  begin: 2,
  samples: 3,
  end: 4,
  undo: 5,
  redo: 6,
  ack: 7,
  drop: 8,
  ask: 9,
  edit: 10,
  hover: 11,
  pixels: 0x81,
  told: 0x82,
  answer: 0x83,
};

const text = new TextEncoder();
const words = new TextDecoder();

export function frame(kind, size, fill) {
  const buffer = new ArrayBuffer(1 + size);
  const data = new DataView(buffer);
  data.setUint8(0, kind);
  if (fill) fill(data);
  return buffer;
}

export function jsonFrame(kind, told, head = 0, fill = null) {
  const body = text.encode(JSON.stringify(told));
  const out = new Uint8Array(1 + head + body.length);
  out[0] = kind;
  if (fill) fill(new DataView(out.buffer));
  out.set(body, 1 + head);
  return out.buffer;
}

export function readTold(buffer) {
  return JSON.parse(words.decode(new Uint8Array(buffer, 1)));
}

// An update: {update, level, stamp, rects: [{left, top, width, height, pixels}]}, all in px of the level.
export function readPixels(buffer) {
  const data = new DataView(buffer);
  const count = data.getUint16(7, true);
  const told = { update: data.getUint32(1, true), level: data.getUint8(5), stamp: data.getFloat64(9, true), rects: [] };
  let at = 17;
  for (let n = 0; n < count; n += 1) {
    const rect = {
      left: data.getInt32(at, true),
      top: data.getInt32(at + 4, true),
      width: data.getUint32(at + 8, true),
      height: data.getUint32(at + 12, true),
    };
    at += 16;
    const octets = rect.width * rect.height * 4;
    rect.pixels = new Uint8ClampedArray(buffer, at, octets);
    at += octets;
    told.rects.push(rect);
  }
  return told;
}

export function readAnswer(buffer) {
  const data = new DataView(buffer);
  const size = data.getUint32(5, true);
  const rest = buffer.byteLength - 9 - size;
  return {
    id: data.getUint32(1, true),
    facts: JSON.parse(words.decode(new Uint8Array(buffer, 9, size))),
    pixels: rest ? new Uint8ClampedArray(buffer, 9 + size, rest) : null,
  };
}
