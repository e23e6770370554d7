/** What a publish says on the terminal. */
import { formatWhen } from '../../core/words/moments.js';
import type { Access, BucketSettings } from '../../core/hosting/bucket-view.js';
import { closedStatus } from '../../core/hosting/quirks.js';
import type { Finding } from '../../core/findings/finding.js';
import type { Change, ChangeTotals, SettingChange } from '../../core/release/change-list.js';
import type { ForeignChange } from '../../core/release/foreign.js';
import type { PublishExtras } from '../publish-extras.js';
import { countOf, formatBytes } from '../../core/words/counts.js';
import type { Guarantees } from '../../stores/port.js';
import { formatChanges, formatTotals } from './changes-text.js';
import { countFindings, extentOf, formatFindings } from './findings-text.js';
import { columns, visible, type Paint } from './paint.js';

export interface Compared extends PublishExtras {
  readonly bucket?:
    { readonly access: Access; readonly release: number; readonly isAdopted?: true } | undefined;
  readonly entries: readonly Change[];
  readonly settings: readonly SettingChange[];
  readonly totals: ChangeTotals;
  readonly toSend: number;
  readonly withheld: readonly string[];
  readonly postponed: { readonly removals: ReadonlyMap<string, { readonly until: number }> };
}

export interface Destination {
  readonly name: string;
  readonly store: string;
  readonly bucket: string;
}

/** The names that are new in a text. */
const formatNames = ([first = '', second, ...more]: readonly string[]): string =>
  `names ${first}${second === undefined ? '' : more.length === 0 ? ` and ${second}` : ` and ${more.length + 1} more`} now`;

interface ShownChanges {
  /** How much of the changes; in their totals, settings are not counted. */
  readonly extent: 'few' | 'in-full' | 'totals';
  /** By the key of a text that is replaced: what it names anew. */
  readonly names: ReadonlyMap<string, readonly string[]>;
}

export function formatComparison(
  {
    bucket,
    entries,
    settings,
    totals,
    toSend,
    withheld,
    companion: beside,
    foreign = [],
    postponed,
  }: Compared,
  { name, store, bucket: where }: Destination,
  guarantees: Guarantees | undefined,
  { extent, names }: ShownChanges,
  paint: Paint,
): string {
  const state = !bucket
    ? 'a new bucket, closed until you open it'
    : bucket.isAdopted
      ? `${bucket.access}, made by somebody else, and nothing was published to it yet`
      : `${bucket.access}, at release ${bucket.release}`;
  const remarks = new Map([
    ...[...names].map(([key, all]) => [key, formatNames(all)] as const),
    ...[...postponed.removals].map(([key, { until }]) => [key, `stays until ${formatWhen(until)}`] as const),
  ]);
  const parts = [
    `${paint.strong(where)} in ${store} (${name}): ${state}`,
    ...(extent === 'totals'
      ? []
      : [formatChanges(entries, settings, paint, extent === 'in-full', false, remarks)]),
    formatTotals(totals, toSend) +
      (extent === 'totals' && settings.length > 0
        ? `, ${countOf(settings.length, 'setting')} to change`
        : ''),
  ];
  if (withheld.length > 0)
    parts.push(
      `${paint.warn(`${countOf(withheld.length, 'object')} that nobody may read are not sent`)}: ${store} cannot keep single keys from the public\n${listKeys(withheld, paint)}`,
    );
  if (foreign.length > 0) parts.push(formatForeign(foreign, entries, paint));
  if (beside && beside.comparison.entries.length > 0)
    parts.push(
      `${paint.strong(beside.bucket)}, which is never open, for what nobody may read:`,
      ...(extent === 'totals'
        ? []
        : [formatChanges(beside.comparison.entries, [], paint, extent === 'in-full', false, new Map())]),
      formatTotals(beside.comparison.totals, beside.comparison.toSend),
    );
  if (guarantees?.instant === false)
    parts.push(
      paint.soft(
        `${store} makes no release at one instant: until it is done visitors may meet new objects beside old ones.`,
      ),
    );
  return parts.join('\n\n');
}

/** What somebody else has changed, and whether it would be overwritten; '' where there is nothing. */
export function formatForeign(
  foreign: readonly ForeignChange[],
  entries: readonly Change[],
  paint: Paint,
): string {
  if (foreign.length === 0) return '';
  const ours = new Set(entries.map(({ key }) => key));
  const rows = foreign
    .slice(0, MAX_FOREIGN)
    .map(({ key, change }) => [
      change,
      paint.place(visible(key)),
      ours.has(key) ? paint.warn('would be overwritten') : paint.soft('left as it is'),
    ]);
  const more = foreign.length > MAX_FOREIGN ? paint.soft(`\n  and ${foreign.length - MAX_FOREIGN} more`) : '';
  return `${paint.warn('Changed by somebody else')}: ${countOf(foreign.length, 'object')}\n${columns(rows, [], paint.width)}${more}`;
}

const MAX_FOREIGN = 20;

/**
 * Bodies that are damaged in the store; '' when there is none.
 * @param tense what becomes of those whose bytes the site holds
 */
export function formatDamage(
  {
    heals,
    lost,
  }: {
    readonly heals: readonly { readonly key: string }[];
    readonly lost: readonly { readonly key: string; readonly release: number }[];
  },
  tense: 'are' | 'were' | 'would be',
  paint: Paint,
): string {
  const parts: string[] = [];
  if (heals.length > 0) {
    const keys = heals.map(({ key }) => key);
    parts.push(
      `${paint.warn('Damaged in the store')}: the bytes of ${countOf(heals.length, 'object')}, which ${tense} sent again from the site folder\n${listKeys(keys, paint)}`,
    );
  }
  if (lost.length > 0) {
    const rows = lost.slice(0, LISTED).map(({ key, release }) => [visible(key), `release ${release}`]);
    const more = lost.length > LISTED ? paint.soft(`\n  and ${lost.length - LISTED} more`) : '';
    parts.push(
      `${paint.bad('Lost')}: the stored bytes of ${countOf(lost.length, 'object')}, which the site folder does not hold any more\n${columns(rows)}${more}`,
    );
  }
  return parts.join('\n\n');
}

const LISTED = 20;

function listKeys(keys: readonly string[], paint: Paint, listed = LISTED): string {
  const more = keys.length > listed ? paint.soft(`\n  and ${keys.length - listed} more`) : '';
  return `${columns(keys.slice(0, listed).map((key) => [visible(key)]))}${more}`;
}

/** Keys that anyone will be able to read, and keys that nobody will any more; '' where there are none. */
export function formatReaders(
  { opened, closed }: { readonly opened: readonly string[]; readonly closed: readonly string[] },
  paint: Paint,
  inFull = false,
): string {
  const part = (keys: readonly string[], words: string): string[] =>
    keys.length === 0
      ? []
      : [
          `${paint.warn(`${countOf(keys.length, 'key')} ${words}`)}\n${listKeys(keys, paint, inFull ? Infinity : LISTED)}`,
        ];
  return [
    ...part(opened, 'that nobody could read when last published will be readable by anyone'),
    ...part(closed, 'that anyone can read now will be readable by nobody'),
  ].join('\n\n');
}

/** Where somebody went back to an earlier state, which publishing takes back; '' otherwise. */
export const formatTakenBack = (
  head: { readonly release: number; readonly restores?: number } | undefined,
  paint: Paint,
): string =>
  head?.restores === undefined
    ? ''
    : `${paint.warn('This takes back')} release ${head.release}, which went back to the state of release ${head.restores}.`;

/** One line for each other destination; '' when there is none. */
export const formatOthers = (
  others: readonly {
    readonly name: string;
    readonly bucket: string;
    readonly release: number;
    readonly objects: number;
    readonly settings: number;
  }[],
  paint: Paint,
): string =>
  others
    .map(({ name, bucket, release, objects, settings }) => {
      const parts = [
        objects > 0 ? countOf(objects, 'object') : '',
        settings > 0 ? countOf(settings, 'setting') : '',
      ].filter((part) => part !== '');
      const what = parts.length === 0 ? 'holds just this' : `differs in ${parts.join(' and ')}`;
      return paint.soft(`${name} (${bucket}, release ${release}) ${what}`);
    })
    .join('\n');

/** Errors in full, the rest counted; '' when there is none. */
export function formatSurveyFindings(findings: readonly Finding[], paint: Paint, inFull: boolean): string {
  if (findings.length === 0) return '';
  const errors = findings.filter(({ level }) => level === 'error');
  const rest =
    errors.length === findings.length ? '' : paint.soft(` (${paint.command('survey --findings')} shows all)`);
  return `${paint.strong('Findings')}: ${countFindings(findings)}${rest}${errors.length > 0 ? `\n${formatFindings(errors, paint, extentOf(inFull))}` : ''}`;
}

export const formatUnchanged = (bucket: string, release: number, objects: number): string =>
  `Nothing has changed: ${bucket} is at release ${release} with ${countOf(objects, 'object')}.`;

/** @param agree the command that publishes exactly this @param saved the file that the change list is in */
export const formatDryRun = (agree: string | undefined, saved: string | undefined, paint: Paint): string =>
  [
    paint.soft(
      `Nothing was published: this was a dry run.${saved === undefined ? '' : ` The change list is in ${saved}.`}`,
    ),
    ...(agree === undefined ? [] : [`${paint.soft('Publish exactly this with:')} ${agree}`]),
  ].join('\n');

export function formatPublished(
  release: number,
  state: { readonly name: string; readonly access: Access; readonly settings: BucketSettings },
  contents: { readonly objects: number; readonly bytes: number | undefined },
  address: string,
  paint: Paint,
): string {
  const bytes = contents.bytes === undefined ? '' : `, ${formatBytes(contents.bytes)}`;
  const lines = [
    `${paint.good('Published')} release ${release} of ${paint.strong(state.name)}: ${countOf(contents.objects, 'object')}${bytes}, at ${address}`,
  ];
  if (state.access === 'closed')
    lines.push(
      `The bucket is closed, so visitors get ${closedStatus(state.settings)}. Open it with: ${paint.strong(paint.command(`access open --sure ${state.name}`))}`,
    );
  return lines.join('\n');
}
