/** The one JSON document of a publish, and of a restore. */
import { driftJson, type DriftJson } from './mending-json.js';
import type { RuledTooLong } from '../../core/release/kept-too-long.js';
import { isoMoment } from '../../core/words/moments.js';
import type { NameCounts } from '../../core/versioning/naming.js';
import type { Finding } from '../../core/findings/finding.js';
import {
  showChange,
  type Change,
  type ChangeTotals,
  type SettingChange,
} from '../../core/release/change-list.js';
import type { ForeignChange } from '../../core/release/foreign.js';
import type { PublishExtras } from '../publish-extras.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { FrontHeld } from '../../core/release/front-held.js';
import { listStale } from '../../core/release/stale.js';
import { listWaiting } from '../../core/release/waiting.js';
import { waitingJson, type WaitingJson } from './waiting-json.js';

export interface PublishJson {
  /** The store's name in the config. */
  readonly store: string;
  readonly bucket: string;
  /** How many requests were made of the store, of one that is asked over a network. */
  readonly requests?: number;
  readonly address: string;
  /** The release that was made, or that the bucket is at where nothing changed; null where nothing was published. */
  readonly release: number | null;
  /** Whether it was only looked at; `release` is null then, unless nothing would change. */
  readonly dryRun?: boolean;
  /** Of a dry run: stands for exactly these changes, to be agreed on. */
  readonly code?: string;
  /** The earlier release whose state was published again. */
  readonly restores?: number;
  readonly changes: readonly Change[];
  readonly settings: readonly SettingChange[];
  readonly totals: ChangeTotals & {
    /** Bytes that the store did not hold yet. */
    readonly toSend: number;
  };
  readonly findings: readonly Finding[];
  /** Where objects have versioned names: how many, and how many of them have their plain name too. */
  readonly names?: NameCounts;
  /** What visitors may still hold of the old release, the longest first. */
  readonly stale: readonly {
    readonly key: string;
    readonly until: string;
    readonly because: string;
    /** What it may meet and was not made for: new pages and modules that load it, or what it loads and is removed. */
    readonly mixesWith: readonly string[];
  }[];
  /** What the front before the bucket has to be told to forget, the longest held first; absent without such a front. */
  readonly front?: readonly {
    readonly key: string;
    readonly address: string;
    readonly until: string;
    readonly because: string;
  }[];
  /** What is replaced although caches are told to keep it for longer than it has lasted. */
  readonly keptTooLong?: RuledTooLong;
  /** What waits to be removed once this is published, because a page that somebody holds may ask for it, the first due first. */
  readonly waiting: readonly WaitingJson[];
  /** Keys that anyone will be able to read and nobody could when they were last published; keys that nobody will any more. */
  readonly readers: { readonly opened: readonly string[]; readonly closed: readonly string[] };
  /** Keys that the store could not keep from the public, so that they were not sent. */
  readonly withheld: readonly string[];
  /** What goes to a closed bucket beside, since nobody may read it and the store has no policy by key. */
  readonly beside?: {
    readonly bucket: string;
    readonly changes: readonly Change[];
    readonly totals: PublishJson['totals'];
  };
  /** Settings of the store that somebody else has changed; absent where none is. */
  readonly storeSettings?: readonly DriftJson[];
  /** What somebody else has changed past Fenestra, and whether publishing overwrites it. */
  readonly foreign?: readonly {
    readonly key: string;
    readonly change: ForeignChange['change'];
    readonly overwritten: boolean;
  }[];
  /** Keys whose stored bytes were damaged and are sent again. */
  readonly healed: readonly string[];
  /** What is damaged in the store, and not in the site folder any more: the newest release that needs it. */
  readonly lost: readonly { readonly key: string; readonly release: number }[];
}

interface Compared extends PublishExtras {
  readonly entries: readonly Change[];
  readonly settings: readonly SettingChange[];
  readonly totals: ChangeTotals;
  readonly toSend: number;
  readonly withheld: readonly string[];
  readonly readers: PublishJson['readers'];
  readonly postponed: {
    readonly removals: ReadonlyMap<string, { readonly until: number; readonly because: string }>;
  };
  readonly waiting?: readonly StoredObject[];
  readonly damage: {
    readonly heals: readonly { readonly key: string }[];
    readonly lost: readonly { readonly key: string; readonly release: number }[];
  };
}

function foreignJson(
  foreign: readonly ForeignChange[],
  entries: readonly Change[],
): NonNullable<PublishJson['foreign']> {
  const ours = new Set(entries.map(({ key }) => key));
  return foreign.map(({ key, change }) => ({ key, change, overwritten: ours.has(key) }));
}

/** @param now milliseconds since the epoch */
export const publishJson = (
  compared: Compared,
  about: {
    readonly store: string;
    readonly requests?: number | undefined;
    readonly bucket: string;
    readonly address: string;
    readonly release: number | null;
    readonly findings: readonly Finding[];
    readonly names?: NameCounts | undefined;
    readonly restores?: number;
    readonly dryRun?: boolean;
    readonly code?: string | undefined;
    readonly mixes?: ReadonlyMap<string, readonly string[]>;
    readonly front?: readonly FrontHeld[] | undefined;
  },
  now: number,
): PublishJson => {
  const {
    entries,
    settings,
    totals,
    toSend,
    readers,
    withheld,
    companion: beside,
    foreign,
    drift,
    damage,
  } = compared;
  const { store, requests, bucket, address, release, findings, restores, dryRun, code, mixes } = about;
  return {
    store,
    bucket,
    address,
    ...(requests === undefined ? {} : { requests }),
    release,
    ...(dryRun === true ? { dryRun } : {}),
    ...(code === undefined ? {} : { code }),
    ...(restores === undefined ? {} : { restores }),
    changes: entries.map(showChange),
    settings,
    totals: { ...totals, toSend },
    findings,
    ...(about.names ? { names: about.names } : {}),
    stale: listStale(entries, now).map((stale) => ({
      ...stale,
      until: isoMoment(stale.until),
      mixesWith: mixes?.get(stale.key) ?? [],
    })),
    ...(about.front ? { front: about.front.map((held) => ({ ...held, until: isoMoment(held.until) })) } : {}),
    waiting: listWaiting(compared).map(waitingJson),
    readers: { opened: readers.opened, closed: readers.closed },
    withheld,
    ...(beside
      ? {
          beside: {
            bucket: beside.bucket,
            changes: beside.comparison.entries.map(showChange),
            totals: { ...beside.comparison.totals, toSend: beside.comparison.toSend },
          },
        }
      : {}),
    ...(foreign && foreign.length > 0 ? { foreign: foreignJson(foreign, entries) } : {}),
    ...(drift && drift.length > 0 ? { storeSettings: driftJson(drift) } : {}),
    healed: damage.heals.map(({ key }) => key),
    lost: damage.lost,
  };
};

/** What a publish would do, as far as the document tells it. */
export interface ShownPublish {
  readonly prepared: {
    readonly comparison: Compared;
    readonly project: { readonly destination: { readonly store: string; readonly bucket: string } };
    readonly site: { readonly findings: readonly Finding[]; readonly names?: NameCounts | undefined };
    readonly store: { readonly requests?: number } | undefined;
  };
  readonly request: { readonly dryRun: boolean };
  readonly address: string;
  readonly list?: { readonly code: string };
  readonly mixes: ReadonlyMap<string, readonly string[]>;
  readonly front?: readonly FrontHeld[];
  readonly keptTooLong?: RuledTooLong;
}

/** The document of a publish. @param release that was made, or that the bucket is at; null for none */
export function previewJson(preview: ShownPublish, release: number | null): PublishJson {
  const { prepared, request, address, list, mixes, front, keptTooLong } = preview;
  const { comparison, project, site, store } = prepared;
  const { bucket } = project.destination;
  const about = { store: project.destination.store, requests: store?.requests, bucket, address, release };
  const more = { findings: site.findings, names: site.names, dryRun: request.dryRun };
  const shown = publishJson(comparison, { ...about, ...more, code: list?.code, mixes, front }, Date.now());
  return keptTooLong ? { ...shown, keptTooLong } : shown;
}
