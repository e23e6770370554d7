/** The serial of a zone: secondaries fetch the zone when it is greater than theirs (RFC 1982). */
import { formatDay } from '../words/moments.js';
import type { ZoneRecord } from './zone-file.js';

/** Twice a day for two thousand years. */
const DATED = /^(?:19|20|21)\d{2}(?:0[1-9]|1[0-2])(?:0[1-9]|[12]\d|3[01])\d{2}$/;
const MAX_SERIAL = 2 ** 32 - 1;

/**
 * The next serial, in the form that it has: a date and two digits, or a number that grows by one.
 * @param now milliseconds since the epoch
 */
export function nextSerial(serial: number, now: number): number {
  const today = Number(`${formatDay(now).replaceAll('-', '')}00`);
  if (DATED.test(String(serial)) && serial < today) return today;
  return serial >= MAX_SERIAL ? 1 : serial + 1;
}

/** Raises the serial of an SOA where it stands in its lines; every other letter stays. */
export function raiseSerial(lines: string[], { line, lastLine, isContinued }: ZoneRecord, now: number): void {
  // Its owner may be called so too.
  let words = isContinued ? -1 : -2;
  for (let at = line - 1; at < lastLine; at++) {
    const text = lines[at] ?? '';
    for (const { 0: word, index } of (text.split(';', 1)[0] ?? '').matchAll(/[^\s()]+/g)) {
      if (words < 0) {
        if (words === -2) words = -1;
        else if (word.toUpperCase() === 'SOA') words = 0;
        continue;
      }
      // The servers' name and the mail address stand before it.
      if (++words < 3) continue;
      if (/^\d{1,10}$/.test(word))
        lines[at] =
          text.slice(0, index) + String(nextSerial(Number(word), now)) + text.slice(index + word.length);
      return;
    }
  }
}
