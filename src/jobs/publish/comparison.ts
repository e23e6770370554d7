/** What publishing would do to a bucket. */
import {
  compareObjects,
  compareSettings,
  digestsToSend,
  type Change,
  type Covers,
  type ChangeTotals,
  type SettingChange,
} from '../../core/release/change-list.js';
import { createReadPolicy } from '../../core/access/read-policy.js';
import type { BucketSettings } from '../../core/hosting/bucket-view.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { plainKey, type StoredObject } from '../../core/site/site-object.js';
import type { BucketState, Snapshot, Store } from '../../stores/port.js';
import { NOTHING_POSTPONED, type Postponed } from './postponed.js';
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
  /** What is removed later, and what pages that somebody holds may ask for. */
  readonly postponed: Postponed;
  /** What was waiting to be removed before, and goes on to; undefined where nobody has looked. */
  readonly waiting?: readonly StoredObject[];
}

export interface ComparisonInput {
  /** Limits it to some plain keys, and leaves the settings alone. */
  readonly covers?: ((key: string) => boolean) | undefined;
  /** Decides what is removed later; without it nothing is. */
  readonly postpone?:
    ((snapshot: Snapshot, entries: readonly Change[], now: number) => Promise<Postponed>) | undefined;
}

/** Compares the site with a bucket. */
export async function compareWithBucket(
  site: SurveyedSite,
  wanted: BucketSettings,
  store: Store | undefined,
  name: string,
  { covers, postpone }: ComparisonInput = {},
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
    const objects = isReadable ? site.objects.filter((object) => isReadable(plainKey(object))) : site.objects;
    const withheld = isReadable ? site.objects.filter((object) => !isReadable(plainKey(object))) : [];
    // Nothing may stay that has become private meanwhile: only a site that is sent whole is known by its identity.
    const damage = await readDamage(store, name, bucket, site.objects);
    const now = Date.now();
    if (!covers && withheld.length === 0 && bucket?.identity === site.identity && !hasDue(bucket, now))
      return keepObjects(site, bucket, settings, becomes, damage);
    const compared = await compareObjects(
      objects,
      snapshot?.objects() ?? [],
      covers && coversPart(covers),
      now,
    );
    return {
      bucket,
      ...compared,
      settings,
      becomes,
      damage,
      postponed: await postponeBy(postpone, store, snapshot, compared.entries, now),
      toSend: await countToSend(compared.entries, store, name),
      identity: covers || withheld.length > 0 ? undefined : site.identity,
      withheld: withheld.map(({ key }) => key),
    };
  } finally {
    await snapshot?.close();
  }
}

/**
 * Of what has a versioned name a part brings every new version along, which nobody asks for unless it is named, and
 * takes none out: what is not in the part may still name it.
 */
const coversPart =
  (covers: (key: string) => boolean): Covers =>
  (object, of) =>
    object.plain === undefined ? covers(object.key) : of === 'site';

/** Pages that somebody holds are of the release as it was made, whatever lies in the bucket after a publish that was cut short. */
async function postponeBy(
  postpone: ComparisonInput['postpone'],
  store: Store | undefined,
  now: Snapshot | undefined,
  entries: readonly Change[],
  at: number,
): Promise<Postponed> {
  if (!postpone || !store || !now || now.state.release === 0) return NOTHING_POSTPONED;
  const release = await store.open(now.state.name, now.state.release);
  try {
    return await postpone(release, entries, at);
  } finally {
    await release.close();
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
  if (
    bucket?.identity !== site.identity ||
    hasDue(bucket, Date.now()) ||
    compareSettings(bucket.settings, wanted).length > 0
  )
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
  postponed: NOTHING_POSTPONED,
});

/** Whether something waits whose time has come: milliseconds since the epoch. */
const hasDue = ({ waiting }: BucketState, now: number): boolean =>
  waiting !== undefined && waiting.next <= now;

export const changesNothing = ({ totals, settings }: Comparison): boolean =>
  totals.add + totals.replace + totals.relabel + totals.remove + (totals.due ?? 0) + settings.length === 0;

export const changesObjects = ({ totals }: Comparison): number =>
  totals.add + totals.replace + totals.relabel + totals.remove;
