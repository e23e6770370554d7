/**
 * What the server sees of the store. Asking the database takes longer than all else about a small answer, so it is
 * asked a few hundred times a second at most; rows of the same release are kept between requests.
 */
import type { Answer, WebRequest } from '../core/hosting/answer.js';
import { SEEN_WITHIN, type BucketView } from '../core/hosting/bucket-view.js';
import type { HostVerdict, HostedName } from '../core/hosting/host.js';
import { PlainAnswers } from '../core/hosting/plain-answers.js';
import type { StoredObject } from '../core/site/site-object.js';
import type { Hosted, HostedBucket } from './hosted.js';

/** Rows of a release that are kept, unless told otherwise. */
const MAX_ROWS = 5_000;
const MAX_HOSTS = 1000;

interface Kept {
  readonly view: BucketView;
  readonly source: BucketView;
  readonly answers: PlainAnswers;
}

/** Thrown when a row is looked for in a release that is no longer the current one. */
class ViewChanged extends Error {}

export class ViewCache {
  readonly #hosted: Hosted;
  readonly #mostRows: number;
  readonly #kept = new Map<string, Kept>();
  /** When the store was last looked at, in milliseconds since the epoch. */
  #lookedAt = -Infinity;
  /** Whether that was in this turn of the event loop, in which what is read belongs to one state of the store. */
  #inTurn = false;
  #buckets: readonly HostedBucket[] | undefined;
  readonly #seen = new Map<string, Kept>();
  readonly #verdicts = new Map<
    string,
    { readonly verdict: HostVerdict; readonly view: BucketView | undefined }
  >();

  constructor(hosted: Hosted, mostRows = MAX_ROWS) {
    this.#hosted = hosted;
    this.#mostRows = mostRows;
  }

  /**
   * To be called for each request before anything else.
   * @param at now, in milliseconds since the epoch; a clock that was put back counts as time that went by
   */
  look(at: number): void {
    if (Math.abs(at - this.#lookedAt) >= SEEN_WITHIN) this.#lookNow();
  }

  /** Forgets what was seen in this turn, where something is known to have changed. */
  lookAgain(): void {
    this.#inTurn = false;
    this.#lookNow();
  }

  resolveHost(
    host: string | undefined,
    decide: (host: string | undefined, buckets: readonly HostedName[]) => HostVerdict,
  ): HostVerdict {
    const known = this.#verdicts.get(host ?? '');
    // As long as nothing about the bucket has changed, its names have not either.
    if (known?.view !== undefined && this.view(known.view.name) === known.view) return known.verdict;
    const verdict = decide(host, this.buckets());
    if (this.#verdicts.size >= MAX_HOSTS) this.#verdicts.clear();
    this.#verdicts.set(host ?? '', {
      verdict,
      view: verdict.kind === 'bucket' ? this.view(verdict.name) : undefined,
    });
    return verdict;
  }

  buckets(): readonly HostedBucket[] {
    if (!this.#buckets) {
      this.#lookNow();
      this.#buckets = this.#hosted.buckets();
    }
    return this.#buckets;
  }

  /**
   * Answers by one release of a bucket; from the start, by the new one, where another is published meanwhile. Undefined
   * when there is no such bucket.
   */
  answer(
    bucket: string,
    request: WebRequest,
  ): { readonly view: BucketView; readonly answer: Answer } | undefined {
    for (;;) {
      const known = this.#known(bucket);
      if (!known) return undefined;
      try {
        return { view: known.view, answer: known.answers.resolve(request) };
      } catch (error) {
        if (!(error instanceof ViewChanged)) throw error;
      }
    }
  }

  view(bucket: string): BucketView | undefined {
    return this.#known(bucket)?.view;
  }

  #known(bucket: string): Kept | undefined {
    const seen = this.#seen.get(bucket);
    if (seen) return seen;
    this.#lookNow();
    const source = this.#hosted.view(bucket);
    if (!source) return undefined;
    let kept = this.#kept.get(bucket);
    if (kept?.source !== source) {
      const view = this.#withRows(source);
      this.#kept.set(bucket, (kept = { view, source, answers: new PlainAnswers(view, this.#mostRows) }));
    }
    this.#seen.set(bucket, kept);
    return kept;
  }

  #lookNow(): void {
    if (this.#inTurn) return;
    this.#inTurn = true;
    setImmediate(() => (this.#inTurn = false));
    this.#lookedAt = Date.now();
    this.#seen.clear();
    this.#buckets = undefined;
    this.#hosted.refresh();
  }

  #withRows(source: BucketView): BucketView {
    const rows = new Map<string, StoredObject>();
    const { name, access, release, settings } = source;
    const view: BucketView = {
      name,
      access,
      release,
      settings,
      find: (key) => {
        const known = rows.get(key);
        if (known) return known;
        this.#lookNow();
        if (this.view(name) !== view) throw new ViewChanged();
        const row = source.find(key);
        if (row) {
          if (rows.size >= this.#mostRows) rows.clear();
          rows.set(key, row);
        }
        return row;
      },
      hasBelow: (prefix, counts) => {
        this.#lookNow();
        if (this.view(name) !== view) throw new ViewChanged();
        return source.hasBelow?.(prefix, counts) ?? false;
      },
    };
    return view;
  }
}
