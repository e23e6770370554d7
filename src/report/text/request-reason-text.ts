/** Why a browser asks or does not, in words. */
import type { Decider } from '../../core/caching/freshness.js';
import type { Why } from '../../core/visiting/private-cache.js';

/** What a header says, where it is the reason for asking. */
const ASKS: Readonly<Record<Decider, string>> = {
  'no-store': 'it may not be kept',
  'no-cache': 'no-cache asks every time',
  pragma: 'Pragma: no-cache asks every time',
  vary: 'Vary: * fits no second request',
  'max-age': 'its max-age is over',
  expires: 'its Expires date is past',
  heuristic: 'no header says how long, and a tenth of its age is over',
  status: 'its status is kept no longer',
  none: 'no header says how long it may be used',
};

/** What makes it fresh, where that is not plainly a lifetime. */
const FRESH: Readonly<Partial<Record<Decider, string>>> = {
  heuristic: ', a guess from Last-Modified',
  status: ', as its status is kept',
};

/** Seconds in the largest unit of which there is at least one: `29 days`. */
export function roughly(seconds: number): string {
  if (seconds === Infinity) return 'ever';
  const units = [
    ['year', 31_536_000],
    ['day', 86_400],
    ['hour', 3600],
    ['minute', 60],
  ] as const;
  for (const [name, length] of units)
    // What is nearly a whole one is one: ages are told in whole seconds.
    if (seconds >= length * 0.995) {
      const count = Math.round(seconds / length);
      return `${count} ${name}${count === 1 ? '' : 's'}`;
    }
  const count = Math.round(seconds);
  return `${count} second${count === 1 ? '' : 's'}`;
}

/** @param by which rule gave it its caching, where that is known */
export function describeWhy(why: Why, by: string | undefined): string {
  const rule = by === undefined ? '' : `, ${by}`;
  switch (why.what) {
    case 'first':
      return 'not kept yet';
    case 'fresh':
      return `fresh for ${roughly(why.left)} more${FRESH[why.by] ?? ''}${rule}`;
    case 'grace':
      return `stale, and used while it is asked for${rule}`;
    case 'meanwhile':
      return 'asked for behind the stale copy';
    case 'never-stored':
      return `never kept${rule}`;
    case 'stale':
      return `${ASKS[why.by]}${why.conditional ? '' : '; it has nothing to ask with'}${rule}`;
    case 'reload':
      return why.conditional
        ? 'a reload always asks for the page'
        : 'a reload asks, and it has nothing to ask with';
    case 'forced':
      return 'a forced reload fetches everything anew';
    case 'apart':
      return 'a frame with a sandbox keeps nothing';
    case 'back':
      return 'the way back uses whatever is kept';
  }
}
