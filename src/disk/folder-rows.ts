/**
 * The folders of a walk. A folder whose times and inode are still the same holds the same names, so the next walk
 * asks its files for theirs without reading it again.
 */
import { statfsSync, type Stats } from 'node:fs';
import type { NameTable } from './name-table.js';
import { isOlder } from './time-step.js';

/** Paths in the order of the walk ('' is the site itself), and for each the columns below. */
export interface FolderRows {
  readonly paths: readonly string[];
  readonly numbers: ArrayLike<number>;
}

export const FOLDER_COLUMNS = 7;
const MTIME = 0;
const CTIME = 1;
const INODE = 2;
/** How many of its names were left out. */
const LEFT_OUT = 3;
/** The rows of the files below it, the end not included. */
const FIRST_FILE = 4;
const END_FILE = 5;
/** The row of the folder that follows all those below it. */
const NEXT = 6;
export const NO_FOLDERS: FolderRows = { paths: [], numbers: [] };
/** In place of an inode: this folder is always read. */
const ALWAYS_READ = -1;

// On these a folder's times change whenever a name in it comes or goes: ext, XFS, Btrfs, F2FS, ZFS, bcachefs,
// tmpfs, overlay (statfs(2)). Others may not date folders, or late, so there every folder is read.
const DATED = [0xef53, 0x58465342, 0x9123683e, 0xf2f52010, 0x2fc12fc1, 0xca451a4e, 0x01021994, 0x794c7630];

export function datesFolders(folder: string): boolean {
  try {
    return process.platform === 'linux' && DATED.includes(statfsSync(folder).type >>> 0);
  } catch {
    return false;
  }
}

/** What a walk met right in one folder. */
export interface Met {
  /** How many names were left out. */
  readonly leftOut: number;
  /** Whether there was nothing besides files and folders. */
  readonly regular: boolean;
}

/** Notes the folders of a walk as it goes. */
export class FolderRecord implements FolderRows {
  readonly paths: string[] = [];
  readonly numbers: number[] = [];

  /**
   * @param stats as they were before the folder was read; undefined when they do not tell whether it has changed
   * @param file how many files the walk has met so far
   */
  enter(path: string, stats: Stats | undefined, file: number): number {
    this.numbers.push(stats?.mtimeMs ?? 0, stats?.ctimeMs ?? 0, stats?.ino ?? ALWAYS_READ, 0, file, file, 0);
    return this.paths.push(path) - 1;
  }

  leave(row: number, { leftOut, regular }: Met, file: number): void {
    const at = row * FOLDER_COLUMNS;
    if (!regular) this.numbers[at + INODE] = ALWAYS_READ;
    this.numbers[at + LEFT_OUT] = leftOut;
    this.numbers[at + END_FILE] = file;
    this.numbers[at + NEXT] = this.paths.length;
  }
}

/** A folder that holds the names that it held. */
export interface KnownFolder extends Met {
  /** Goes through what the folder holds in the order of the walk; a folder's path ends with a slash. */
  meet(file: (path: string) => void, folder: (path: string) => void): void;
}

/** The folders of an earlier walk. */
export class KnownFolders {
  readonly #rows: FolderRows;
  readonly #files: NameTable;
  readonly #takenAt: number;
  #index: Map<string, number> | undefined;

  /**
   * @param files the paths of the files of that walk, in its order
   * @param takenAt when it began
   */
  constructor(rows: FolderRows, files: NameTable, takenAt: number) {
    this.#rows = rows;
    this.#files = files;
    this.#takenAt = takenAt;
  }

  /** A folder, when it has not changed since. */
  findUnchanged(path: string, stats: Stats): KnownFolder | undefined {
    this.#index ??= new Map(this.#rows.paths.map((each, row) => [each, row]));
    const row = this.#index.get(path);
    return row !== undefined &&
      this.#at(row, INODE) === stats.ino &&
      this.#at(row, MTIME) === stats.mtimeMs &&
      this.#at(row, CTIME) === stats.ctimeMs &&
      isOlder(stats, this.#takenAt)
      ? {
          regular: true,
          leftOut: this.#at(row, LEFT_OUT),
          meet: (file, folder) => this.#meet(row, file, folder),
        }
      : undefined;
  }

  #meet(row: number, meetFile: (path: string) => void, meetFolder: (path: string) => void): void {
    const end = this.#at(row, END_FILE);
    const next = this.#at(row, NEXT);
    let folder = row + 1;
    let file = this.#at(row, FIRST_FILE);
    while (file < end || folder < next) {
      if (folder < next && this.#at(folder, FIRST_FILE) === file) {
        meetFolder(this.#rows.paths[folder] ?? '');
        file = this.#at(folder, END_FILE);
        folder = this.#at(folder, NEXT);
      } else meetFile(this.#files.at(file++));
    }
  }

  #at(row: number, column: number): number {
    return this.#rows.numbers[row * FOLDER_COLUMNS + column] ?? 0;
  }
}
