/** The files that a walk meets, beside those that an earlier walk met. */
import type { Stats } from 'node:fs';
import { compareKeys, parseKey, type KeyFault } from '../core/site/key.js';

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

/** The files of an earlier walk. While a walk meets just these, it need not make a list of its own. */
export interface ExpectedFiles {
  readonly count: number;
  isNext(row: number, path: string, stats: Stats): boolean;
  file(row: number): SiteFile;
}

/** Collects files, but only once one of them is not the expected one. */
export class FileList {
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
      // One string for both, where they are the same.
      path: key === path ? key : path,
      size: stats.size,
      mtimeMs: stats.mtimeMs,
      ctimeMs: stats.ctimeMs,
      inode: stats.ino,
    });
    return undefined;
  }

  /** The files in key order, undefined when they are the expected ones; and whether the walk met them so. */
  finish(): { readonly files: SiteFile[] | undefined; readonly asWalked: boolean } {
    if (!this.#files && this.#matched === this.#expected?.count) return { files: undefined, asWalked: true };
    const files = this.#files ?? this.expectedFiles(this.#matched);
    // Folders are walked in key order; only followed links and composed letters can upset it.
    const asWalked = isSorted(files);
    return { files: asWalked ? files : files.sort((a, b) => compareKeys(a.key, b.key)), asWalked };
  }

  /** How many there are so far. */
  get count(): number {
    return this.#files?.length ?? this.#matched;
  }

  expectedFiles(count = this.#expected?.count ?? 0): SiteFile[] {
    const expected = this.#expected;
    return expected ? Array.from({ length: count }, (_, row) => expected.file(row)) : [];
  }
}

function isSorted(files: readonly SiteFile[]): boolean {
  for (let at = 1; at < files.length; at++) {
    const [one, two] = [files[at - 1], files[at]];
    if (one && two && compareKeys(one.key, two.key) > 0) return false;
  }
  return true;
}
