/** Compares the site with a bucket. */
import {
  compareObjects,
  compareSettings,
  type Change,
  type Covers,
  type SettingChange,
} from '../../core/release/change-list.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { OVER_NOTHING, type OverForeign } from '../../core/release/foreign.js';
import { ownPart, shareSettings } from '../../core/site/site-in-subfolder.js';
import { privateBucket } from '../../core/release/store-limits.js';
import type { BucketSettings } from '../../core/hosting/bucket-view.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { BucketState, Snapshot, Store } from '../../stores/port.js';
import type { OpenSiteObject } from './site-opener.js';
import { compareChanged } from './compare-changed.js';
import type { Comparison } from './comparison.js';
import { countToSend } from './count-to-send.js';
import { HeldObjects } from './held-objects.js';
import { fitSite, hiddenPart, type Fitted } from './fit-site.js';
import { NOTHING_POSTPONED, type Postponed } from './postponed.js';
import { listReaderChanges, NO_READER_CHANGES, type ReaderChanges } from './list-readers.js';
import { NO_DAMAGE, readDamage, type Damage } from './damage.js';

export interface ComparisonInput {
  /** Limits it to some plain keys, and leaves the settings alone. */
  readonly covers?: ((key: string) => boolean) | undefined;
  /** The folder of the bucket that the site lies in. */
  readonly under?: string | undefined;
  /** What somebody else has put beside the site, and is taken for a part of the bucket, to be removed. */
  readonly overForeign?: OverForeign | undefined;
  /** Reads an object of the site, to tell whether what lies in the store is the same. */
  readonly open?: OpenSiteObject | undefined;
  /** Whether what nobody may read goes to a closed bucket beside, where the store has no policy by key. */
  readonly companion?: boolean;
  /** Decides what is removed later; without it nothing is. */
  readonly postpone?:
    ((snapshot: Snapshot, entries: readonly Change[], now: number) => Promise<Postponed>) | undefined;
}

/** Where there is no store yet it is the embedded one, which can. */
const ABLE = { policyByKey: true, moved: true };

/** Compares the site with a bucket. */
export async function compareWithBucket(
  site: SurveyedSite,
  wanted: BucketSettings,
  store: Store | undefined,
  name: string,
  { companion: beside = false, ...input }: ComparisonInput = {},
): Promise<Comparison> {
  const fitted = fitSite(site, wanted, store?.guarantees ?? ABLE);
  const comparison = await compareFitted(fitted, store, name, input);
  if (!beside || !store || store.guarantees.policyByKey) return comparison;
  const bucket = privateBucket(name);
  const hidden = hiddenPart(site, fitted);
  if (hidden.count === 0 && !(await store.bucket(bucket))) return comparison;
  return {
    ...comparison,
    withheld: [],
    companion: {
      bucket,
      comparison: await compareFitted(hidden, store, bucket, {
        ...input,
        postpone: undefined,
        under: undefined,
      }),
    },
  };
}

async function compareFitted(
  fitted: Fitted,
  store: Store | undefined,
  name: string,
  { covers: part, postpone, overForeign = OVER_NOTHING, open, under }: Omit<ComparisonInput, 'beside'>,
): Promise<Comparison> {
  const snapshot = store && (await openIfThere(store, name));
  try {
    const bucket = snapshot?.state;
    const isOwn = bucket && ownPart(under, bucket.settings);
    if (bucket && isOwn) await assertOwnFolder(bucket, snapshot, fitted, under, isOwn);
    const covers = isOwn ? (key: string) => isOwn(key) && (part?.(key) ?? true) : part;
    const becomes =
      part && bucket
        ? bucket.settings
        : isOwn && bucket.release > 0
          ? shareSettings(name, bucket.settings, fitted.settings, under)
          : fitted.settings;
    const settings =
      part && bucket
        ? []
        : compareSettings(bucket && bucket.release > 0 ? bucket.settings : undefined, becomes);
    const damage = await readDamage(store, name, bucket, () => fitted.objects);
    const now = Date.now();
    const [foreign = [], drift = []] = await Promise.all([
      snapshot?.foreign?.(),
      snapshot?.settingsDrift?.(),
    ]);
    const changed = drift.length === 0 ? {} : { drift };
    const readersOf = async (entries: readonly Change[]): Promise<ReaderChanges> =>
      store && snapshot
        ? listReaderChanges({ store, snapshot, entries, becomes, withheld: fitted.withheld, under })
        : NO_READER_CHANGES;
    if (!covers && foreign.length === 0 && bucket?.identity === fitted.identity && !hasDue(bucket, now))
      return {
        ...keepObjects(fitted, bucket, settings, becomes, damage),
        ...changed,
        withheld: fitted.withheld,
        readers: await readersOf([]),
      };
    const held = new HeldObjects(snapshot, fitted, foreign, overForeign, open);
    const few =
      bucket && !covers && foreign.length === 0 ? await compareChanged(fitted, bucket, snapshot) : undefined;
    const compared =
      few ?? (await compareObjects(fitted.objects, held.list(), covers && coversPart(covers), now));
    return {
      bucket,
      ...compared,
      settings,
      becomes,
      damage,
      postponed: await postponeBy(postpone, store, snapshot, compared.entries, now),
      toSend: await countToSend(compared.entries, store, name, foreign),
      identity: covers ? undefined : fitted.identity,
      withheld: fitted.withheld,
      readers: await readersOf(compared.entries),
      made: fitted.pages,
      ...changed,
      ...(foreign.length === 0 ? {} : { foreign }),
      real: held.real(),
    };
  } finally {
    await snapshot?.close();
  }
}

/** Nothing lies where a site is to be published that is not its own. @throws FenestraError FOLDER_TAKEN */
async function assertOwnFolder(
  { name, release, settings }: BucketState,
  snapshot: Snapshot,
  { objects }: Fitted,
  under: string | undefined,
  isOwn: (key: string) => boolean,
): Promise<void> {
  const stray = objects.find(({ key }) => !isOwn(key));
  if (stray)
    throw new FenestraError('FOLDER_TAKEN', {
      bucket: name,
      what: `another site in the folder that ${stray.key} would lie in`,
    });
  if (under === undefined || release === 0 || settings.sites?.includes(under)) return;
  for await (const { key } of snapshot.objects())
    if (key.startsWith(under))
      throw new FenestraError('FOLDER_TAKEN', {
        bucket: name,
        what: `objects of another site in ${under}, such as ${key}`,
      });
}

async function openIfThere(store: Store, name: string): Promise<Snapshot | undefined> {
  try {
    return await store.open(name);
  } catch (error) {
    if (error instanceof FenestraError && error.code === 'BUCKET_MISSING') return undefined;
    throw error;
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
  site: Pick<SurveyedSite, 'count'>,
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
  readers: NO_READER_CHANGES,
});

/** Whether something waits whose time has come: milliseconds since the epoch. */
const hasDue = ({ waiting }: BucketState, now: number): boolean =>
  waiting !== undefined && waiting.next <= now;
