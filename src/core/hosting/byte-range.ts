/** Range requests (RFC 9110 section 14). */
import parseRange from 'range-parser';

/** Both ends included, as in Content-Range. */
export interface ByteRange {
  readonly start: number;
  readonly end: number;
}

export type RangeVerdict = ByteRange | 'whole' | 'unsatisfiable';

/**
 * One range is honoured, as are several that join into one; several apart are answered whole, which section
 * 14.2 allows and bucket hosts do. An unknown unit or a malformed header is ignored.
 */
export function decideRange(header: string | undefined, size: number): RangeVerdict {
  if (header === undefined || !/^bytes=/i.test(header)) return 'whole';
  const only = ONE.exec(header);
  if (only) {
    const [start, end] = [Number(only[1]), Number(only[2])];
    if (start <= end && start < size) return { start, end: Math.min(end, size - 1) };
  }
  const specs: string[] = [];
  // One element after the other, since a pattern over the whole list takes exponential time on a hostile one.
  for (const element of header.slice('bytes='.length).split(',')) {
    const spec = element.trim();
    if (spec === '') continue;
    const match = /^(\d*)-(\d*)$/.exec(spec);
    const [, first = '', last = ''] = match ?? [];
    if (!match || (first === '' && last === '')) return 'whole';
    // A range whose end comes before its start is invalid, which is not the same as unsatisfiable.
    if (first !== '' && last !== '' && Number(first) > Number(last)) return 'whole';
    // A suffix of some length is satisfiable, of nothing too, of which there is no part to send.
    if (first === '' && size === 0 && Number(last) > 0) return 'whole';
    // A suffix that is longer than the object is the whole of it (section 14.1.2).
    specs.push(first === '' ? `-${Math.min(Number(last), size)}` : spec);
  }
  if (specs.length === 0) return 'whole';
  const ranges = parseRange(size, `bytes=${specs.join(',')}`, { combine: true });
  if (ranges === -1) return 'unsatisfiable';
  if (ranges === -2) return 'whole';
  const joined = ranges.length === 1 ? ranges[0] : undefined;
  return joined ? { start: joined.start, end: joined.end } : 'whole';
}

/** What nearly everybody sends. */
const ONE = /^bytes=(\d{1,15})-(\d{1,15})$/i;
