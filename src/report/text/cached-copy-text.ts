/** For how long an answer is used without asking, and what a browser still shows of an old one, in words. */
import { formatWhen } from '../../core/words/moments.js';
import type { Decider } from '../../core/caching/freshness.js';
import type { FrontUse } from '../../core/caching/front-use.js';
import { NOT_KEPT } from '../../core/caching/cache-status.js';
import type { SharedDecider } from '../../core/caching/shared-freshness.js';
import type { HeldCopy, Usable } from '../../core/visiting/held-copy.js';
import { roughly } from './request-reason-text.js';

/** The header that decides. */
const BY: Readonly<Record<Decider, string>> = {
  'no-store': 'Cache-Control: no-store',
  'no-cache': 'Cache-Control: no-cache',
  pragma: 'Pragma: no-cache',
  vary: 'Vary: *',
  'max-age': 'max-age',
  expires: 'Expires',
  heuristic: 'no header, so a tenth of the time since it last changed',
  status: 'its status alone',
  none: 'no header',
};

/** @param now milliseconds since the epoch */
export function describeUsable({ until, by }: Usable, now: number): string {
  if (until === undefined)
    return by === 'no-store'
      ? `A browser keeps nothing of it and fetches it each time (${BY[by]}).`
      : `A browser that loads it now asks again before each use (${BY[by]}).`;
  if (until === Infinity) return `A browser that loads it now uses it without asking for ever (${BY[by]}).`;
  return `A browser that loads it now may use it without asking for ${roughly((until - now) / 1000)}, until ${formatWhen(until)} (${BY[by]}).`;
}

export function describeHeld({ release, loadedAt, state, until, by, isPage }: HeldCopy): string {
  const who = `A browser that loaded release ${release} as late as ${formatWhen(loadedAt)}`;
  const reason = by === undefined ? '' : ` (${BY[by]})`;
  switch (state) {
    case 'same':
      return `${who} has what is published now.`;
    case 'gone':
      return `${who} found nothing there to keep.`;
    case 'asked':
      return `${who} asks before it uses that again${reason}, and gets what is published now.`;
    case 'shown': {
      const end = until === undefined || until === Infinity ? 'for ever' : `until ${formatWhen(until)}`;
      const cure = isPage
        ? 'A reload of the page fetches the new one'
        : 'A reload asks for the page and not for this; a forced reload fetches it';
      const wait = until === Infinity ? '' : `, and so does any visit after ${end.replace('until ', '')}`;
      return `${who} still shows the old one ${end}: it uses it without asking${reason}. ${cure}${wait}.`;
    }
  }
}

/** What decides for a cache that serves everybody. */
const FRONT_BY: Readonly<Record<SharedDecider, string>> = {
  's-maxage': 's-maxage',
  'max-age': 'max-age',
  expires: 'Expires',
  heuristic: 'no header, so a tenth of the time since it last changed',
  'no-cache': 'no-cache',
  vary: 'Vary: *',
  none: 'no header',
};

/** What the front does with an answer. */
export function describeFront({
  notKept,
  fresh,
  by,
  confirmable,
  staleWhileRevalidate: grace,
}: FrontUse): string {
  if (notKept !== undefined)
    return `The front keeps nothing of it, so the bucket is asked each time: ${NOT_KEPT[notKept]}.`;
  const then = confirmable ? 'the bucket only has to confirm it' : 'it is fetched anew';
  if (fresh <= 0) return `The front keeps it and asks before each use (${FRONT_BY[by]}): ${then}.`;
  const meanwhile = grace > 0 ? `, and for ${roughly(grace)} more while it asks behind` : '';
  return `The front answers everybody from its cache for ${roughly(fresh)} (${FRONT_BY[by]})${meanwhile}; after that ${then}.`;
}
