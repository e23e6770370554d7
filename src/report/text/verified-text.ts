/** What reading every byte of a bucket has shown, for a terminal. */
import { countOf, formatCount } from '../../core/words/counts.js';
import { columns, visible, type Paint } from './paint.js';

export function formatVerified(
  {
    release: current,
    objects,
    earlier,
    damaged,
  }: {
    readonly release: number;
    readonly objects: number;
    readonly earlier: number;
    readonly damaged: readonly {
      readonly key: string;
      readonly release: number;
      readonly reason: string;
    }[];
  },
  paint: Paint,
): string {
  if (damaged.length === 0) {
    const more =
      earlier > 0
        ? `, and so are those of the ${earlier === 1 ? 'release before' : `${formatCount(earlier)} releases before`}`
        : '';
    return `${paint.good('Whole')}: the bytes of all ${countOf(objects, 'object')} are as they were published${more}.`;
  }
  const rows = damaged.map(({ key, release, reason }) => [
    paint.place(visible(key)),
    `release ${release}`,
    visible(reason),
  ]);
  const cure = damaged.some(({ release }) => release === current)
    ? `They are marked: the next ${paint.command('publish')} sends again what the site folder holds of them.`
    : `Release ${current}, which visitors get, is whole. The others are marked: the next ${paint.command('publish')} sends again what the site folder holds of them.`;
  return `${paint.bad('Damaged')}: ${countOf(damaged.length, 'object')}\n${columns(rows, [], paint.width)}\n${cure}`;
}
