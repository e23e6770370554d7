/**
 * What the server sees of the store. Asking the database takes longer than all else about a small answer, so it is
 * asked a few hundred times a second at most; rows of the same release are kept between requests.
 */
import { SEEN_WITHIN, type BucketView } from '../core/hosting/bucket-view.js';
import type { HostVerdict, HostedName } from '../core/hosting/host.js';
import type { StoredObject } from '../core/site/site-object.js';
import type { Hosted, HostedBucket } from './hosted.js';

/** Rows of a release that are kept, unless told otherwise. */
const MOST_ROWS = 5_000;
const MOST_HOSTS = 1000;

interface Kept {
  readonly view: BucketView;
  readonly source: BucketView;
}

/** Thrown when a row is looked for in a release that is no longer the current one. */
class ViewChanged extends Error {}

export class ViewCache {
  readonly #hosted: Hosted;
  readonly #mostRows: number;
  readonly #kept = new Map<string, Kept>();
  /** When the store was last looked at, by the clock of `performance`. */
  #lookedAt = -Infinity;
  /** Whether that was in this turn of the event loop, in which what is read belongs to one state of the store. */
  #inTurn = false;
  #buckets: readonly HostedBucket[] | undefined;
  readonly #seen = new Map<string, BucketView>();
  readonly #verdicts = new Map<
    string,
    { readonly verdict: HostVerdict; readonly view: BucketView | undefined }
  >();

  constructor(hosted: Hosted, mostRows = MOST_ROWS) {
    this.#hosted = hosted;
    this.#mostRows = mostRows;
  }

  /** To be called for each request before anything else. */
  look(): void {
    if (performance.now() - this.#lookedAt >= SEEN_WITHIN) this.#lookNow();
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
    if (this.#verdicts.size >= MOST_HOSTS) this.#verdicts.clear();
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
   * Does some work with one release of a bucket; from the start, with the new one, where another is published
   * meanwhile. Undefined when there is no such bucket.
   */
  use<T>(
    bucket: string,
    work: (view: BucketView) => T,
  ): { readonly view: BucketView; readonly result: T } | undefined {
    for (;;) {
      const view = this.view(bucket);
      if (!view) return undefined;
      try {
        return { view, result: work(view) };
      } catch (error) {
        if (!(error instanceof ViewChanged)) throw error;
      }
    }
  }

  view(bucket: string): BucketView | undefined {
    const seen = this.#seen.get(bucket);
    if (seen) return seen;
    this.#lookNow();
    const source = this.#hosted.view(bucket);
    if (!source) return undefined;
    const kept = this.#kept.get(bucket);
    const view = kept?.source === source ? kept.view : this.#withRows(source);
    if (view !== kept?.view) this.#kept.set(bucket, { view, source });
    this.#seen.set(bucket, view);
    return view;
  }

  #lookNow(): void {
    if (this.#inTurn) return;
    this.#inTurn = true;
    setImmediate(() => (this.#inTurn = false));
    this.#lookedAt = performance.now();
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
      hasBelow: (prefix) => {
        this.#lookNow();
        if (this.view(name) !== view) throw new ViewChanged();
        return source.hasBelow?.(prefix) ?? false;
      },
    };
    return view;
  }
}
