/** Releases for a terminal. */
import { formatWhen } from '../../core/words/moments.js';
import type { Change, ChangeTotals, SettingChange } from '../../core/release/change-list.js';
import type { ReleaseRecord } from '../../core/release/release.js';
import type { Stale } from '../../core/release/stale.js';
import { countOf } from '../../core/words/counts.js';
import { formatChanges } from './changes-text.js';
import { columns, visible, type Paint } from './paint.js';

export const formatCounts = ({ add, replace, relabel, remove, due = 0 }: ChangeTotals): string =>
  [
    add > 0 ? `${add} added` : '',
    replace > 0 ? `${replace} replaced` : '',
    relabel > 0 ? `${relabel} relabelled` : '',
    remove > 0 ? `${remove} removed` : '',
    due > 0 ? `${due} swept` : '',
  ]
    .filter(Boolean)
    .join(', ') || 'settings alone';

export function formatHistory(
  bucket: string,
  current: number,
  releases: readonly ReleaseRecord[],
  kept: boolean,
  paint: Paint,
  where = '',
): string {
  if (!kept)
    return `${paint.strong(bucket)} is at release ${current}. Its store keeps no earlier ones, so there is none to go back to.`;
  if (releases.length === 0) return `${bucket} has no release yet. Run ${paint.command('publish')}.`;
  const rows = releases.map(({ release, at, by, note, totals, restores }) => [
    release === current ? paint.good(`${release} now`) : String(release),
    formatWhen(at),
    visible(by),
    formatCounts(totals),
    visible(
      [restores === undefined ? '' : `release ${restores} again`, note.replace(/\s+/g, ' ')]
        .filter(Boolean)
        .join(': '),
    ),
  ]);
  return (
    `${paint.strong(bucket)} ${paint.soft(where)}`.trimEnd() +
    `\n\n${columns([['release', 'when', 'by', 'changes', 'note'].map(paint.soft), ...rows], [], paint.width)}`
  );
}

/** What one release changed. @param inFull every change with every property */
export function formatRelease(
  bucket: string,
  {
    record,
    entries,
    settings,
    totals,
  }: {
    readonly record: ReleaseRecord;
    readonly entries: readonly Change[] | undefined;
    readonly settings: readonly SettingChange[];
    readonly totals: ChangeTotals;
  },
  inFull: boolean,
  paint: Paint,
): string {
  const note = record.note === '' ? '' : `: ${visible(record.note)}`;
  const lost = entries
    ? ''
    : '\nThe release before it is no longer kept, so its changes are known by their counts alone.';
  const head = `${paint.strong(`${bucket}, release ${record.release}`)}, ${formatWhen(record.at)}, by ${visible(record.by)}${record.folder === undefined ? '' : `, from the project ${visible(record.folder)}`}${note}${lost}`;
  const changes = entries ? formatChanges(entries, settings, paint, inFull, true) : '';
  return [head, changes, formatCounts(totals)].filter((part) => part !== '').join('\n\n');
}

const MAX_HELD = 8;

/** What visitors may still hold of a release. */
export function formatHeld(held: readonly Stale[], inFull: boolean, paint: Paint): string {
  const shown = inFull ? held : held.slice(0, MAX_HELD);
  const rows = shown.map(({ key, until, because }) => [
    visible(key),
    `until ${formatWhen(until)}`,
    paint.soft(because),
  ]);
  const rest =
    held.length > shown.length
      ? `\n  and ${countOf(held.length - shown.length, 'other')}; --in-full lists them`
      : '';
  return `${paint.warn('Visitors may still hold')} of this release, replaced or removed since\n${columns(rows, [], paint.width)}${rest}`;
}
