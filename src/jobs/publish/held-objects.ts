/** The objects of a bucket as they lie there, also where others write to it: what they have put is looked at. */
import { createHash } from 'node:crypto';
import {
  listMissing,
  withForeign,
  type ForeignChange,
  type OverForeign,
} from '../../core/release/foreign.js';
import type { ReleasePlan } from '../../core/release/release.js';
import type { SiteObject, StoredObject } from '../../core/site/site-object.js';
import type { Snapshot } from '../../stores/port.js';
import type { Fitted } from './fit-site.js';
import type { OpenSiteObject } from './site-opener.js';

export class HeldObjects {
  readonly #snapshot: Snapshot | undefined;
  readonly #foreign: readonly ForeignChange[];
  readonly #site: Fitted;
  readonly #open: OpenSiteObject | undefined;
  readonly #learned: StoredObject[] = [];
  #keys: Map<string, SiteObject> | undefined;

  /** @param over which of what somebody else has put beside the site counts as a part of the bucket */
  constructor(
    snapshot: Snapshot | undefined,
    site: Fitted,
    foreign: readonly ForeignChange[],
    over: OverForeign,
    open: OpenSiteObject | undefined,
  ) {
    this.#snapshot = snapshot;
    this.#site = site;
    this.#open = open;
    this.#foreign = foreign.filter(
      ({ key, change }) => change !== 'added' || this.#inSite(key) !== undefined || over.additions(key),
    );
  }

  async *list(): AsyncGenerator<StoredObject> {
    if (!this.#snapshot) return;
    const objects = this.#snapshot.objects();
    const all = this.#foreign.length === 0 ? objects : withForeign(objects, this.#foreign);
    for await (const object of all) yield object.md5 === undefined ? object : this.#look(object, object.md5);
  }

  /** What the next release has to know of them; undefined where they are as they were left. */
  real(): ReleasePlan['real'] {
    const learned = new Set(this.#learned.map(({ key }) => key));
    const missing = listMissing(this.#foreign);
    const unknown = missing.unknown.filter((key) => !learned.has(key));
    const { gone } = missing;
    return learned.size + unknown.length + gone.length === 0
      ? undefined
      : { learned: this.#learned, unknown, gone };
  }

  /** Where the site's own bytes have the same MD5, it is them. */
  async #look(object: StoredObject, md5: string): Promise<StoredObject> {
    const own = this.#inSite(object.key);
    if (own?.size !== object.size) return object;
    const source = await this.#open?.(own);
    if (!source) return object;
    const hash = createHash('md5');
    for await (const piece of source.pieces()) hash.update(piece);
    if (hash.digest('hex') !== md5) return object;
    const known = { ...object, digest: own.digest };
    this.#learned.push(known);
    return known;
  }

  #inSite(key: string): SiteObject | undefined {
    return (this.#keys ??= new Map(this.#site.objects.map((object) => [object.key, object]))).get(key);
  }
}
