/** The change list for a terminal: each change when there are few, groups when there are many. */
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import type { ObjectHeaders } from '../../core/site/site-object.js';
import type { Change, ChangeKind, ChangeTotals, SettingChange } from '../../core/release/change-list.js';
import { formatNames } from './format-names.js';
import { columns, visible, type Paint } from './paint.js';

const LISTED = 40;

const WORDS: Readonly<Record<ChangeKind, string>> = {
  add: 'add',
  replace: 'replace',
  relabel: 'relabel',
  remove: 'remove',
};

const paintChange = (paint: Paint, change: ChangeKind): string =>
  (change === 'add' ? paint.good : change === 'remove' ? paint.bad : paint.warn)(WORDS[change]);

/** @param toSend bytes that the store does not hold yet */
export function formatTotals(totals: ChangeTotals, toSend: number): string {
  const parts = (['add', 'replace', 'relabel', 'remove'] as const)
    .filter((kind) => totals[kind] > 0)
    .map((kind) => `${formatCount(totals[kind])} to ${kind}`);
  if ((totals.due ?? 0) > 0) parts.push(`${formatCount(totals.due ?? 0)} whose time is over`);
  if (totals.keep > 0) parts.push(`${formatCount(totals.keep)} to keep`);
  const send = toSend > 0 ? `${formatBytes(toSend)} to send` : 'nothing to send';
  return `${parts.join(', ')}${totals.bytes > 0 ? ` (${send})` : ''}`;
}

/** What is to be said of single changes beside what they are: by their keys. */
export type Remarks = ReadonlyMap<string, string>;

/** @param inFull every property of every change @param past they have been made already */
export function formatChanges(
  changes: readonly Change[],
  settings: readonly SettingChange[],
  paint: Paint,
  inFull = false,
  past = false,
  remarks: Remarks = new Map(),
): string {
  const parts: string[] = [];
  if (inFull) parts.push(changes.map((change) => formatInFull(change, paint)).join('\n'));
  else if (changes.length <= LISTED)
    parts.push(
      columns(
        changes.map((change) => row(change, remarks, paint)),
        [2],
        paint.width,
        1,
      ),
    );
  else parts.push(formatGroups(changes, paint));
  if (settings.length > 0) parts.push(formatSettings(settings, paint, past));
  return parts.filter((part) => part !== '').join('\n\n');
}

function row(change: Change, remarks: Remarks, paint: Paint): string[] {
  const { key, was, becomes } = change;
  const size = becomes?.size ?? was?.size ?? 0;
  return [
    paintChange(paint, change.change),
    paint.place(formatNames({ key, plain: change.plainKey })),
    formatBytes(size),
    paint.soft(visible(remarks.get(key) ?? detail(change))),
  ];
}

function detail({ change, was, becomes, movedFrom, waited }: Change): string {
  if (waited) return change === 'remove' ? 'nobody can ask for it any more' : 'it was waiting to be removed';
  if (movedFrom !== undefined) return `the bytes of ${movedFrom}`;
  if (change === 'replace' && was && becomes)
    return was.size === becomes.size ? 'same size, other bytes' : `${formatBytes(was.size)} before`;
  if (change === 'relabel' && was && becomes)
    return headerChanges(was.headers, becomes.headers)
      .map(({ name, after }) => `${name}: ${after ?? 'none'}`)
      .join(', ');
  if (change === 'add' && becomes)
    return [becomes.headers['Content-Type'], becomes.headers['Cache-Control']].filter(Boolean).join(' · ');
  return '';
}

function headerChanges(
  was: ObjectHeaders,
  becomes: ObjectHeaders,
): { name: string; before: string | undefined; after: string | undefined }[] {
  return [...new Set([...Object.keys(was), ...Object.keys(becomes)])]
    .filter((name) => was[name] !== becomes[name])
    .map((name) => ({ name, before: was[name], after: becomes[name] }));
}

function formatInFull(change: Change, paint: Paint): string {
  const { key, movedFrom } = change;
  const lines = [
    `  ${paintChange(paint, change.change)} ${paint.place(formatNames({ key, plain: change.plainKey }))}${movedFrom === undefined ? '' : paint.soft(` (the bytes of ${visible(movedFrom)})`)}`,
  ];
  for (const { name, before, after } of listProperties(change))
    lines.push(visible(`      ${name}  ${before} → ${after}`));
  return lines.join('\n');
}

/** Each property that a change gives another value: its bytes, then its headers. */
export function listProperties({
  was,
  becomes,
}: Change): { readonly name: string; readonly before: string; readonly after: string }[] {
  const bytesOf = (of: Change['was']): string =>
    of
      ? `${formatCount(of.size)} (${of.digest === '' ? "somebody else's" : of.digest.slice(0, 12)})`
      : 'none';
  return [
    ...(was?.digest === becomes?.digest
      ? []
      : [{ name: 'bytes', before: bytesOf(was), after: bytesOf(becomes) }]),
    ...headerChanges(was?.headers ?? {}, becomes?.headers ?? {}).map(({ name, before, after }) => ({
      name,
      before: before ?? 'none',
      after: after ?? 'none',
    })),
  ];
}

function formatGroups(changes: readonly Change[], paint: Paint): string {
  const groups = new Map<
    string,
    { change: ChangeKind; folder: string; count: number; bytes: number; example: string }
  >();
  for (const { change, key, becomes, was } of changes) {
    const folder = key.includes('/') ? `${key.slice(0, key.indexOf('/'))}/` : '(top)';
    const id = `${change}\0${folder}`;
    const group = groups.get(id) ?? { change, folder, count: 0, bytes: 0, example: key };
    groups.set(id, {
      ...group,
      count: group.count + 1,
      bytes: group.bytes + (becomes?.size ?? was?.size ?? 0),
    });
  }
  const all = [...groups.values()].sort((a, b) => b.count - a.count);
  const rows = all
    .slice(0, 25)
    .map(({ change, folder, count, bytes, example }) => [
      paintChange(paint, change),
      formatCount(count),
      formatBytes(bytes),
      paint.place(visible(folder)),
      paint.soft(visible(example)),
    ]);
  const more =
    all.length > rows.length
      ? paint.soft(`\n  and ${all.length - rows.length} more folders; --in-full lists every change`)
      : '';
  return (
    columns(
      [['change', 'objects', 'bytes', 'folder', 'such as'].map(paint.soft), ...rows],
      [1, 2],
      paint.width,
    ) + more
  );
}

/** @param name of the setting, where its value alone says too little */
export function showSetting(value: unknown, name?: string): string {
  if (name === 'versioned' && value === true) return 'names with a hash of the content';
  if (value === null || value === undefined) return 'none';
  if (!Array.isArray(value)) return String(value);
  return value.length > 0 ? value.join(', ') : 'none';
}

export function formatSettings(settings: readonly SettingChange[], paint: Paint, past = false): string {
  const rows = settings.map(({ name, was, becomes }) => [
    paint.place(visible(name)),
    visible(showSetting(was, name)),
    '→',
    visible(showSetting(becomes, name)),
  ]);
  return `${paint.strong(countOf(settings.length, 'setting'))}${past ? ' changed' : ' to change'}\n${columns(rows, [], paint.width)}`;
}
