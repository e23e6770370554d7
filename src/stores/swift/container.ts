/** What a container itself is set to: who may read it, and which documents answer. */
import type { Access } from '../../core/hosting/bucket-view.js';
import type { SharingSetting } from '../../core/hosting/sharing.js';
import type { DriftKind, SettingDrift } from '../../core/release/setting-drift.js';
import type { SwiftClient } from './client.js';
import { containerPath } from './names.js';
import type { WebNames } from './web-names.js';

/** Everyone may read what is in it, and ask for its root; with an index document set, nobody can list it by that. */
const OPEN = '.r:*,.rlistings';

const READERS = 'x-container-read';
const INDEX = 'x-container-meta-web-index';
const ERROR = 'x-container-meta-web-error';
const SHARED = {
  origins: 'x-container-meta-access-control-allow-origin',
  keptFor: 'x-container-meta-access-control-max-age',
  expose: 'x-container-meta-access-control-expose-headers',
} as const;
const LISTINGS = 'x-container-meta-web-listings';
/** Never set by Fenestra. */
const FOREIGN = {
  'x-container-write': 'writers',
  [LISTINGS]: 'listing',
  'x-container-meta-web-directory-type': 'listing',
  'x-container-meta-quota-bytes': 'quota',
  'x-container-meta-quota-count': 'quota',
  'x-container-meta-temp-url-key': 'signed',
  'x-container-meta-temp-url-key-2': 'signed',
  'x-container-sync-to': 'copying',
} as const satisfies Record<string, DriftKind>;

/** What publishing sets a container to, beside who may read it. */
export interface ContainerSettings extends WebNames {
  readonly sharing: SharingSetting | undefined;
}

/** With whom it is shared, as headers; all of them, so that what was before is gone. */
const sharingHeaders = (sharing: SharingSetting | undefined): Record<string, string> => ({
  [SHARED.origins]: sharing ? (sharing.origins === 'everyone' ? '*' : sharing.origins.join(' ')) : '',
  [SHARED.keptFor]: sharing && sharing.keptFor !== null ? String(sharing.keptFor) : '',
  [SHARED.expose]: sharing?.expose.join(' ') ?? '',
});

/** What is shared is said with each change of anything else: some forget it otherwise. */
const said = (sharing: SharingSetting | undefined): Record<string, string> =>
  Object.fromEntries(Object.entries(sharingHeaders(sharing)).filter(([, value]) => value !== ''));

/** The headers that tell what a container is set to; undefined where there is none. */
async function readSettings(
  client: SwiftClient,
  container: string,
): Promise<Readonly<Record<string, string>> | undefined> {
  const { status, headers } = await client.done({
    method: 'HEAD',
    path: containerPath(container),
    headers: { 'x-newest': 'true' },
    expect: [404],
  });
  return status === 404 ? undefined : headers;
}

/** Whether a list of readers has everybody in it. Whoever comes from some pages alone is not everybody. */
const isOpen = (readers: string): boolean => readers.split(',').some((each) => each.trim() === '.r:*');

/** Undefined where there is no such container. */
export async function readAccess(client: SwiftClient, container: string): Promise<Access | undefined> {
  const headers = await readSettings(client, container);
  return headers && (isOpen(headers[READERS] ?? '') ? 'open' : 'closed');
}

/**
 * Where a container is set otherwise than Fenestra sets it. Who may read is read as the public meets it: open stays
 * open, anything else is closed.
 * @param web the names of its documents; undefined for records, which nobody reads
 */
export async function listDrift(
  client: SwiftClient,
  container: string,
  web: ContainerSettings | undefined,
): Promise<SettingDrift[]> {
  const headers = await readSettings(client, container);
  if (!headers) return [];
  const readers = headers[READERS] ?? '';
  const wanted: (readonly [what: DriftKind, header: string, must: string])[] = [
    ['readers', READERS, web && isOpen(readers) ? OPEN : ''],
    ['index', INDEX, web?.index ?? ''],
    ['error', ERROR, web?.error ?? ''],
    ...Object.entries(sharingHeaders(web?.sharing)).map(
      ([header, must]) => ['sharing', header, must] as const,
    ),
    ...Object.entries(FOREIGN).map(([header, what]) => [what, header, ''] as const),
  ];
  return wanted.flatMap(([what, header, must]) => {
    const now = headers[header] ?? '';
    const isOff = header === LISTINGS && /^(?:false|no|off|0|f|n)$/i.test(now);
    const isSame = what === 'readers' ? sameList(now, must) : now === must || isOff;
    // A key is a secret.
    const shown = what === 'signed' && now !== '' ? 'a key' : now;
    return isSame ? [] : [{ what, ofRecords: web === undefined, now: shown, must }];
  });
}

const sameList = (a: string, b: string): boolean => sortedList(a) === sortedList(b);
const sortedList = (list: string): string =>
  list
    .split(',')
    .map((each) => each.trim())
    .filter((each) => each !== '')
    .sort()
    .join(',');

/** @returns whether it was there already */
export async function makeContainer(
  client: SwiftClient,
  container: string,
  headers: Readonly<Record<string, string>> = {},
): Promise<boolean> {
  const { status } = await client.done({ method: 'PUT', path: containerPath(container), headers });
  return status === 202;
}

const post = async (
  client: SwiftClient,
  container: string,
  headers: Readonly<Record<string, string>>,
): Promise<void> => {
  await client.done({ method: 'POST', path: containerPath(container), headers: asRemovals(headers) });
  await client.refresh(containerPath(container));
};

const IS_SHARED: ReadonlySet<string> = new Set(Object.values(SHARED));

/** Not every store takes nothing for an origin: what is shared with nobody is said in words of its own. */
const asRemovals = (headers: Readonly<Record<string, string>>): Record<string, string> =>
  Object.fromEntries(
    Object.entries(headers).map(([name, value]) =>
      value === '' && IS_SHARED.has(name) ? [name.replace(/^x-/, 'x-remove-'), 'x'] : [name, value],
    ),
  );

/**
 * An open container without an index document is listed to everybody, so the index is set before and together with the
 * opening.
 */
export async function setAccess(
  client: SwiftClient,
  container: string,
  access: Access,
  { index: name, sharing }: Pick<ContainerSettings, 'index' | 'sharing'>,
): Promise<void> {
  const index = { [INDEX]: name, ...said(sharing) };
  if (access === 'open') await post(client, container, index);
  await post(client, container, { ...index, [READERS]: access === 'open' ? OPEN : '' });
}

/** Puts everything back that `listDrift` may find; who reads it is as open as before, never more. */
export async function mendContainer(
  client: SwiftClient,
  container: string,
  web: ContainerSettings | undefined,
): Promise<void> {
  const headers = await readSettings(client, container);
  if (!headers) return;
  const isPublic = web !== undefined && isOpen(headers[READERS] ?? '');
  const wanted: Readonly<Record<string, string>> = {
    ...Object.fromEntries(Object.keys(FOREIGN).map((header) => [header, ''])),
    ...sharingHeaders(web?.sharing),
    [INDEX]: web?.index ?? '',
    [ERROR]: web?.error ?? '',
    [READERS]: isPublic ? OPEN : '',
  };
  // Some refuse to take away what is not there.
  const differing = Object.entries(wanted).filter(([header, must]) => (headers[header] ?? '') !== must);
  if (differing.length === 0) return;
  const changes = { ...said(web?.sharing), ...Object.fromEntries(differing) };
  // Some cannot take it away, and are told no; those that can do so then.
  if (LISTINGS in changes) await post(client, container, { ...changes, [LISTINGS]: 'false' });
  await post(client, container, changes);
}

/** @param before what it was set to, so that a store is asked to take away only what is there */
export const setContainer = (
  client: SwiftClient,
  container: string,
  { index, error, sharing }: ContainerSettings,
  before: SharingSetting | undefined,
): Promise<void> =>
  post(client, container, {
    [INDEX]: index,
    [ERROR]: error ?? '',
    ...(sharing || before ? onlyWhatDiffers(sharingHeaders(before), sharingHeaders(sharing)) : {}),
  });

/** Also what is to be there is said again. */
const onlyWhatDiffers = (
  before: Readonly<Record<string, string>>,
  after: Readonly<Record<string, string>>,
): Record<string, string> =>
  Object.fromEntries(Object.entries(after).filter(([name, value]) => value !== '' || before[name] !== ''));
