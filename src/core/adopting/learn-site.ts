/** What a published site's answers come to as the settings of a bucket. */
import { findRules, type FoundRules } from '../assign/find-rules.js';
import { escapePattern } from '../assign/pattern.js';
import type { MovedSetting } from '../hosting/bucket-view.js';
import { listCircles } from '../hosting/moved.js';
import type { Quirks } from '../hosting/quirks.js';
import { foldersAbove, parseKey } from '../site/key.js';
import { learnObjects, type SeenObject } from './learn-objects.js';
import { listMoves, targetOf, writeMoved, type MovedFolder } from './learn-moved.js';
import { isRedirect, type SeenAnswer } from './seen.js';

/** Answers to addresses that were made up to learn something. */
export interface Probes {
  /** To addresses that nobody has: at the root, in a folder, and one like a page. */
  readonly wrong: readonly SeenAnswer[];
  /** To folders with an index document, asked for without their slash and with a query. */
  readonly bare: readonly SeenAnswer[];
  /** Folders that send on what is below, as one more address showed. */
  readonly movedFolders: readonly MovedFolder[];
}

export interface SeenSite {
  readonly origin: string;
  readonly answers: readonly SeenAnswer[];
  readonly probes: Probes;
  /** Paths that nobody asked for, since robots.txt asks programs not to. */
  readonly unseen?: readonly string[];
  /** The files of the site's folder, with what is known of their bytes; undefined where there is no folder. */
  readonly files?: ReadonlyMap<string, string>;
}

export interface LearnedSite {
  readonly index: string;
  readonly error: string | undefined;
  readonly app: boolean;
  readonly objects: readonly SeenObject[];
  readonly found: FoundRules;
  readonly moved: MovedSetting;
  /** Addresses that send visitors round for ever, which no config says. */
  readonly circles: readonly (readonly string[])[];
  readonly quirks: Partial<Quirks>;
  /** Patterns of keys that were refused. */
  readonly refused: readonly string[];
  readonly isShared: boolean;
}

/** @param isExact whether types are kept as they were written */
export function learnSite(site: SeenSite, isExact: boolean): LearnedSite {
  const index = findIndexName(site);
  const objects = listObjects(site, index);
  const wrong = site.probes.wrong[0];
  const home = site.answers.find(({ path }) => path === '/');
  const app = wrong?.status === 200 && wrong.digest === home?.digest;
  const error = app || !wrong ? undefined : findDocument(site, objects, wrong);
  const moves = listMoves(site.answers, site.origin);
  return {
    index,
    error,
    app,
    objects,
    found: findRules(learnObjects(objects, isExact)),
    ...withoutCircles(writeMoved(moves, site.probes.movedFolders)),
    quirks: learnQuirks(site, { app, error }),
    refused: listRefused(site, index),
    isShared:
      objects.length > 0 &&
      objects.every(({ answer }) => answer.headers['access-control-allow-origin'] === '*'),
  };
}

/** Leading back to itself is no address's place in a config. */
function withoutCircles(moved: MovedSetting): Pick<LearnedSite, 'moved' | 'circles'> {
  const found: (readonly string[])[] = [];
  let left = moved;
  for (let circles = listCircles(left); circles.length > 0; circles = listCircles(left)) {
    found.push(...circles.map(({ steps }) => steps));
    const gone = new Set(circles.flatMap(({ from, steps }) => [from, ...steps]));
    const keep = (table: Readonly<Record<string, string>>) =>
      Object.fromEntries(
        Object.entries(table).filter(([from]) => !gone.has(from) && !isFolderOf(from, gone)),
      );
    const less = { permanently: keep(left.permanently), temporarily: keep(left.temporarily) };
    if (JSON.stringify(less) === JSON.stringify(left)) break;
    left = less;
  }
  return { moved: left, circles: found };
}

const isFolderOf = (from: string, paths: ReadonlySet<string>): boolean =>
  from.endsWith('/*') && [...paths].some((path) => path.startsWith(from.slice(0, -1)));

/** The name of the document whose bytes the root answers with. */
function findIndexName({ answers, files }: SeenSite): string {
  const digest = answers.find(({ path, status }) => path === '/' && status === 200)?.digest;
  if (digest === undefined) return DEFAULT_INDEX;
  const inFolder = [...(files ?? [])].filter(([key, each]) => !key.includes('/') && each === digest);
  const asked = answers.filter(
    ({ path, status, digest: each }) => status === 200 && each === digest && /^\/[^/]+$/.test(path),
  );
  const names = [...inFolder.map(([key]) => key), ...asked.map(({ path }) => keyOf(path, '') ?? '')];
  return (
    names.find((name) => /^(?:index|default|home)\./i.test(name)) ?? names.find(Boolean) ?? DEFAULT_INDEX
  );
}
const DEFAULT_INDEX = 'index.html';

/** The key that an address names in a bucket; undefined where no key can be called so. */
export function keyOf(path: string, index: string): string | undefined {
  let decoded: string;
  try {
    decoded = decodeURIComponent(path.slice(1));
  } catch {
    return undefined;
  }
  const key = path.endsWith('/') ? decoded + index : decoded;
  if (key.split('/').some((segment) => segment === '' || segment === '.' || segment === '..'))
    return undefined;
  const parsed = parseKey(key);
  return 'fault' in parsed && parsed.fault !== undefined ? undefined : key;
}

/** Each object once: what an address of a file says of it comes before what its folder's does. */
function listObjects({ answers, files }: SeenSite, index: string): SeenObject[] {
  const byKey = new Map<string, SeenAnswer>();
  const sorted = [...answers].sort((a, b) => Number(a.path.endsWith('/')) - Number(b.path.endsWith('/')));
  for (const answer of sorted) {
    if (answer.status !== 200) continue;
    const named = keyOf(answer.path, index);
    const key = named === undefined ? undefined : fileFor(named, index, files);
    if (key === undefined || byKey.has(key)) continue;
    byKey.set(key, answer);
  }
  return [...byKey].map(([key, answer]) => ({ key, answer })).sort((a, b) => (a.key < b.key ? -1 : 1));
}

/** The file that answers at an address: hosts leave endings out. */
const fileFor = (named: string, index: string, files: SeenSite['files']): string | undefined =>
  files ? [named, `${named}/${index}`, `${named}.html`].find((key) => files.has(key)) : named;

/** The object that a wrong address shows. */
function findDocument(
  { files }: SeenSite,
  objects: readonly SeenObject[],
  { digest, size }: SeenAnswer,
): string | undefined {
  if (size === 0) return undefined;
  const known = objects.find(({ answer }) => answer.digest === digest)?.key;
  return known ?? [...(files ?? [])].find(([, each]) => each === digest)?.[0];
}

function learnQuirks(
  { origin, answers, probes }: SeenSite,
  { app, error }: { readonly app: boolean; readonly error: string | undefined },
): Partial<Quirks> {
  const [wrong] = probes.wrong;
  const quirks: Record<string, string | number> = {};
  const byPath = new Map(answers.map((answer) => [answer.path, answer]));
  const sentOn = answers.filter(
    (answer) => isRedirect(answer) && targetOf(answer, origin) === `${answer.path}/`,
  );
  // Some may be refused by themselves.
  const bare =
    probes.bare.find((answer) => isRedirect(answer) || answer.status === 200) ?? probes.bare[0] ?? sentOn[0];
  if (bare) {
    if (isRedirect(bare)) {
      if ([301, 307, 308].includes(bare.status)) quirks['folderRedirectStatus'] = bare.status;
      if (probes.bare.includes(bare) && !(targetOf(bare, origin) ?? '?').includes('?'))
        quirks['folderRedirectForm'] = 'address';
    } else if (bare.status === 200) quirks['folderWithoutSlash'] = 'index';
    else if (bare.status === 404) quirks['folderWithoutSlash'] = 'missing';
  }
  if (sentOn.some(({ path }) => (byPath.get(`${path}/`)?.status ?? 200) >= 400))
    quirks['folderWithoutIndex'] = 'redirect';
  if (wrong?.status === 403) quirks['missingKey'] = 403;
  if (wrong?.status === 200 && error !== undefined) quirks['errorDocumentStatus'] = 200;
  if (app) quirks['appPages'] = 'page';
  return quirks as Partial<Quirks>;
}

/**
 * Keys that nobody is let to read, and folders of them. What robots.txt keeps from view counts too: nobody knows whether
 * the public may have it.
 */
function listRefused({ answers, files, unseen = [] }: SeenSite, index: string): string[] {
  if (!files) return [];
  const paths = [
    ...unseen,
    ...answers.flatMap(({ path, status }) => (status === 403 || status === 401 ? [path] : [])),
  ];
  const refused = new Set(
    paths.flatMap((path) => {
      const key = path.endsWith('/') ? undefined : keyOf(path, index);
      return key !== undefined && files.has(key) ? [key] : [];
    }),
  );
  const [all, some] = [countByFolder(files.keys()), countByFolder(refused)];
  const whole = new Set<string>();
  const alone: string[] = [];
  for (const key of refused) {
    const folder = foldersAbove(key).find((each) => all.get(each) === some.get(each));
    if (folder === undefined) alone.push(key);
    else whole.add(folder);
  }
  return [
    ...[...whole].map((folder) => `${escapePattern(folder)}**`),
    ...alone.map((key) => `${key.includes('/') ? '' : '/'}${escapePattern(key)}`),
  ];
}

/** How many keys lie below each folder. */
function countByFolder(keys: Iterable<string>): Map<string, number> {
  const counts = new Map<string, number>();
  for (const key of keys)
    for (const folder of foldersAbove(key)) counts.set(folder, (counts.get(folder) ?? 0) + 1);
  return counts;
}
