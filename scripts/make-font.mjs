// A font of our own for the tide table: digits and a colon built from seven bars, as TrueType and WOFF2 bytes.
import { brotliCompressSync, constants } from 'node:zlib';

const UNITS = 1000;
const [LEFT, RIGHT, BASE, TOP, THICK] = [90, 510, 0, 700, 96];
const MIDDLE = (BASE + TOP) / 2;
const H = (y) => [LEFT, y, RIGHT, y + THICK];
const V = (x, from, to) => [x, from, x + THICK, to];
const BARS = {
  a: H(TOP - THICK),
  g: H(MIDDLE - THICK / 2),
  d: H(BASE),
  f: V(LEFT, MIDDLE, TOP),
  b: V(RIGHT - THICK, MIDDLE, TOP),
  e: V(LEFT, BASE, MIDDLE),
  c: V(RIGHT - THICK, BASE, MIDDLE),
};
const DIGITS = ['abcdef', 'bc', 'abged', 'abgcd', 'fgbc', 'afgcd', 'afgcde', 'abc', 'abcdefg', 'abcdfg'];
const boxes = [
  [[LEFT, BASE, RIGHT, TOP]],
  ...DIGITS.map((bars) => [...bars].map((bar) => BARS[bar])),
  [
    [250, 130, 350, 230],
    [250, 470, 350, 570],
  ],
];

const u16 = (...values) => {
  const b = Buffer.alloc(values.length * 2);
  values.forEach((v, i) => b.writeUInt16BE(v & 0xffff, i * 2));
  return b;
};
const u32 = (...values) => {
  const b = Buffer.alloc(values.length * 4);
  values.forEach((v, i) => b.writeUInt32BE(v >>> 0, i * 4));
  return b;
};
const pad4 = (bytes) => Buffer.concat([bytes, Buffer.alloc((4 - (bytes.length % 4)) % 4)]);

function glyph(rects) {
  const xs = rects.flatMap(([a, , c]) => [a, c]);
  const ys = rects.flatMap(([, b, , d]) => [b, d]);
  const points = rects.flatMap(([x0, y0, x1, y1]) => [
    [x0, y0],
    [x0, y1],
    [x1, y1],
    [x1, y0],
  ]);
  const delta = (axis) => points.map((point, at) => point[axis] - (at ? points[at - 1][axis] : 0));
  return pad4(
    Buffer.concat([
      u16(rects.length, Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)),
      u16(...rects.map((_, at) => at * 4 + 3)),
      u16(0),
      Buffer.alloc(points.length, 1),
      u16(...delta(0)),
      u16(...delta(1)),
    ]),
  );
}

function tables() {
  const glyphs = boxes.map(glyph);
  const offsets = glyphs.reduce((list, { length }) => [...list, list.at(-1) + length], [0]);
  const count = glyphs.length;
  const points = Math.max(...boxes.map((rects) => rects.length * 4));
  const contours = Math.max(...boxes.map((rects) => rects.length));
  const name = (id, text) => [id, Buffer.from(text, 'utf16le').swap16()];
  const names = [
    name(1, 'Wendle Digits'),
    name(2, 'Regular'),
    name(3, 'Wendle Digits 1'),
    name(4, 'Wendle Digits'),
    name(5, 'Version 1.000'),
    name(6, 'WendleDigits'),
  ];
  let at = 0;
  const records = names.map(([id, text]) => {
    const record = u16(3, 1, 0x409, id, text.length, at);
    at += text.length;
    return record;
  });
  return {
    'OS/2': Buffer.concat([
      u16(3, 600, 400, 5, 0, 650, 600, 0, 75, 650, 600, 0, 350, 50, 300, 0),
      Buffer.alloc(10),
      u32(1, 0, 0, 0),
      Buffer.from('WNDL'),
      u16(64, 0x30, 0x3a, 800, -200, 0, 800, 200),
      u32(1, 0),
      u16(500, 700, 0, 0x30, 1),
    ]),
    cmap: Buffer.concat([
      u16(0, 1, 3, 1),
      u32(12),
      u16(4, 32, 0, 4, 4, 1, 0, 0x3a, 0xffff, 0, 0x30, 0xffff, 1 - 0x30, 1, 0, 0),
    ]),
    glyf: Buffer.concat(glyphs),
    head: Buffer.concat([
      u32(0x10000, 0x10000, 0, 0x5f0f3cf5),
      u16(3, UNITS),
      u32(0, 0xe0000000, 0, 0xe0000000),
      u16(LEFT, BASE, RIGHT, TOP, 0, 8, 2, 1, 0),
    ]),
    hhea: Buffer.concat([u32(0x10000), u16(800, -200, 0, 600, 90, 90, 510, 1, 0, 0, 0, 0, 0, 0, 0, count)]),
    hmtx: u16(...boxes.flatMap((rects) => [600, Math.min(...rects.map(([x]) => x))])),
    loca: u32(...offsets),
    maxp: Buffer.concat([u32(0x10000), u16(count, points, contours, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0)]),
    name: Buffer.concat([
      u16(0, names.length, 6 + names.length * 12),
      ...records,
      ...names.map(([, text]) => text),
    ]),
    post: Buffer.concat([u32(0x30000, 0), u16(-100, 50), u32(1, 0, 0, 0, 0)]),
  };
}

const checksum = (bytes) => {
  let sum = 0;
  const padded = pad4(bytes);
  for (let at = 0; at < padded.length; at += 4) sum = (sum + padded.readUInt32BE(at)) >>> 0;
  return sum;
};

export function makeTrueType() {
  const made = tables();
  const tags = Object.keys(made);
  let offset = 12 + tags.length * 16;
  const records = tags.map((tag) => {
    const bytes = made[tag];
    const record = Buffer.concat([Buffer.from(tag), u32(checksum(bytes), offset, bytes.length)]);
    offset += pad4(bytes).length;
    return record;
  });
  const font = Buffer.concat([
    u32(0x10000),
    u16(tags.length, 128, 3, tags.length * 16 - 128),
    ...records,
    ...tags.map((tag) => pad4(made[tag])),
  ]);
  const headAt = 12 + tags.indexOf('head') * 16;
  font.writeUInt32BE((0xb1b0afba - checksum(font)) >>> 0, font.readUInt32BE(headAt + 8) + 8);
  return font;
}

const KNOWN = [
  'cmap',
  'head',
  'hhea',
  'hmtx',
  'maxp',
  'name',
  'OS/2',
  'post',
  'cvt ',
  'fpgm',
  'glyf',
  'loca',
];
const base128 = (value) => {
  const out = [value & 0x7f];
  for (let rest = value >>> 7; rest; rest >>>= 7) out.unshift((rest & 0x7f) | 0x80);
  return Buffer.from(out);
};

/** WOFF2 with null transforms: the tables as they are, in one Brotli stream. */
export function makeWoff2(font) {
  const count = font.readUInt16BE(4);
  const entries = Array.from({ length: count }, (_, at) => ({
    tag: font.toString('latin1', 12 + at * 16, 16 + at * 16),
    offset: font.readUInt32BE(20 + at * 16),
    length: font.readUInt32BE(24 + at * 16),
  }));
  const directory = Buffer.concat(
    entries.map(({ tag, length }) =>
      Buffer.concat([
        Buffer.from([KNOWN.indexOf(tag) | (tag === 'glyf' || tag === 'loca' ? 0xc0 : 0)]),
        base128(length),
      ]),
    ),
  );
  const data = brotliCompressSync(
    Buffer.concat(entries.map(({ offset, length }) => font.subarray(offset, offset + length))),
    { params: { [constants.BROTLI_PARAM_MODE]: constants.BROTLI_MODE_FONT } },
  );
  const head = Buffer.alloc(48);
  head.write('wOF2');
  head.writeUInt32BE(0x10000, 4);
  head.writeUInt16BE(count, 12);
  head.writeUInt32BE(font.length, 16);
  head.writeUInt32BE(data.length, 20);
  head.writeUInt16BE(1, 24);
  const whole = pad4(Buffer.concat([head, directory, data]));
  whole.writeUInt32BE(whole.length, 8);
  return whole;
}
