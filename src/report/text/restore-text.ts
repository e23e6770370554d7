/** What a restore says on the terminal. */
import type { Change, ChangeTotals, SettingChange } from '../../core/release/change-list.js';
import { countOf } from '../../core/words/counts.js';
import { formatChanges, formatTotals } from './changes-text.js';
import type { Paint } from './paint.js';

export const formatRestoring = (
  bucket: string,
  { from, to }: { readonly from: number; readonly to: number },
  comparison: {
    readonly entries: readonly Change[];
    readonly settings: readonly SettingChange[];
    readonly totals: ChangeTotals;
    readonly toSend: number;
  },
  paint: Paint,
  inFull = false,
): string => {
  const { entries, settings, totals, toSend } = comparison;
  return [
    `${paint.strong(bucket)}: back to the state of release ${to}, from release ${from}`,
    formatChanges(entries, settings, paint, inFull),
    formatTotals(totals, toSend),
  ].join('\n\n');
};

export const formatRestoredAlready = (bucket: string, release: number): string =>
  `Nothing would change: ${bucket} holds the state of release ${release} already.`;

export const formatRestored = (
  made: number,
  release: number,
  { add, replace, relabel, keep }: ChangeTotals,
  address: string,
  paint: Paint,
): string =>
  `${paint.good('Published')} release ${made}: the state of release ${release}, ${countOf(add + replace + relabel + keep, 'object')}, at ${address}`;
