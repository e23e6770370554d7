/** Walking the site folder, synchronously: for tens of thousands of small calls that is the fastest way. */
import { lstatSync, readdirSync, realpathSync, statSync, type Dirent, type Stats } from 'node:fs';
import { join, sep } from 'node:path';
import { FenestraError, systemCode } from '../core/errors/catalogue.js';
import { compareKeys, parseKey, MAX_KEY_BYTES, type KeyFault } from '../core/site/key.js';
import { isLeftOut } from '../core/site/names.js';

export type LinkPolicy = 'inside' | 'follow' | 'skip';

export interface SiteFile {
  readonly key: string;
  /** Relative to the site, as it is on disk. */
  readonly path: string;
  readonly size: number;
  /** Milliseconds, with fractions. */
  readonly mtimeMs: number;
  readonly ctimeMs: number;
  readonly inode: number;
}

export interface Walked {
  /** In key order. Made when first asked for, where every file was as expected. */
  readonly files: SiteFile[];
  readonly count: number;
  /** Whether the files are the expected ones, none more and none less. */
  readonly same: boolean;
  /** Links that lead out of the site or nowhere, with the reason. */
  readonly links: { readonly path: string; readonly because: string }[];
  /** How many names were left out as dot files and litter. */
  readonly leftOut: number;
}

/** The files of an earlier walk. While a walk meets just these, it need not make a list of its own. */
export interface ExpectedFiles {
  readonly count: number;
  isNext(row: number, path: string, stats: Stats): boolean;
  file(row: number): SiteFile;
}

/**
 * Reads the tree below a folder.
 * @throws FenestraError SITE_MISSING, SITE_NOT_FOLDER, SITE_FAULTS (keys that cannot be, keys that meet)
 */
export function walkSite(site: string, linkPolicy: LinkPolicy = 'inside', expected?: ExpectedFiles): Walked {
  const root = rootOf(site);
  const list = new FileList(expected);
  const links: Walked['links'] = [];
  let leftOut = 0;
  const faults: string[] = [];
  const visit = (folder: string, prefix: string, ancestors: readonly string[]): void => {
    for (const entry of readFolder(folder, prefix, faults)) {
      const path = prefix + entry.name;
      if (isLeftOut(entry.name)) {
        leftOut++;
        continue;
      }
      const full = folder + sep + entry.name;
      if (entry.isDirectory()) visit(full, `${path}/`, ancestors);
      else if (entry.isFile()) addFile(path, lstatSync(full, { throwIfNoEntry: false }));
      else if (entry.isSymbolicLink()) followLink(full, path, ancestors);
      else links.push({ path, because: 'it is neither a file nor a folder' });
    }
  };
  const addFile = (path: string, stats: Stats | undefined): void => {
    if (!stats) throw new FenestraError('FILE_CHANGING', { path: join(site, path) });
    const fault = list.add(path, stats);
    if (fault) faults.push(describeKeyFault(path, fault));
  };
  const followLink = (full: string, path: string, ancestors: readonly string[]): void => {
    const leave = (because: string): void => void links.push({ path, because });
    if (linkPolicy === 'skip') return leave('`links: skip` leaves every link out');
    let real: string;
    try {
      real = realpathSync(full);
    } catch (error) {
      return leave(systemCode(error) === 'ELOOP' ? 'the link leads to itself' : 'the link leads nowhere');
    }
    const inside = real === root || real.startsWith(root + sep);
    if (!inside && linkPolicy === 'inside') return leave(`the link leaves the site, to ${real}`);
    const stats = statSync(full);
    if (stats.isFile()) return addFile(path, stats);
    if (!stats.isDirectory()) return leave('it is neither a file nor a folder');
    if (ancestors.includes(real) || root.startsWith(real + sep) || full.startsWith(real + sep))
      return leave('the link leads to a folder that it stands in');
    visit(full, `${path}/`, [...ancestors, real]);
  };
  visit(root, '', [root]);
  const files = list.finish();
  if (files) faults.push(...meetingKeys(files));
  if (faults.length > 0) {
    const shown = faults.slice(0, 20);
    if (faults.length > shown.length) shown.push(`and ${faults.length - shown.length} more`);
    throw new FenestraError('SITE_FAULTS', {
      faults: shown.join('\n'),
      count: faults.length === 1 ? 'it' : 'them',
    });
  }
  return {
    get files() {
      return files ?? list.expectedFiles();
    },
    count: files?.length ?? expected?.count ?? 0,
    same: files === undefined,
    links,
    leftOut,
  };
}

/** Collects files, but only once one of them is not the expected one. */
class FileList {
  readonly #expected: ExpectedFiles | undefined;
  #matched = 0;
  #files: SiteFile[] | undefined;

  constructor(expected: ExpectedFiles | undefined) {
    this.#expected = expected;
    if (!expected) this.#files = [];
  }

  add(path: string, stats: Stats): KeyFault | undefined {
    if (!this.#files) {
      if (this.#expected?.isNext(this.#matched, path, stats)) {
        this.#matched++;
        return undefined;
      }
      this.#files = this.expectedFiles(this.#matched);
    }
    const { key, fault } = parseKey(path);
    if (fault) return fault;
    this.#files.push({
      key,
      path,
      size: stats.size,
      mtimeMs: stats.mtimeMs,
      ctimeMs: stats.ctimeMs,
      inode: stats.ino,
    });
    return undefined;
  }

  /** The files in key order; undefined when they are the expected ones. */
  finish(): SiteFile[] | undefined {
    if (!this.#files && this.#matched === this.#expected?.count) return undefined;
    const files = this.#files ?? this.expectedFiles(this.#matched);
    // Folders are walked in key order; only followed links and composed letters can upset it.
    return isSorted(files) ? files : files.sort((a, b) => compareKeys(a.key, b.key));
  }

  expectedFiles(count = this.#expected?.count ?? 0): SiteFile[] {
    const expected = this.#expected;
    return expected ? Array.from({ length: count }, (_, row) => expected.file(row)) : [];
  }
}

function rootOf(site: string): string {
  try {
    const real = realpathSync(site);
    if (!statSync(real).isDirectory()) throw new FenestraError('SITE_NOT_FOLDER', { path: site });
    return real;
  } catch (error) {
    if (error instanceof FenestraError) throw error;
    const code = systemCode(error);
    if (code === 'ENOENT' || code === 'ENOTDIR')
      throw new FenestraError('SITE_MISSING', { path: site }, error);
    throw new FenestraError('FILE_UNREADABLE', { path: site, reason: code ?? String(error) }, error);
  }
}

function readFolder(folder: string, prefix: string, faults: string[]): Dirent[] {
  try {
    const entries = readdirSync(folder, { withFileTypes: true });
    return entries.sort(entries.some((entry) => !entry.isFile()) ? byKey : byName);
  } catch (error) {
    faults.push(`the folder ${prefix || folder} cannot be read: ${systemCode(error) ?? String(error)}`);
    return [];
  }
}

const byName = (a: Dirent, b: Dirent): number => (a.name < b.name ? -1 : 1);

/** Orders a folder's entries as the keys below them will stand: a folder counts with its slash. */
function byKey(a: Dirent, b: Dirent): number {
  return compareKeys(a.isDirectory() ? `${a.name}/` : a.name, b.isDirectory() ? `${b.name}/` : b.name);
}

function isSorted(files: readonly SiteFile[]): boolean {
  for (let at = 1; at < files.length; at++) {
    const [one, two] = [files[at - 1], files[at]];
    if (one && two && compareKeys(one.key, two.key) > 0) return false;
  }
  return true;
}

function describeKeyFault(path: string, fault: KeyFault): string {
  const shown = JSON.stringify(path.length > 90 ? `${path.slice(0, 60)}…${path.slice(-20)}` : path);
  switch (fault) {
    case 'too-long':
      return `${shown} makes a key of ${Buffer.byteLength(path.normalize('NFC'))} bytes; a store takes ${MAX_KEY_BYTES}: shorten its folders or its name`;
    case 'control-character':
      return `${shown} has a control character in its name, which no address can carry: rename it`;
    case 'not-unicode':
      return `${shown} has a name that is not UTF-8: rename it`;
    case 'empty':
      return `${shown} makes an empty key: rename it`;
  }
}

function meetingKeys(files: readonly SiteFile[]): string[] {
  const faults: string[] = [];
  for (let at = 1; at < files.length; at++) {
    const [one, two] = [files[at - 1], files[at]];
    if (one && two && one.key === two.key) {
      faults.push(
        `${describeName(one.path)} and ${describeName(two.path)} become one key, ${JSON.stringify(two.key)}: rename one of them`,
      );
    }
  }
  return faults;
}

/** Names that look alike are told apart by their Unicode form. */
const describeName = (path: string): string =>
  `${JSON.stringify(path)} (${path === path.normalize('NFC') ? 'composed' : 'decomposed'} letters)`;

export const absolutePath = (site: string, file: { readonly path: string }): string => join(site, file.path);
