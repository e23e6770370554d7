/** One look at the store per turn of the event loop; rows of the same release are kept between requests. */
import type { BucketView } from '../core/hosting/bucket-view.js';
import type { HostVerdict, HostedName } from '../core/hosting/host.js';
import type { StoredObject } from '../core/site/site-object.js';
import type { Hosted, HostedBucket } from './hosted.js';

const MOST_ROWS = 5_000;
const MOST_HOSTS = 1000;

interface Kept {
  readonly view: BucketView;
  readonly source: BucketView;
}

export class ViewCache {
  readonly #hosted: Hosted;
  readonly #kept = new Map<string, Kept>();
  #fresh = false;
  #buckets: readonly HostedBucket[] | undefined;
  readonly #verdicts = new Map<
    string,
    { readonly verdict: HostVerdict; readonly view: BucketView | undefined }
  >();

  constructor(hosted: Hosted) {
    this.#hosted = hosted;
  }

  resolveHost(
    host: string | undefined,
    onlyAtBare: boolean,
    decide: (host: string | undefined, buckets: readonly HostedName[], onlyAtBare: boolean) => HostVerdict,
  ): HostVerdict {
    this.#look();
    const known = this.#verdicts.get(host ?? '');
    // As long as nothing about the bucket has changed, its names have not either.
    if (known?.view !== undefined && this.view(known.view.name) === known.view) return known.verdict;
    const verdict = decide(host, this.buckets(), onlyAtBare);
    if (this.#verdicts.size >= MOST_HOSTS) this.#verdicts.clear();
    this.#verdicts.set(host ?? '', {
      verdict,
      view: verdict.kind === 'bucket' && !onlyAtBare ? this.view(verdict.name) : undefined,
    });
    return verdict;
  }

  buckets(): readonly HostedBucket[] {
    this.#look();
    return (this.#buckets ??= this.#hosted.buckets());
  }

  view(bucket: string): BucketView | undefined {
    this.#look();
    const bucketNow = this.#seen.get(bucket);
    if (bucketNow) return bucketNow;
    const source = this.#hosted.view(bucket);
    if (!source) return undefined;
    const kept = this.#kept.get(bucket);
    const view = kept?.source === source ? kept.view : withRows(source);
    if (view !== kept?.view) this.#kept.set(bucket, { view, source });
    this.#seen.set(bucket, view);
    return view;
  }

  #seen = new Map<string, BucketView>();

  #look(): void {
    if (this.#fresh) return;
    this.#fresh = true;
    this.#seen.clear();
    this.#buckets = undefined;
    this.#hosted.refresh();
    setImmediate(() => (this.#fresh = false));
  }
}

function withRows(source: BucketView): BucketView {
  const rows = new Map<string, StoredObject>();
  const { name, access, release, settings } = source;
  const find = source.find.bind(source);
  return {
    name,
    access,
    release,
    settings,
    find(key) {
      const known = rows.get(key);
      if (known) return known;
      const row = find(key);
      if (row) {
        if (rows.size >= MOST_ROWS) rows.clear();
        rows.set(key, row);
      }
      return row;
    },
  };
}
