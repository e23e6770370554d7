/** What somebody else has changed of a bucket, and what was put back, for a terminal. */
import { DRIFTS, type SettingDrift } from '../../core/release/setting-drift.js';
import type { Change } from '../../core/release/change-list.js';
import type { ForeignChange } from '../../core/release/foreign.js';
import { countOf, formatCount } from '../../core/words/counts.js';
import { formatChanges } from './changes-text.js';
import { columns, visible, type Paint } from './paint.js';

const LISTED = 20;

const valueOf = (value: string): string => (value === '' ? 'not set' : visible(value));

/** Settings of the store that somebody else has changed; '' where there is none. */
export function formatDrift(drift: readonly SettingDrift[], paint: Paint): string {
  if (drift.length === 0) return '';
  const rows = drift
    .slice(0, LISTED)
    .map(({ what, ofRecords, now, must }) => [
      DRIFTS[what],
      ofRecords ? "of Fenestra's records" : 'of the bucket',
      `${valueOf(now)} → ${valueOf(must)}`,
    ]);
  const more = drift.length > LISTED ? paint.soft(`\n  and ${drift.length - LISTED} more`) : '';
  return `${paint.warn('Settings of the store that somebody else has changed')}: ${drift.length}\n${columns(rows, [], paint.width)}${more}`;
}

/** The same as a remark of another command. */
export const formatDriftRemark = (drift: readonly SettingDrift[], paint: Paint): string =>
  drift.length === 0
    ? ''
    : `${formatDrift(drift, paint)}\n${paint.soft('Put them back with:')} ${paint.command('bucket mend')}`;

export interface ShownMending {
  readonly bucket: { readonly name: string; readonly release: number };
  readonly settings: readonly SettingDrift[];
  readonly objects: readonly Change[];
  readonly added: readonly ForeignChange[];
  readonly lost: readonly string[];
  readonly looked: number;
  readonly of: number;
}

/** What is not as it was left. @param inFull every property of every object */
export function formatMending(mending: ShownMending, inFull: boolean, paint: Paint): string {
  const { bucket, settings, objects, added, lost, looked, of } = mending;
  const list = (keys: readonly string[]): string =>
    columns(
      keys.slice(0, LISTED).map((key) => [paint.place(visible(key))]),
      [],
      paint.width,
    ) + (keys.length > LISTED ? paint.soft(`\n  and ${keys.length - LISTED} more`) : '');
  const unseen =
    looked < of
      ? `, the newest ${formatCount(looked)} of ${formatCount(of)} one by one; --all asks for every one`
      : '';
  return [
    `${paint.strong(bucket.name)}, release ${bucket.release}, beside what the store really has: ${countOf(of, 'object')} looked at${unseen}`,
    formatDrift(settings, paint),
    objects.length === 0
      ? ''
      : `${paint.warn('Objects that somebody else has changed')}: ${objects.length}\n${formatChanges(objects, [], paint, inFull || objects.length <= LISTED)}`,
    lost.length === 0
      ? ''
      : `${paint.bad('Changed, and nobody has the bytes of before')}: the site folder has others, and the store none\n${list(lost)}\n${paint.soft('Publish what the folder has now:')} ${paint.command('publish --over-foreign')}`,
    added.length === 0
      ? ''
      : `${paint.soft('Put there by somebody else, and left as it is')}: ${countOf(added.length, 'object')}\n${list(added.map(({ key }) => key))}`,
  ]
    .filter((part) => part !== '')
    .join('\n\n');
}

export const formatNothingMended = (paint: Paint): string =>
  paint.soft('Nothing was changed: this was a dry run.');

export const formatWhole = (paint: Paint): string =>
  `${paint.good('Nothing to put back')}: settings, labels and bytes are as they were published.`;

/** @param release that puts objects back; undefined where only settings were others */
export const formatMended = (
  { bucket, settings, objects }: ShownMending,
  release: number | undefined,
  paint: Paint,
): string => {
  const parts = [
    ...(settings.length > 0 ? [countOf(settings.length, 'setting')] : []),
    ...(objects.length > 0 ? [countOf(objects.length, 'object')] : []),
  ];
  return `${paint.good('Put back')}: ${parts.join(' and ')} of ${bucket.name}${release === undefined ? '' : `, as release ${release}`}. Looked at again: nothing differs.`;
};
