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
  if (!/^bytes=\s*(?:\d+-\d*|-\d+)(?:\s*,\s*(?:\d+-\d*|-\d+)?)*\s*$/i.test(header)) return 'whole';
  // A range whose end comes before its start is invalid, which is not the same as unsatisfiable.
  if ([...header.matchAll(/(\d+)-(\d+)/g)].some(([, start, end]) => Number(start) > Number(end)))
    return 'whole';
  const ranges = parseRange(size, header.toLowerCase(), { combine: true });
  if (ranges === -1) return 'unsatisfiable';
  if (ranges === -2) return 'whole';
  const only = ranges.length === 1 ? ranges[0] : undefined;
  return only ? { start: only.start, end: only.end } : 'whole';
}
