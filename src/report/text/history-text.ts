/** Releases for a terminal. */
import type { ChangeTotals } from '../../core/release/change-list.js';
import type { ReleaseRecord } from '../../core/release/release.js';
import { columns, shorten, visible, type Paint } from './paint.js';

export const formatWhen = (at: number): string =>
  `${new Date(at).toISOString().slice(0, 16).replace('T', ' ')} UTC`;

export const formatCounts = ({ add, replace, relabel, remove }: ChangeTotals): string =>
  [
    add > 0 ? `${add} added` : '',
    replace > 0 ? `${replace} replaced` : '',
    relabel > 0 ? `${relabel} relabelled` : '',
    remove > 0 ? `${remove} removed` : '',
  ]
    .filter(Boolean)
    .join(', ') || 'settings alone';

export function formatHistory(
  bucket: string,
  current: number,
  releases: readonly ReleaseRecord[],
  paint: Paint,
): string {
  if (releases.length === 0) return `${bucket} has no release yet. Run fenestra publish.`;
  const rows = releases.map(({ release, at, by, note, totals, restores }) => [
    release === current ? paint.good(`${release} now`) : String(release),
    formatWhen(at),
    visible(by),
    formatCounts(totals),
    visible(
      shorten(
        [restores === undefined ? '' : `release ${restores} again`, note.replace(/\s+/g, ' ')]
          .filter(Boolean)
          .join(': '),
        Math.max(20, paint.width - 92),
      ),
    ),
  ]);
  return `${paint.strong(bucket)}\n\n${columns([['release', 'when', 'by', 'changes', 'note'].map(paint.soft), ...rows], [], paint.width)}`;
}
