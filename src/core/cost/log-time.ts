/** The time of a line in the common log format: `10/Oct/2026:13:55:36 +0200`, from its bytes. */

/** Bytes that it takes. */
export const STAMP = 26;

const [SLASH, COLON, SPACE, PLUS, MINUS] = [0x2f, 0x3a, 0x20, 0x2b, 0x2d];
const MONTHS: ReadonlyMap<number, number> = new Map(
  ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'].map((name, at) => [
    packed(name.charCodeAt(0), name.charCodeAt(1), name.charCodeAt(2)),
    at,
  ]),
);

function packed(a: number, b: number, c: number): number {
  return (a << 16) | (b << 8) | c;
}

/** Each day is looked up once as long as its lines stand together. */
let [lastDay, lastStart] = [-1, NaN];

let [viewed, view]: [Uint8Array | undefined, DataView] = [undefined, new DataView(new ArrayBuffer(STAMP))];

/** The bytes of a buffer by more than one at a time. */
export function viewOf(bytes: Uint8Array): DataView {
  if (bytes !== viewed) {
    viewed = bytes;
    view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  }
  return view;
}

/** What was read last, eight bytes at a time: many lines are of the same second. */
let [lastA, lastB, lastC, lastD, lastTime] = [NaN, NaN, NaN, 0, NaN];

/** Milliseconds since the epoch; NaN where there is none. @param bytes that hold 26 bytes from `from` on */
export function parseLogTime(bytes: Uint8Array, from: number): number {
  if (from + STAMP > bytes.length) return NaN;
  const words = viewOf(bytes);
  const [a, b] = [words.getFloat64(from), words.getFloat64(from + 8)];
  const [c, d] = [words.getFloat64(from + 16), words.getUint16(from + 24)];
  if (b === lastB && c === lastC && a === lastA && d === lastD) return lastTime;
  [lastA, lastB, lastC, lastD] = [a, b, c, d];
  return (lastTime = readTime(bytes, from));
}

function readTime(bytes: Uint8Array, from: number): number {
  const at = (offset: number): number => bytes[from + offset] ?? 0;
  const digits = (offset: number, many: number): number => {
    let value = 0;
    for (let place = offset; place < offset + many; place++) {
      const digit = at(place) - 0x30;
      if (digit < 0 || digit > 9) return NaN;
      value = value * 10 + digit;
    }
    return value;
  };
  if (at(2) !== SLASH || at(6) !== SLASH || at(11) !== COLON || at(14) !== COLON) return NaN;
  if (at(17) !== COLON || at(20) !== SPACE || (at(21) !== PLUS && at(21) !== MINUS)) return NaN;
  const month = packed(at(3), at(4), at(5));
  const [day, year] = [digits(0, 2), digits(7, 4)];
  const [hours, minutes, seconds] = [digits(12, 2), digits(15, 2), digits(18, 2)];
  const [zoneHours, zoneMinutes] = [digits(22, 2), digits(24, 2)];
  // A second that was put in is the 60th.
  if (!(hours < 24 && minutes < 60 && seconds <= 60 && zoneHours < 24 && zoneMinutes < 60)) return NaN;
  const zone = (zoneHours * 60 + zoneMinutes) * (at(21) === MINUS ? -1 : 1);
  return startOf(year, month, day) + ((hours * 60 + minutes - zone) * 60 + seconds) * 1000;
}

/** Of a day that there is. */
function startOf(year: number, month: number, day: number): number {
  const key = (year * 32 + day) * 2 ** 24 + month;
  if (key === lastDay) return lastStart;
  const number = MONTHS.get(month);
  const start = number === undefined ? NaN : Date.UTC(year, number, day);
  lastDay = key;
  lastStart = new Date(start).getUTCDate() === day ? start : NaN;
  return lastStart;
}
