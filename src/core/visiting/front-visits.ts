/** What of visits reaches the bucket where a cache for everybody stands before it. */
import { SharedCache, type FrontRequest } from '../caching/shared-cache.js';
import type { SiteAnswer } from './page-load.js';
import type { Visit } from './run-visits.js';
import type { KnownLoad, VisitedResponse } from './visit.js';

export interface FrontCount {
  /** Requests that the front gets. */
  readonly requests: number;
  /** Of them those that the bucket gets too. */
  readonly reached: number;
  /** Of those the ones that it only confirms. */
  readonly confirmed: number;
  /** Bytes that the bucket sends. */
  readonly bytes: number;
}

export interface FrontVisits {
  /** One for each visit: the front has seen nobody but this visitor. */
  readonly visits: readonly FrontCount[];
  /** Somebody else's first visit, right after this one's. */
  readonly next: FrontCount;
}

const NOBODY: FrontCount = { requests: 0, reached: 0, confirmed: 0, bytes: 0 };

/** @param at when the first visit is: milliseconds since the epoch @param visits with their single responses */
export function countFront(visits: readonly Visit[], loads: readonly KnownLoad[], at: number): FrontVisits {
  const answers = new Map<string, SiteAnswer>();
  for (const { load, answers: own } of loads)
    for (const { url } of load.wanted) {
      const answer = answers.has(url) ? undefined : own.get(url);
      if (answer) answers.set(url, answer);
    }
  // A return follows on the first visit alone, so each has a front of its own that has seen that one.
  const seen = (): SharedCache<undefined> => {
    const cache = new SharedCache<undefined>(Infinity, Infinity);
    for (const response of visits[0]?.responses ?? []) pass(cache, response, answers, at);
    return cache;
  };
  const count = (cache: SharedCache<undefined>, visit: Visit | undefined, now: number): FrontCount =>
    (visit?.responses ?? []).reduce((sum, response) => add(sum, pass(cache, response, answers, now)), NOBODY);
  return {
    visits: visits.map((visit, number) =>
      number === 0
        ? count(new SharedCache<undefined>(Infinity, Infinity), visit, at)
        : count(seen(), visit, at + visit.after * 1000),
    ),
    next: count(seen(), visits[0], at),
  };
}

const add = (a: FrontCount, b: FrontCount): FrontCount => ({
  requests: a.requests + b.requests,
  reached: a.reached + b.reached,
  confirmed: a.confirmed + b.confirmed,
  bytes: a.bytes + b.bytes,
});

/** One response of a visit, by the front. */
function pass(
  cache: SharedCache<undefined>,
  { url, from, why }: VisitedResponse,
  answers: ReadonlyMap<string, SiteAnswer>,
  now: number,
): FrontCount {
  const answer = answers.get(url);
  // What the browser has itself, or another host gives, the front never hears of.
  if (from === 'cache' || !answer) return NOBODY;
  const forced = why.what === 'forced';
  const request: FrontRequest = {
    method: 'GET',
    url,
    headers: forced ? { 'cache-control': 'no-cache' } : {},
  };
  const look = cache.look(request, now);
  if (look.kind === 'hit' || look.kind === 'grace') return { ...NOBODY, requests: 1 };
  const isConfirmed = look.kind === 'ask' && Object.keys(look.conditions).length > 0;
  const came = isConfirmed
    ? { status: 304, headers: answer.headers, body: undefined, bytes: 0 }
    : { status: answer.status, headers: answer.headers, body: undefined, bytes: answer.size };
  cache.take(request, look, came, now);
  return {
    requests: 1,
    reached: 1,
    confirmed: isConfirmed ? 1 : 0,
    bytes: isConfirmed ? answer.confirmedHead : answer.head + answer.size,
  };
}
