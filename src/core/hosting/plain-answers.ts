/**
 * What was lately answered with whole objects. Most visitors ask plainly, with no condition and for no part; of such a
 * question its target alone decides, so who asks for it again is answered the same.
 */
import { QUALIFIERS } from '../caching/request-fields.js';
import type { Answer, WebRequest } from './answer.js';
import type { BucketView } from './bucket-view.js';
import { isUnusual, resolve } from './resolve.js';

/** Longer targets are answered anew: whoever makes them up by the thousand is to hold little memory. Characters. */
const MAX_TARGET = 512;

interface Kept {
  readonly answer: Answer;
  /** When it was asked for, in milliseconds since the epoch. */
  readonly at: number;
}

export class PlainAnswers {
  readonly #view: BucketView;
  readonly #most: number;
  readonly #kept = new Map<string, Kept>();

  /** @param most how many are kept at once */
  constructor(view: BucketView, most: number) {
    this.#view = view;
    this.#most = most;
  }

  /** The same as `resolve` without a trace. */
  resolve(request: WebRequest): Answer {
    const { at, target } = request;
    if (at === undefined || !this.#isPlain(request)) return resolve(request, this.#view);
    const known = this.#kept.get(target);
    // Where the clock has gone back, what is said of dates may be another thing.
    if (known && known.at <= at) return known.answer;
    const answer = resolve(request, this.#view);
    if (answer.status === 200 && answer.body.kind === 'object' && answer.body.object.since <= at) {
      if (this.#kept.size >= this.#most) this.#kept.clear();
      this.#kept.set(target, { answer, at });
    }
    return answer;
  }

  #isPlain({ method, target, headers }: WebRequest): boolean {
    // Where hosts have moved, the one that was asked decides too.
    if (method !== 'GET' || target.length > MAX_TARGET || this.#view.settings.movedHosts) return false;
    if (this.#view.settings.quirks.hostNames === 'as-written' && isUnusual(headers['host'])) return false;
    if (this.#view.settings.sharing && headers['origin'] !== undefined) return false;
    for (const name of QUALIFIERS) if (headers[name] !== undefined) return false;
    return true;
  }
}
