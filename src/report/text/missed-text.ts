/** What visitors asked for in vain, for a terminal. */
import { countOf, formatCount } from '../../core/words/counts.js';
import { columns, shorten, visible, type Paint } from './paint.js';

interface Row {
  readonly path: string;
  readonly visitors: number;
  readonly requests: number;
  readonly from?: string;
  readonly to?: string;
  readonly because?: string;
}

export interface MissedShown {
  readonly log: string;
  readonly lines: number;
  readonly gone: readonly Row[];
  readonly there: readonly Row[];
  readonly byRobots: readonly Row[];
  readonly tried: readonly Row[];
}

const MOST = 20;

/** @param added how many lines the config has more; undefined where none were to be added */
export function formatMissed(missed: MissedShown, added: number | undefined, paint: Paint): string {
  const { log, lines, gone, there, byRobots, tried } = missed;
  const shown = gone.slice(0, MOST);
  const rows = shown.map(({ path, visitors, to, because = '' }) => [
    formatCount(visitors),
    shorten(visible(path), 50),
    to === undefined ? paint.warn('nothing near') : `→ ${visible(to)}`,
    paint.soft(because),
  ]);
  const moves = shown.filter(({ to }) => to !== undefined);
  const aside = [
    there.length > 0
      ? `${countOf(there.length, 'address', 'addresses')} of the log ${there.length === 1 ? 'is' : 'are'} answered now`
      : '',
    byRobots.length > 0 ? `${formatCount(byRobots.length)} asked for by robots alone` : '',
    tried.length > 0 ? `${formatCount(tried.length)} that somebody only tried` : '',
  ].filter(Boolean);
  return [
    gone.length === 0
      ? paint.good(
          `Visitors asked for nothing that is gone, by ${countOf(lines, 'line')} of ${visible(log)}.`,
        )
      : `Visitors asked for ${paint.strong(countOf(gone.length, 'address', 'addresses'))} that ${gone.length === 1 ? 'is' : 'are'} gone, by ${countOf(lines, 'line')} of ${visible(log)}.`,
    ...(rows.length > 0
      ? ['', columns([['visitors', 'address', 'may be now', ''], ...rows], [0], paint.width)]
      : []),
    ...(gone.length > MOST ? [`and ${formatCount(gone.length - MOST)} more; --json has them all`] : []),
    ...(aside.length > 0 ? ['', paint.soft(`Apart from these: ${aside.join(', ')}.`)] : []),
    ...(added === undefined && moves.length > 0
      ? [
          '',
          `For the config, where the addresses are the right ones (${paint.strong('--add')} writes them):`,
          'moved:',
          '  permanently:',
          ...moves.map(
            ({ from = '', to = '' }) =>
              `    ${JSON.stringify(visible(from))}: ${JSON.stringify(visible(to))}`,
          ),
        ]
      : []),
    ...(added === undefined
      ? []
      : [
          '',
          added === 0
            ? 'Nothing was added to the config.'
            : `Added ${countOf(added, 'moved address', 'moved addresses')} to the config. Next: ${paint.command('publish')}.`,
        ]),
  ].join('\n');
}
