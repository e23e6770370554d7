/** The cache of one browser: what it asks for again, and what it uses as it is (RFC 9111, docs/visits.md). */
import {
  confirm,
  decideReuse,
  fieldOf,
  isConfirmable,
  isNeverStored,
  judge,
  type Decider,
  type Judged,
  type KeptAnswer,
} from '../caching/freshness.js';
import type { LoadUse, SiteAnswer, Wanted } from './page-load.js';

/**
 * How a page comes to be loaded. A `visit` is whatever is no reload: a link, a typed address, a new tab, a browser that
 * was closed meanwhile; `back` is by the history, where the whole page was not kept.
 */
export type VisitKind = 'visit' | 'reload' | 'forced' | 'back';

export type From = 'network' | 'revalidated' | 'cache';

/** Why a browser did what it did. */
export type Why =
  | { readonly what: 'first' }
  | { readonly what: 'fresh'; readonly left: number; readonly by: Decider }
  | { readonly what: 'grace' }
  | { readonly what: 'meanwhile' }
  | { readonly what: 'never-stored' }
  | { readonly what: 'stale'; readonly by: Decider; readonly conditional: boolean }
  | { readonly what: 'reload'; readonly conditional: boolean }
  | { readonly what: 'forced' }
  | { readonly what: 'back' }
  | { readonly what: 'apart' };

export interface Outcome {
  readonly from: From;
  /** On the wire; undefined where nothing was asked. */
  readonly status: number | undefined;
  /** Bytes of the answer, its head included. */
  readonly bytes: number;
  readonly why: Why;
}

/** An icon without others. */
const ALONE = { isFirst: true, isKept: true };

/** Seconds for which a browser does not look for an icon again, whatever its headers. */
const ICON_KEPT = 7 * 86_400;
/** Bytes that a browser reads of a film before somebody plays it, at the most. */
export const FILM_AHEAD = 2_300_000;

/** What is held, and what was made out of it once. */
class Held {
  #judged: Judged | undefined;

  constructor(readonly answer: KeptAnswer) {}

  get judged(): Judged {
    return (this.#judged ??= judge(this.answer));
  }
}

export class PrivateCache {
  readonly #kept: Map<string, Held>;
  readonly #icons: Map<string, number>;
  /** Icons that were looked for in vain since the browser was opened. */
  readonly #vain = new Set<string>();

  constructor(other?: PrivateCache) {
    this.#kept = new Map(other?.held);
    this.#icons = new Map(other?.icons);
  }

  get held(): ReadonlyMap<string, Held> {
    return this.#kept;
  }

  get icons(): ReadonlyMap<string, number> {
    return this.#icons;
  }

  /**
   * Loads one address.
   * @param now milliseconds since the epoch
   * @returns what happens on the wire, in order; nothing where a browser does not even look
   */
  load(
    {
      url: address,
      use,
      apart,
      ahead,
      tried = ALONE,
    }: Pick<Wanted, 'url' | 'use' | 'apart' | 'ahead' | 'tried'>,
    answer: SiteAnswer,
    how: VisitKind,
    now: number,
  ): readonly Outcome[] {
    // What is fetched ahead of a next page is no part of what is fetched anew.
    const kind = how === 'forced' && ahead ? 'visit' : how;
    if (apart) return [fetched(use, answer, { what: 'apart' })];
    // Documents in frames are kept apart from pages: browsers split their caches by it.
    const url = use === 'frame' ? `frame ${address}` : address;
    if (use === 'icon') {
      const known = this.#icons.get(url);
      const isKept = tried.isKept && known !== undefined && now - known < ICON_KEPT * 1000;
      // It is the first one alone that is fetched anew whatever is known of it.
      if (kind === 'forced' && isKept && !tried.isFirst) return [];
      if (kind !== 'forced' && (this.#vain.has(url) || (isKept && kind === 'visit') || kind === 'back'))
        return [];
      if (answer.status >= 400) this.#vain.add(url);
      else this.#icons.set(url, now);
    }
    // A browser that is told to fetch everything anew forgets what it looked for in vain.
    if (kind === 'forced' && use === 'page') this.#vain.clear();
    const kept = this.#kept.get(url);
    if (kind === 'forced') return [this.#fetch(url, use, answer, now, { what: 'forced' })];
    if (!kept) {
      const never = isNeverStored(answer.headers);
      return [this.#fetch(url, use, answer, now, { what: never ? 'never-stored' : 'first' })];
    }
    if (kind === 'back') return [{ from: 'cache', status: undefined, bytes: 0, why: { what: 'back' } }];
    if (kind === 'reload' && use === 'page') {
      const conditional = isConfirmable(kept.answer);
      return [this.#ask(url, use, answer, now, conditional, { what: 'reload', conditional })];
    }
    const reuse = decideReuse(kept.answer, now, use !== 'page' && use !== 'frame', kept.judged);
    if (reuse.kind === 'fresh')
      return [
        {
          from: 'cache',
          status: undefined,
          bytes: 0,
          why: { what: 'fresh', left: reuse.left, by: reuse.by },
        },
      ];
    if (reuse.kind === 'grace')
      return [
        { from: 'cache', status: undefined, bytes: 0, why: { what: 'grace' } },
        this.#ask(url, use, answer, now, isConfirmable(kept.answer), { what: 'meanwhile' }),
      ];
    const { conditional, by } = reuse;
    return [this.#ask(url, use, answer, now, conditional, { what: 'stale', by, conditional })];
  }

  /** Asks for what was kept: a 304 where it has not changed. */
  #ask(url: string, use: LoadUse, answer: SiteAnswer, now: number, conditional: boolean, why: Why): Outcome {
    const kept = this.#kept.get(url)?.answer;
    if (!kept || !conditional || !isSame(kept, answer)) return this.#fetch(url, use, answer, now, why);
    this.#keep(url, confirm(kept, answer.headers, now));
    return { from: 'revalidated', status: 304, bytes: answer.confirmedHead, why };
  }

  #fetch(url: string, use: LoadUse, answer: SiteAnswer, now: number, why: Why): Outcome {
    const { headers, status } = answer;
    this.#keep(url, { status, headers, at: now });
    return fetched(use, answer, why);
  }

  #keep(url: string, answer: KeptAnswer): void {
    if (isNeverStored(answer.headers)) this.#kept.delete(url);
    else this.#kept.set(url, new Held(answer));
  }
}

/** What comes whole from the network. */
function fetched(use: LoadUse, { headers, status, head, size }: SiteAnswer, why: Why): Outcome {
  const isFilm = use === 'media' && status === 200 && fieldOf(headers, 'Accept-Ranges') === 'bytes';
  return {
    from: 'network',
    // A film is asked for by its bytes, from the first on.
    status: isFilm ? 206 : status,
    bytes: head + (isFilm ? CONTENT_RANGE(size) + Math.min(size, FILM_AHEAD) : size),
    why,
  };
}

/** What the head of a 206 has more than that of a 200 to the same: the range, and the longer reason. */
const CONTENT_RANGE = (size: number): number =>
  `Content-Range: bytes 0-${size - 1}/${size}\r\n`.length + 'Partial Content'.length - 'OK'.length;

/** Whether what is kept is what the site still has, by its validators. */
function isSame(kept: KeptAnswer, { headers, status }: SiteAnswer): boolean {
  const tags = [kept.headers, headers].map((each) => fieldOf(each, 'ETag')?.replace(/^W\//, ''));
  if (tags[0] !== undefined || tags[1] !== undefined) return tags[0] === tags[1];
  const dates = [kept.headers, headers].map((each) => fieldOf(each, 'Last-Modified'));
  return kept.status === status && dates[0] !== undefined && dates[0] === dates[1];
}
