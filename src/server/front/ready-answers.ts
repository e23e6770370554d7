/**
 * Answers from the front's cache as they were given just now. Until the next second of their age, and as long as nothing in
 * the cache changes, whoever asks the same without conditions of its own gets the very same.
 */
import type { Entry } from '../../core/caching/shared-cache.js';
import { QUALIFIERS } from '../../core/caching/request-fields.js';
import type { FrontAnswer } from './front-answer.js';

/** Headers of requests; only those that are looked at need be words. */
type Asking = Readonly<Record<string, string | readonly string[] | undefined>>;

interface Ready {
  readonly answer: FrontAnswer;
  readonly varies: readonly (readonly [name: string, value: string | undefined])[];
  readonly changes: number;
  /** Milliseconds since the epoch. */
  readonly from: number;
  readonly until: number;
}

/** What a visitor may say of the copy that it wants. */
const OWN_WISHES: readonly string[] = [...QUALIFIERS, 'if-range', 'cache-control', 'pragma'];

/** Of all hosts; beyond it all are let go of: they are made again by the next request. */
const MOST = 2000;

const isWithoutWishes = (headers: Asking): boolean => OWN_WISHES.every((name) => headers[name] === undefined);

export class ReadyAnswers {
  /** By authority and target, as they came. */
  readonly #ready = new Map<string, Map<string, Ready>>();
  #count = 0;

  /** @param changes of the cache by now @param now milliseconds since the epoch */
  find(
    authority: string,
    target: string,
    headers: Asking,
    changes: number,
    now: number,
  ): FrontAnswer | undefined {
    const ready = this.#ready.get(authority)?.get(target);
    if (ready === undefined || ready.changes !== changes || now < ready.from || now >= ready.until)
      return undefined;
    if (!isWithoutWishes(headers)) return undefined;
    for (const [name, value] of ready.varies) if (headers[name] !== value) return undefined;
    return ready.answer;
  }

  /** Keeps an answer that was made of an entry without any wishes of the visitor's. */
  keep(
    authority: string,
    target: string,
    headers: Asking,
    made: { readonly answer: FrontAnswer; readonly entry: Entry<Buffer>; readonly changes: number },
    now: number,
  ): void {
    if (!isWithoutWishes(headers)) return;
    if (this.#count >= MOST) {
      this.#ready.clear();
      this.#count = 0;
    }
    let own = this.#ready.get(authority);
    if (!own) this.#ready.set(authority, (own = new Map()));
    if (!own.has(target)) this.#count++;
    const { answer, entry, changes } = made;
    own.set(target, {
      answer,
      varies: Object.entries(entry.varies),
      changes,
      from: now,
      until: nextChange(entry, now),
    });
  }
}

/** When the age of an entry, or what is left of it, is another whole second. Milliseconds since the epoch. */
function nextChange({ born, freshness }: Entry<unknown>, now: number): number {
  const age = (now - born) / 1000;
  const left = freshness.lifetime - age;
  return born + 1000 * Math.min(Math.floor(age) + 1, freshness.lifetime - Math.floor(left));
}
