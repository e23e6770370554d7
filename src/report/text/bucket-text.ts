/** Buckets for a terminal. */
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import type { BucketSettings } from '../../core/hosting/bucket-view.js';
import type { Change } from '../../core/release/change-list.js';
import { buildTree, type FolderTree } from '../../core/site/tree.js';
import type { PlainDifference } from '../../core/release/plain-server.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { byUntil, waitingOf } from '../../core/release/waiting.js';
import { formatNames } from './format-names.js';
import { formatWaiting } from './postponed-removals-text.js';
import { columns, visible, type Paint } from './paint.js';

export interface BucketRow {
  readonly name: string;
  readonly access: 'open' | 'closed';
  readonly release: number;
  /** Undefined where only a listing could tell. */
  readonly objects?: number | undefined;
  readonly bytes?: number | undefined;
  readonly settings: BucketSettings;
}

const paintAccess = (paint: Paint, access: 'open' | 'closed'): string =>
  access === 'open' ? paint.good(access) : paint.warn(access);

export function formatBuckets(
  buckets: readonly {
    readonly state: BucketRow;
    readonly address: string;
    readonly coversNothing?: true;
  }[],
  paint: Paint,
): string {
  if (buckets.length === 0) return `There is no bucket yet. ${paint.command('publish')} makes one.`;
  const rows = buckets.map(({ state: { name, access, release, objects, bytes }, address }) => [
    paint.strong(name),
    paintAccess(paint, access),
    objects === undefined ? paint.soft('not known') : formatCount(objects),
    bytes === undefined ? '' : formatBytes(bytes),
    String(release),
    address,
  ]);
  const unread = buckets
    .filter(({ coversNothing }) => coversNothing)
    .map(
      ({ state: { name, objects } }) =>
        `\n${paint.warn(`${visible(name)} is open, and nobody can read it`)}: its policy covers 0${objects === undefined ? '' : ` of ${formatCount(objects)}`} objects. ${paint.command('access show')} says more.`,
    );
  return (
    columns(
      [['bucket', 'access', 'objects', 'bytes', 'release', 'address'].map(paint.soft), ...rows],
      [2, 3, 4],
      paint.width,
    ) + unread.join('')
  );
}

export function formatBucket(
  state: BucketRow,
  all: readonly StoredObject[],
  address: string,
  tree: boolean,
  paint: Paint,
): string {
  const { settings } = state;
  const waiting = all.filter(({ waits }) => waits);
  const objects = all.filter(({ waits }) => !waits);
  const moved =
    Object.keys(settings.moved.permanently).length + Object.keys(settings.moved.temporarily).length;
  const facts = [
    ['access', paintAccess(paint, state.access)],
    ['address', visible([address, ...settings.domains].join(', '))],
    ['release', String(state.release)],
    ['holds', `${countOf(state.objects ?? objects.length, 'object')}, ${formatBytes(state.bytes ?? 0)}`],
    ...(waiting.length === 0
      ? []
      : [
          [
            'waiting',
            `${countOf(waiting.length, 'object')} to be removed later, ${formatBytes(waiting.reduce((sum, { size }) => sum + size, 0))}`,
          ],
        ]),
    ['index document', visible(settings.documents.index)],
    [
      'error document',
      settings.documents.error === null ? paint.warn('none') : visible(settings.documents.error),
    ],
    [
      'readable',
      settings.readable
        ? visible(
            `${settings.readable.keys.join(', ')}${settings.readable.except.length > 0 ? ` except ${settings.readable.except.join(', ')}` : ''}`,
          )
        : 'everything but names that look secret',
    ],
    ['moved addresses', String(moved)],
  ].map(([name = '', value = '']) => [paint.soft(name), value]);
  const parts = [paint.strong(state.name), columns(facts)];
  if (tree) parts.push(formatTree(objects, paint));
  else if (objects.length > 0) {
    const biggest = [...objects].sort((a, b) => b.size - a.size).slice(0, 5);
    parts.push(
      `${paint.strong('Biggest')}\n${columns(
        biggest.map(({ key, plain, size, headers }) => [
          paint.place(formatNames({ key, plain })),
          formatBytes(size),
          paint.soft(visible(headers['Content-Type'] ?? 'no type')),
        ]),
        [1],
        paint.width,
        0,
      )}`,
    );
  }
  if (waiting.length > 0) parts.push(formatWaiting(waitingOf(waiting).sort(byUntil), tree, paint));
  return parts.join('\n\n');
}

/** What would be taken out of a bucket. */
export function formatRemovals(removed: readonly Change[], paint: Paint): string {
  const rows = removed
    .slice(0, MAX_REMOVALS)
    .map(({ key, was }) => [paint.bad('remove'), visible(key), formatBytes(was?.size ?? 0)]);
  const more =
    removed.length > MAX_REMOVALS ? paint.soft(`\n  and ${removed.length - MAX_REMOVALS} more`) : '';
  return `${columns(rows, [2], paint.width, 1)}${more}`;
}

const MAX_REMOVALS = 15;

/** @param matching the pattern that was given @param meant the one that was probably meant */
export function formatNothingToRemove(
  name: string,
  held: number,
  matching: string | undefined,
  meant: string | undefined,
): string {
  const none = matching === undefined ? '' : `, none that matches ${visible(matching)}`;
  const hint = meant === undefined ? '' : ` Did you mean '${meant}'?`;
  return `Nothing to remove: ${name} holds ${countOf(held, 'object')}${none}.${hint}`;
}

export const formatBucketCreated = (name: string, address: string, paint: Paint): string =>
  `${paint.good('Created')} ${paint.strong(name)}: empty, closed, at ${address}`;

/** @param back the command that takes it back, where there is one */
export function formatEmptied(
  name: string,
  { removed, held, release }: { readonly removed: number; readonly held: number; readonly release: number },
  back: string | undefined,
  paint: Paint,
): string {
  const restore = back === undefined ? '' : ` ${back} brings them back.`;
  return `${paint.warn('Removed')} ${countOf(removed, 'object')}: ${name} is at release ${release} with ${countOf(held - removed, 'object')}.${restore}`;
}

export function formatBucketRemoved(
  name: string,
  removed: {
    readonly objects: number;
    readonly releases: number;
    readonly bodies: number;
    readonly bytes: number;
    readonly memory: number;
  },
  paint: Paint,
): string {
  const { objects, releases, bodies, bytes, memory } = removed;
  const parts = [
    countOf(objects, 'object'),
    countOf(releases, 'release'),
    `${countOf(bodies, 'body', 'bodies')} (${formatBytes(bytes)})`,
    ...(memory > 0 ? [`what the survey remembered (${countOf(memory, 'file')})`] : []),
  ];
  return `${paint.warn('Removed')} ${paint.strong(name)}: ${parts.join(', ')}.`;
}

export const formatExported = (
  bucket: string,
  {
    release,
    objects,
    bytes,
    unreadable,
  }: {
    readonly release: number;
    readonly objects: number;
    readonly bytes: number;
    readonly unreadable: number;
  },
  folder: string,
  paint: Paint,
): string =>
  `${paint.good('Wrote')} release ${release} of ${paint.strong(bucket)} to ${visible(folder)}: ${countOf(objects, 'object')}, ${formatBytes(bytes)}, and what each is sent with in headers.jsonl.${unreadable === 0 ? '' : `\n${paint.warn(`${countOf(unreadable, 'of them', 'of them')} nobody may read`)}: their files can be read by you alone. \`--readable\` leaves them out.`}`;

const MAX_KEYS = 3;

/** A site for a plain web server, with what that would answer otherwise. */
export function formatPlainSite(
  bucket: string,
  {
    release,
    objects,
    bytes,
    differences,
  }: {
    readonly release: number;
    readonly objects: number;
    readonly bytes: number;
    readonly differences: readonly PlainDifference[];
  },
  folder: string,
  paint: Paint,
  inFull: boolean,
): string {
  const head = `${paint.good('Wrote')} release ${release} of ${paint.strong(bucket)} to ${visible(folder)}: ${countOf(objects, 'file')} for a plain web server (${formatBytes(bytes)} in the bucket).`;
  if (differences.length === 0) return `${head}\nIt answers the same.`;
  const rows = differences.map(({ what, of, instead }) => {
    const shown = inFull ? of : of.slice(0, MAX_KEYS);
    const more = of.length > shown.length ? ` and ${of.length - shown.length} more` : '';
    return [what, String(of.length), `${shown.map(visible).join(', ')}${more}`, instead];
  });
  const titles = ['what', 'how many', 'of', 'so'].map(paint.soft);
  const table = columns([titles, ...rows], [1], paint.width);
  return `${head}\n\nWhat it answers otherwise, as long as it knows types by endings alone:\n${table}`;
}

const MAX_FILES = 12;

/** The objects folder by folder, with what each holds; long folders are cut. */
function formatTree(objects: readonly StoredObject[], paint: Paint): string {
  const root = buildTree(objects);
  const lines: string[][] = [];
  const list = (folder: FolderTree, indent: string): void => {
    for (const [name, inner] of folder.folders) {
      lines.push([
        `${indent}${paint.place(visible(name))}/`,
        paint.soft(countOf(inner.objects, 'object')),
        formatBytes(inner.bytes),
      ]);
      list(inner, `${indent}  `);
    }
    for (const { name, size } of folder.files.slice(0, MAX_FILES))
      lines.push([`${indent}${visible(name)}`, '', formatBytes(size)]);
    if (folder.files.length > MAX_FILES)
      lines.push([paint.soft(`${indent}and ${folder.files.length - MAX_FILES} more`), '', '']);
  };
  list(root, '');
  return columns(lines, [2], paint.width);
}
