/** One line of an access log, from its bytes: common, combined, or our own JSON lines. */
import { parseLogTime, STAMP, viewOf } from './log-time.js';

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
const [BRACE, RETURN, CLOSING] = [0x7b, 0x0d, 0x5d];
const MAX_PATH = 1024;
/** No body is larger. Bytes. */
const MAX_BYTES = 2 ** 50;

/**
 * @param bytes a buffer that holds the line from `from` to `end`
 * @returns undefined where it is no such line
 */
export function parseLogLine(bytes: Buffer, from: number, end: number): LoggedRequest | undefined {
  if (bytes[from] === BRACE) return parseJsonLine(bytes.toString('utf8', from, end));
  const bracket = findBracket(bytes, from, end);
  const behind = bracket + STAMP + 3;
  const open = bracket >= 0 && bytes[behind] === QUOTE ? behind : find(bytes, QUOTE, from, end);
  if (open < 0) return undefined;
  let [space, pathEnd, close] = [-1, -1, open + 1];
  for (; close < end; close++) {
    const byte = bytes[close];
    if (byte === QUOTE && bytes[close - 1] !== BACKSLASH) break;
    if (byte === SPACE && space < 0) space = close;
    else if ((byte === SPACE || byte === QUERY) && space >= 0 && pathEnd < 0) pathEnd = close;
  }
  if (close >= end || space < 0) return undefined;
  if (pathEnd < 0) pathEnd = close;
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
    at: bracket < 0 || bracket + STAMP >= open ? NaN : parseLogTime(bytes, bracket + 1),
    isRobot: isRobot(bytes, close, end),
  };
}

/** How far into its line the last time was: most addresses of visitors are as long as others. */
let lastBracket = 0;

/** Where the time of a line begins; -1 where it has none. */
function findBracket(bytes: Buffer, from: number, end: number): number {
  const guess = from + lastBracket;
  const isThere = guess + STAMP < end && bytes[guess] === BRACKET && bytes[guess + STAMP + 3] === QUOTE;
  if (isThere && bytes[guess - 1] === SPACE && bytes[guess + STAMP + 1] === CLOSING) return guess;
  const at = find(bytes, BRACKET, from, end);
  if (at >= 0) lastBracket = at - from;
  return at;
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

/** What a program says that looks at sites for others: a word for what it is, or where one reads about it. */
const ROBOT = /bot|crawl|spider|:\/\//i;
const QUOTES = 0x22222222;
/** Of few different programs, by a sum of what they say. */
const robots = new Map<number, boolean>();
const MAX_ROBOTS = 10_000;

/** Of the combined format, whose last field in quotes says which program asked. */
function isRobot(bytes: Buffer, after: number, end: number): boolean {
  let last = end - 1;
  while (last > after && (bytes[last] === RETURN || bytes[last] === SPACE)) last--;
  if (last <= after || bytes[last] !== QUOTE) return false;
  const view = viewOf(bytes);
  let sum = 0;
  let at = last - 4;
  // Four bytes at a time, as long as no quote is among them.
  for (; at > after; at -= 4) {
    const word = view.getInt32(at, true);
    const other = word ^ QUOTES;
    if (((other - 0x01010101) & ~other & 0x80808080) !== 0) break;
    sum = (Math.imul(sum, 31) + word) | 0;
  }
  for (at += 3; at > after && bytes[at] !== QUOTE; at--) sum = (Math.imul(sum, 31) + (bytes[at] ?? 0)) | 0;
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
