/** A move that is played, as lines of time. */
import { formatDuration } from '../../core/caching/duration.js';
import type { PlayedMove, PlayedVisitor } from '../../core/dns/rehearse-move.js';
import type { RehearsalEvent, ShownRehearsal } from '../../core/dns/rehearse-move.js';
import type { Paint } from './paint.js';
import { wrapLines } from './wrap.js';

const NAME = 14;

/** A moment of the move, from the change at the parent on: `+1 day 2 h`. */
export function formatPlayed(seconds: number, { move }: Pick<PlayedMove, 'move'>): string {
  const from = Math.round(seconds - move.at);
  const [sign, length] = [from < 0 ? '-' : '+', Math.abs(from)];
  const parts = [
    [Math.floor(length / 86_400), 'd'],
    [Math.floor((length % 86_400) / 3600), 'h'],
    [Math.floor((length % 3600) / 60), 'min'],
    [length % 60, 's'],
  ] as const;
  const shown = parts.filter(([amount]) => amount > 0).slice(0, 2);
  return `${sign}${shown.length === 0 ? '0 s' : shown.map(([amount, unit]) => `${amount} ${unit}`).join(' ')}`;
}

export function formatRehearsal(
  { port, names, played, isSeen }: ShownRehearsal,
  speed: number,
  paint: Paint,
): string {
  const { move, bound, lastMoved, visitors } = played;
  const width = Math.max(20, Math.min(paint.width, 110) - NAME - 14);
  const { parentNs, zoneNs, record } = move.ttls;
  const ruler = rulerOf(played, width);
  return [
    `${paint.strong('A move, played')}: ${names.join(', ')} at 127.0.0.1 port ${port}, ${speed} times as fast as it would be`,
    paint.soft(
      wrapLines(
        `NS at the parent ${formatDuration(parentNs)}, in the zone ${formatDuration(zoneNs)}, the record ${formatDuration(record)}${isSeen ? ', as they were seen' : '; nothing was seen yet, so these are what is usual'}. The old zone: ${move.oldZone}.`,
        paint.width,
      ),
    ),
    `${' '.repeat(NAME)}${ruler}`,
    ...visitors
      .slice()
      .sort((a, b) => (a.movedAt ?? Infinity) - (b.movedAt ?? Infinity))
      .map(
        (visitor, number) =>
          `${`visitor ${number + 1}`.padEnd(NAME)}${lineOf(visitor, played, width, paint)}  ${paint.soft(visitor.movedAt === undefined ? 'not yet' : formatPlayed(visitor.movedAt, played))}`,
      ),
    '',
    `${paint.good('█')} new place  ${paint.warn('▒')} old place  ${paint.bad('x')} no answer   ${paint.soft('│ parent changed   ┆ computed for everybody')}`,
    `The last of these ${visitors.length} visitors moves at ${lastMoved === undefined ? 'no time in what is played' : formatPlayed(lastMoved, played)}; computed for everybody who keeps to the TTLs: ${paint.strong(formatPlayed(bound, played))}.`,
    ...(move.oldZone === 'removed'
      ? [paint.warn('The old zone is removed at once: visitors whose resolvers still ask it get no answer.')]
      : []),
  ].join('\n');
}

const columnOf = (at: number, { length }: PlayedMove, width: number): number =>
  Math.min(width - 1, Math.floor((at / length) * width));

function rulerOf(played: PlayedMove, width: number): string {
  const characters = Array.from({ length: width }, () => ' ');
  const put = (at: number, words: string): void => {
    const from = Math.min(columnOf(at, played, width), width - words.length);
    for (const [number, character] of [...words].entries()) characters[from + number] = character;
  };
  put(played.bound, '┆');
  put(played.move.at, '│ parent changed');
  return characters.join('').trimEnd();
}

function lineOf({ asks, places }: PlayedVisitor, played: PlayedMove, width: number, paint: Paint): string {
  const characters: string[] = [];
  let next = 0;
  let place: string | undefined;
  for (let column = 0; column < width; column++) {
    const end = ((column + 1) / width) * played.length;
    let failed = false;
    for (; (asks[next] ?? Infinity) < end; next++) {
      place = places[next];
      failed ||= place === 'failure';
    }
    const isMove = column === columnOf(played.move.at, played, width);
    if (failed || place === 'failure') characters.push(paint.bad('x'));
    else if (place === 'new') characters.push(paint.good('█'));
    else if (place === 'old') characters.push(paint.warn('▒'));
    else characters.push(isMove ? '│' : ' ');
  }
  return characters.join('');
}

/** What has just passed. */
export function formatRehearsalEvent(event: RehearsalEvent, played: PlayedMove, paint: Paint): string {
  const at = paint.soft(formatPlayed(event.at, played).padEnd(12));
  switch (event.kind) {
    case 'parent-changed':
      return `${at} the parent names the new servers`;
    case 'visitor-moved':
      return `${at} visitor ${event.moved} of ${event.of} comes to the new place`;
    case 'bound':
      return `${at} computed: by now everybody whose resolver keeps to the TTLs is at the new place`;
  }
}
