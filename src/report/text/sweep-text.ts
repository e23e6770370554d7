/** What a sweep says on the terminal. */
import type { Change } from '../../core/release/change-list.js';
import { countOf, formatBytes } from '../../core/words/counts.js';
import { formatNames } from './format-names.js';
import { columns, type Paint } from './paint.js';

const LISTED = 20;

export function formatDue(bucket: string, due: readonly Change[], paint: Paint): string {
  if (due.length === 0) return `Nothing is due in ${paint.strong(bucket)}.`;
  const rows = due
    .slice(0, LISTED)
    .map(({ key, plainKey, was }) => [
      paint.bad('remove'),
      paint.place(formatNames({ key, plain: plainKey })),
      formatBytes(was?.size ?? 0),
    ]);
  const more = due.length > LISTED ? paint.soft(`\n  and ${due.length - LISTED} more`) : '';
  return `${paint.strong(bucket)}: ${countOf(due.length, 'object')} that nobody can ask for any more\n\n${columns(rows, [2], paint.width)}${more}`;
}

export const formatSwept = (
  release: number | undefined,
  { bodies, bytes }: { readonly bodies: number; readonly bytes: number },
  paint: Paint,
): string => {
  const freed =
    bodies === 0 ? '' : `${countOf(bodies, 'body', 'bodies')} that no release needs, ${formatBytes(bytes)}`;
  const parts = [
    release === undefined ? '' : `${paint.good('Published')} release ${release} without them.`,
    freed === '' ? '' : `${paint.good('Freed')} ${freed}.`,
  ].filter((part) => part !== '');
  return parts.length === 0 ? 'Nothing was to be freed either.' : parts.join(' ');
};
