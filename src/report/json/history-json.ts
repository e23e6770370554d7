/** The JSON documents of a history. */
import { isoMoment } from '../../core/words/moments.js';
import {
  showChange,
  type Change,
  type ChangeTotals,
  type SettingChange,
} from '../../core/release/change-list.js';
import type { Waiting } from '../../core/release/waiting.js';
import { waitingJson, type WaitingJson } from './waiting-json.js';
import type { Stale } from '../../core/release/stale.js';
import type { ReleaseRecord } from '../../core/release/release.js';

/** A release with its time as ISO 8601. */
export type ReleaseJson = Omit<ReleaseRecord, 'at'> & { readonly at: string };

export interface HistoryJson {
  readonly bucket: string;
  /** The current release. */
  readonly release: number;
  /** Newest first. */
  readonly releases: readonly ReleaseJson[];
  /** Whether the store keeps earlier releases at all. */
  readonly kept: boolean;
  /** What waits to be removed, the first due first. */
  readonly waiting: readonly WaitingJson[];
}

const releaseJson = (record: ReleaseRecord): ReleaseJson => ({
  ...record,
  at: isoMoment(record.at),
});

export const historyJson = (history: {
  readonly bucket: string;
  readonly release: number;
  readonly kept: boolean;
  readonly releases: readonly ReleaseRecord[];
  readonly waiting: readonly Waiting[];
}): HistoryJson => ({
  ...history,
  releases: history.releases.map(releaseJson),
  waiting: history.waiting.map(waitingJson),
});

export interface ReleaseChangesJson extends Omit<ReleaseJson, 'settings'> {
  readonly bucket: string;
  /** Empty where the release before is no longer kept. */
  readonly changes: readonly Change[];
  readonly settings: readonly SettingChange[];
  readonly totals: ChangeTotals;
  /** What visitors may still hold of it today, the longest first. */
  readonly held: readonly { readonly key: string; readonly until: string; readonly because: string }[];
}

export const releaseChangesJson = (
  bucket: string,
  {
    record,
    entries,
    settings,
  }: {
    readonly record: ReleaseRecord;
    readonly entries: readonly Change[] | undefined;
    readonly settings: readonly SettingChange[];
  },
  held: readonly Stale[] = [],
): ReleaseChangesJson => ({
  bucket,
  ...releaseJson(record),
  changes: (entries ?? []).map(showChange),
  settings,
  held: held.map((each) => ({ ...each, until: isoMoment(each.until) })),
});
