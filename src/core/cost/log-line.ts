/** One line of an access log, from its bytes: common, combined, or our own JSON lines. */
import { parseLogTime, STAMP } from './log-time.js';

export interface LoggedRequest {
  readonly method: string;
  /** Without its query. */
  readonly path: string;
  readonly status: number;
  /** Of the body. */
  readonly bytes: number;
  /** Milliseconds since the epoch; NaN where the line does not say it. */
  readonly at: number;
  /** Whether it was made by a program that says so. */
  readonly isRobot: boolean;
}

const [QUOTE, SPACE, BRACKET, DASH, BACKSLASH, QUERY] = [0x22, 0x20, 0x5b, 0x2d, 0x5c, 0x3f];
const [BRACE, RETURN] = [0x7b, 0x0d];
const MAX_PATH = 1024;
/** No body is larger. Bytes. */
const MAX_BYTES = 2 ** 50;

/**
 * @param bytes a buffer that holds the line from `from` to `end`
 * @returns undefined where it is no such line
 */
export function parseLogLine(bytes: Buffer, from: number, end: number): LoggedRequest | undefined {
  if (bytes[from] === BRACE) return parseJsonLine(bytes.toString('utf8', from, end));
  const open = find(bytes, QUOTE, from, end);
  if (open < 0) return undefined;
  let close = find(bytes, QUOTE, open + 1, end);
  while (close > 0 && bytes[close - 1] === BACKSLASH) close = find(bytes, QUOTE, close + 1, end);
  if (close < 0) return undefined;
  const space = find(bytes, SPACE, open + 1, close);
  if (space < 0) return undefined;
  let pathEnd = space + 1;
  for (; pathEnd < close; pathEnd++) if (bytes[pathEnd] === SPACE || bytes[pathEnd] === QUERY) break;
  const status = number(bytes, close + 2, end);
  if (status < 100 || status > 999) return undefined;
  const size = number(bytes, close + 6, end);
  if (size > MAX_BYTES) return undefined;
  return {
    // Nearly all are this one, and a text for each takes time.
    method:
      space === open + 4 && bytes[open + 1] === 0x47 ? 'GET' : bytes.toString('latin1', open + 1, space),
    path: bytes.toString('latin1', space + 1, Math.min(pathEnd, space + 1 + MAX_PATH)),
    status,
    bytes: size < 0 ? 0 : size,
    at: timeOf(bytes, from, open),
    isRobot: isRobot(bytes, close, end),
  };
}

/** Where a byte is in a line; -1 where it is not. What lies behind the line is never looked through. */
function find(bytes: Buffer, byte: number, from: number, end: number): number {
  for (let at = from; at < end; at++) if (bytes[at] === byte) return at;
  return -1;
}

/** A whole number; 0 for a dash, -1 where there is none. */
function number(bytes: Buffer, from: number, end: number): number {
  if (bytes[from] === DASH) return 0;
  let value = 0;
  let at = from;
  for (; at < end; at++) {
    const digit = (bytes[at] ?? 0) - 0x30;
    if (digit < 0 || digit > 9) break;
    value = value * 10 + digit;
  }
  return at === from ? -1 : value;
}

function timeOf(bytes: Buffer, from: number, before: number): number {
  const open = find(bytes, BRACKET, from, before);
  return open < 0 || open + STAMP >= before ? NaN : parseLogTime(bytes, open + 1);
}

/** What a program says that looks at sites for others: a word for what it is, or where one reads about it. */
const ROBOT = /bot|crawl|spider|:\/\//i;
/** Of few different programs, by a sum of what they say. */
const robots = new Map<number, boolean>();
const MAX_ROBOTS = 10_000;

/** Of the combined format, whose last field in quotes says which program asked. */
function isRobot(bytes: Buffer, after: number, end: number): boolean {
  let last = end - 1;
  while (last > after && (bytes[last] === RETURN || bytes[last] === SPACE)) last--;
  if (last <= after || bytes[last] !== QUOTE) return false;
  let sum = 0;
  let at = last - 1;
  for (; at > after && bytes[at] !== QUOTE; at--) sum = (sum * 31 + (bytes[at] ?? 0)) | 0;
  const known = robots.get(sum);
  if (known !== undefined) return known;
  if (robots.size >= MAX_ROBOTS) robots.clear();
  const is = ROBOT.test(bytes.toString('latin1', at + 1, last));
  robots.set(sum, is);
  return is;
}

const isWhole = (value: unknown, from: number, to: number): value is number =>
  Number.isInteger(value) && (value as number) >= from && (value as number) <= to;

/** NaN for what is no time. */
const readTime = (at: unknown): number =>
  new Date(typeof at === 'string' || typeof at === 'number' ? at : NaN).getTime();

/** A line of `serve --log`. */
function parseJsonLine(text: string): LoggedRequest | undefined {
  try {
    const { method, target, path, status, bytes, sent, at } = JSON.parse(text) as Readonly<
      Record<string, unknown>
    >;
    const asked = String(target ?? path ?? '');
    const size = Number(sent ?? bytes ?? 0);
    if (typeof method !== 'string' || asked === '') return undefined;
    if (!isWhole(status, 100, 999) || !isWhole(size, 0, MAX_BYTES)) return undefined;
    return {
      method,
      path: asked.replace(/[?#].*/s, '').slice(0, MAX_PATH),
      status,
      bytes: size,
      at: readTime(at),
      isRobot: false,
    };
  } catch {
    return undefined;
  }
}
