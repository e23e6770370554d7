/** Range as some hosts read it: each part by itself, several as `multipart/byteranges` (RFC 9110 section 14.6). */
import type { StoredObject } from '../site/site-object.js';
import type { ByteRange } from './byte-range.js';

/** More are refused as a whole. */
const MAX_PARTS = 50;
/** Neighbours that share bytes. */
const MAX_OVERLAPS = 2;

/** One part as it is written; such hosts take a plus sign before the first number. */
const PART = /^(?:\+?(\d+)-(\d*)|-(\d+))$/;

/** Which bytes are meant, in the order asked for. Spaces play no part; one that cannot be read makes all of them none. */
export function readRanges(header: string, size: number): readonly ByteRange[] | 'whole' | 'unsatisfiable' {
  const written = header.replaceAll(' ', '');
  if (!/^bytes=/i.test(written)) return 'whole';
  const ranges: ByteRange[] = [];
  const specs = written.slice('bytes='.length).split(',');
  for (const spec of specs) {
    const [, first, last = '', suffix] = PART.exec(spec) ?? [];
    if (suffix !== undefined) {
      if (Number(suffix) > 0) ranges.push({ start: Math.max(0, size - Number(suffix)), end: size - 1 });
      continue;
    }
    if (first === undefined || (last !== '' && Number(last) < Number(first))) return 'whole';
    if (Number(first) < size)
      ranges.push({ start: Number(first), end: last === '' ? size - 1 : Math.min(Number(last), size - 1) });
  }
  // Of nothing there is no part to send, and a suffix of it is all of it.
  if (size === 0 && specs.some((spec) => /^-0*[1-9]/.test(spec))) return 'whole';
  return ranges.length === 0 || asksTooMuch(ranges) ? 'unsatisfiable' : ranges;
}

/** Whether the same bytes are asked for again and again, or in many parts: an answer would be many times the object. */
function asksTooMuch(ranges: readonly ByteRange[]): boolean {
  const inOrder = [...ranges].sort((a, b) => a.start - b.start);
  const overlaps = inOrder.filter(({ start }, at) => start <= (inOrder[at - 1]?.end ?? -1)).length;
  return ranges.length > MAX_PARTS || overlaps > MAX_OVERLAPS;
}

export interface Multipart {
  readonly type: string;
  /** Bytes in all. */
  readonly length: number;
  /** What stands between the parts as it is, and parts of the object. */
  readonly parts: readonly (string | ByteRange)[];
}

/** @param type of the object, where it has one */
export function makeMultipart(
  { digest, size }: StoredObject,
  type: string | undefined,
  ranges: readonly ByteRange[],
): Multipart {
  const boundary = digest.slice(0, 32);
  const parts: (string | ByteRange)[] = [];
  for (const range of ranges) {
    const described = type === undefined ? '' : `Content-Type: ${type}\r\n`;
    parts.push(
      `--${boundary}\r\n${described}Content-Range: bytes ${range.start}-${range.end}/${size}\r\n\r\n`,
      range,
      '\r\n',
    );
  }
  parts.push(`--${boundary}--`);
  const length = parts.reduce(
    (sum, part) => sum + (typeof part === 'string' ? Buffer.byteLength(part) : part.end - part.start + 1),
    0,
  );
  return { type: `multipart/byteranges;boundary=${boundary}`, length, parts };
}
