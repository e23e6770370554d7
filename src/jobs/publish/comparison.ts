/** What publishing would do to a bucket. */
import {
  compareObjects,
  compareSettings,
  digestsToSend,
  type Change,
  type ChangeTotals,
  type SettingChange,
} from '../../core/release/change-list.js';
import { createReadPolicy } from '../../core/access/read-policy.js';
import type { BucketSettings } from '../../core/hosting/bucket-view.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { BucketState, Store } from '../../stores/port.js';
import { NO_DAMAGE, readDamage, type Damage } from './damage.js';

export interface Comparison {
  /** Undefined when the bucket is yet to be made. */
  readonly bucket: BucketState | undefined;
  /** How many objects the bucket holds now. */
  readonly held: number;
  /** What would change, in key order. */
  readonly entries: readonly Change[];
  readonly settings: readonly SettingChange[];
  readonly becomes: BucketSettings;
  readonly totals: ChangeTotals;
  /** Bytes that publishing sends: what is added or replaced and the store does not hold yet. */
  readonly toSend: number;
  /** The identity that the bucket will have; undefined when only a part is published. */
  readonly identity: string | undefined;
  /** Keys that nobody may read, of a store that could not keep them from the public: they are not sent. */
  readonly withheld: readonly string[];
  /** Bodies that are damaged in the store. */
  readonly damage: Damage;
}

/** Compares the site with a bucket. @param covers limits it to some keys and leaves the settings alone */
export async function compareWithBucket(
  site: SurveyedSite,
  wanted: BucketSettings,
  store: Store | undefined,
  name: string,
  covers?: (key: string) => boolean,
): Promise<Comparison> {
  const snapshot = store && (await store.bucket(name)) ? await store.open(name) : undefined;
  try {
    const bucket = snapshot?.state;
    const becomes = covers && bucket ? bucket.settings : wanted;
    const settings =
      covers && bucket
        ? []
        : compareSettings(bucket && bucket.release > 0 ? bucket.settings : undefined, becomes);
    const isReadable = store && !store.guarantees.policyByKey ? readableBy(becomes) : undefined;
    const objects = isReadable ? site.objects.filter(({ key }) => isReadable(key)) : site.objects;
    const withheld = isReadable ? site.objects.filter(({ key }) => !isReadable(key)) : [];
    // Nothing may stay that has become private meanwhile: only a site that is sent whole is known by its identity.
    const damage = await readDamage(store, name, bucket, site.objects);
    if (!covers && withheld.length === 0 && bucket && bucket.identity === site.identity)
      return keepObjects(site, bucket, settings, becomes, damage);
    const compared = await compareObjects(objects, snapshot?.objects() ?? [], covers);
    return {
      bucket,
      ...compared,
      settings,
      becomes,
      damage,
      toSend: await countToSend(compared.entries, store, name),
      identity: covers || withheld.length > 0 ? undefined : site.identity,
      withheld: withheld.map(({ key }) => key),
    };
  } finally {
    await snapshot?.close();
  }
}

const readableBy = (settings: BucketSettings): ((key: string) => boolean) => {
  const policy = createReadPolicy(settings.readable);
  return (key) => policy.isReadable(key);
};

async function countToSend(
  entries: readonly Change[],
  store: Store | undefined,
  bucket: string,
): Promise<number> {
  const sizes = digestsToSend(entries);
  const lacking = store ? await store.lacks(bucket, sizes.keys()) : undefined;
  let bytes = 0;
  for (const [digest, size] of sizes) if (lacking?.has(digest) ?? true) bytes += size;
  return bytes;
}

/** The comparison with a bucket that holds the site already, settings and all; undefined when it does not. */
export function compareWithSame(
  site: SurveyedSite,
  wanted: BucketSettings,
  bucket: BucketState | undefined,
): Comparison | undefined {
  if (bucket?.identity !== site.identity || compareSettings(bucket.settings, wanted).length > 0)
    return undefined;
  return keepObjects(site, bucket, [], wanted, NO_DAMAGE);
}

const keepObjects = (
  site: SurveyedSite,
  bucket: BucketState,
  settings: readonly SettingChange[],
  becomes: BucketSettings,
  damage: Damage,
): Comparison => ({
  bucket,
  held: site.count,
  entries: [],
  settings,
  becomes,
  totals: { add: 0, replace: 0, relabel: 0, remove: 0, keep: site.count, bytes: 0 },
  toSend: 0,
  identity: bucket.identity,
  withheld: [],
  damage,
});

export const changesNothing = ({ totals, settings }: Comparison): boolean =>
  totals.add + totals.replace + totals.relabel + totals.remove + settings.length === 0;

export const changesObjects = ({ totals }: Comparison): number =>
  totals.add + totals.replace + totals.relabel + totals.remove;
