/** What waits to be removed, for a terminal. */
import { formatWhen } from '../../core/words/moments.js';
import type { Waiting } from '../../core/release/waiting.js';
import { countOf } from '../../core/words/counts.js';
import { formatNames } from './format-names.js';
import { columns, visible, type Paint } from './paint.js';

const LISTED = 8;

/** @param waiting the first due first; '' where it is empty */
export function formatWaiting(waiting: readonly Waiting[], inFull: boolean, paint: Paint): string {
  if (waiting.length === 0) return '';
  const shown = inFull ? waiting : waiting.slice(0, LISTED);
  const rows = shown.map(({ key, plainKey, until, because }) => [
    paint.place(formatNames({ key, plain: plainKey })),
    `until ${formatWhen(until)}`,
    paint.soft(because === undefined ? '' : `${visible(because)} may be held`),
  ]);
  const more =
    waiting.length > shown.length
      ? paint.soft(`\n  and ${countOf(waiting.length - shown.length, 'more', 'more')}; --in-full lists them`)
      : '';
  const what = countOf(waiting.length, 'object');
  return `${paint.warn('Removed later')}: ${what} that pages in browsers may still ask for; the next ${paint.command('publish')} after that, or ${paint.command('sweep')}, removes ${waiting.length === 1 ? 'it' : 'them'}\n${columns(rows, [], paint.width)}${more}`;
}
