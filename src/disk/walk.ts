/** Walking the site folder, synchronously: for tens of thousands of small calls that is the fastest way. */
import { reasonInWords } from '../core/errors/system-error.js';
import { lstatSync, readdirSync, realpathSync, statSync, type Dirent, type Stats } from 'node:fs';
import { join, sep } from 'node:path';
import { FenestraError, systemCode } from '../core/errors/catalogue.js';
import { compareKeys } from '../core/site/key.js';
import { describeServerRules, idleKind } from '../core/site/idle-files.js';
import { isLeftOut } from '../core/site/names.js';
import { FileList, type ExpectedFiles, type SiteFile } from './file-list.js';
import {
  datesFolders,
  FolderRecord,
  NO_FOLDERS,
  type FolderRows,
  type KnownFolder,
  type KnownFolders,
  type Met,
} from './folder-rows.js';
import { describeKeyFault, meetingKeys } from './key-faults.js';
import type { LeftOut, OwnFiles } from './own-files.js';
import { readWhole } from './read-file.js';

export type LinkPolicy = 'inside' | 'follow' | 'skip';

export interface Walked {
  /** In key order. Made when first asked for, where every file was as expected. */
  readonly files: SiteFile[];
  readonly count: number;
  /** Whether the files are the expected ones, none more and none less. */
  readonly same: boolean;
  /** Links that lead out of the site or nowhere, with the reason. */
  readonly links: LeftOut[];
  /** What is Fenestra's own and was left out. */
  readonly own: LeftOut[];
  /** Rules of a web server among the dot files, with what they hold. */
  readonly idle: LeftOut[];
  /** How many names were left out as dot files and litter. */
  readonly leftOut: number;
  /** For the next walk. */
  readonly folders: FolderRows;
}

/** What an earlier walk met. */
export interface Expected {
  readonly files: ExpectedFiles;
  /** Undefined when every folder is to be read. */
  readonly folders: KnownFolders | undefined;
}

export interface WalkInput {
  readonly links?: LinkPolicy;
  readonly expected?: Expected | undefined;
  /** What is never part of the site. */
  readonly own?: OwnFiles | undefined;
}

/**
 * Reads the tree below a folder.
 * @throws FenestraError SITE_MISSING, SITE_NOT_FOLDER, SITE_FAULTS (keys that cannot be, keys that meet)
 */
export function walkSite(
  site: string,
  { links: linkPolicy = 'inside', expected, own }: WalkInput = {},
): Walked {
  const root = rootOf(site);
  const device = datesFolders(root) ? lstatSync(root).dev : undefined;
  const list = new FileList(expected?.files);
  const record = new FolderRecord();
  const links: LeftOut[] = [];
  const kept: LeftOut[] = [];
  const idle: LeftOut[] = [];
  let leftOut = 0;
  const faults: string[] = [];
  const visit = (folder: string, prefix: string, ancestors: readonly string[]): void => {
    const stats = statsOfFolder(folder);
    const what = stats && prefix !== '' ? own?.find(folder, stats) : undefined;
    if (what !== undefined) return leaveOwn(prefix, what);
    // Folders behind links are read each time: their own times say nothing of where the link leads.
    const dated = stats?.dev === device && ancestors.length === 1 ? stats : undefined;
    const row = record.enter(prefix, dated, list.count);
    const known = dated && expected?.folders?.findUnchanged(prefix, dated);
    const met = known === undefined ? readEntries(folder, prefix, ancestors) : meetAgain(known, ancestors);
    leftOut += met.leftOut;
    record.leave(row, met, list.count);
  };
  const readEntries = (folder: string, prefix: string, ancestors: readonly string[]): Met => {
    const met = { leftOut: 0, regular: true };
    const entries = readFolder(folder, prefix, faults);
    const isExport = own?.isExport(
      folder,
      entries.map(({ name }) => name),
    );
    if (isExport === true && prefix !== '') {
      leaveOwn(prefix, 'an export of a bucket, which may hold what nobody is to read');
      return { leftOut: 0, regular: false };
    }
    const before = kept.length + idle.length;
    for (const entry of entries) {
      const path = prefix + entry.name;
      const full = folder + sep + entry.name;
      if (isLeftOut(entry.name)) {
        met.leftOut++;
        if (entry.isFile() && idleKind(entry.name) === 'server rules')
          idle.push({ path, because: rulesIn(full) });
      } else if (isNotUnicode(entry.name, full)) faults.push(describeKeyFault(path, 'not-unicode'));
      else if (entry.isDirectory()) visit(full, `${path}/`, ancestors);
      else if (entry.isFile()) addFile(path, lstatSync(full, { throwIfNoEntry: false }));
      else {
        met.regular = false;
        if (entry.isSymbolicLink()) followLink(full, path, ancestors);
        else links.push({ path, because: 'it is neither a file nor a folder' });
      }
    }
    // Read each time, so that it is said each time.
    if (kept.length + idle.length > before) met.regular = false;
    return met;
  };
  const meetAgain = (known: KnownFolder, ancestors: readonly string[]): Met => {
    known.meet(
      (path) => addFile(path, lstatSync(root + sep + path, { throwIfNoEntry: false })),
      (path) => visit(root + sep + path.slice(0, -1), path, ancestors),
    );
    return known;
  };
  const leaveOwn = (path: string, what: string): void => void kept.push({ path, because: what });
  const addFile = (path: string, stats: Stats | undefined): void => {
    if (!stats?.isFile()) throw new FenestraError('FILE_CHANGING', { path: join(site, path) });
    const what = own?.find(root + sep + path, stats);
    if (what !== undefined) return leaveOwn(path, what);
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
    const what = own?.find(full, stats);
    if (what !== undefined) return leaveOwn(path, what);
    if (stats.isFile()) return addFile(path, stats);
    if (!stats.isDirectory()) return leave('it is neither a file nor a folder');
    if (ancestors.includes(real) || root.startsWith(real + sep) || full.startsWith(real + sep))
      return leave('the link leads to a folder that it stands in');
    visit(full, `${path}/`, [...ancestors, real]);
  };
  visit(root, '', [root]);
  const { files, asWalked } = list.finish();
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
    count: list.count,
    same: files === undefined,
    links,
    own: kept,
    idle,
    leftOut,
    folders: asWalked ? record : NO_FOLDERS,
  };
}

/** What the rules of a web server speak of; '' where they cannot be read. */
function rulesIn(path: string): string {
  try {
    return describeServerRules(readWhole(path, MAX_RULES).toString('utf8'));
  } catch {
    return '';
  }
}
const MAX_RULES = 64 * 1024;

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
    throw new FenestraError('FILE_UNREADABLE', { path: site, reason: reasonInWords(error) }, error);
  }
}

/** Bytes that are no UTF-8 come as U+FFFD, and under that name there is nothing. */
const isNotUnicode = (name: string, full: string): boolean =>
  name.includes('\ufffd') && !lstatSync(full, { throwIfNoEntry: false });

/** Undefined when it cannot be asked: reading it then says why. */
function statsOfFolder(folder: string): Stats | undefined {
  try {
    return lstatSync(folder);
  } catch {
    return undefined;
  }
}

function readFolder(folder: string, prefix: string, faults: string[]): Dirent[] {
  try {
    const entries = readdirSync(folder, { withFileTypes: true });
    return entries.sort(entries.some((entry) => !entry.isFile()) ? byKey : byName);
  } catch (error) {
    faults.push(`the folder ${prefix || folder} cannot be read: ${reasonInWords(error)}`);
    return [];
  }
}

const byName = (a: Dirent, b: Dirent): number => (a.name < b.name ? -1 : 1);

/** Orders a folder's entries as the keys below them will stand: a folder counts with its slash. */
function byKey(a: Dirent, b: Dirent): number {
  return compareKeys(a.isDirectory() ? `${a.name}/` : a.name, b.isDirectory() ? `${b.name}/` : b.name);
}
