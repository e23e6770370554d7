/**
 * What was learned of a site last time, in one packed file: names, then numbers, then digests.
 * A file counts as unchanged when its size, both times and its inode are the same and it was not
 * touched so shortly before the memo that a second change could hide behind the same time.
 */
import { readFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { crc32 } from 'node:zlib';
import { makeOwnFolder } from '../files/own-folder.js';
import { writeWhole } from '../files/write-whole.js';
import type { Decision } from '../core/assign/cascade.js';
import type { ObjectGroup } from '../core/site/groups.js';
import type { Finding } from '../core/findings/finding.js';
import type { Facts } from '../core/site/site-object.js';
import { parseKey } from '../core/site/key.js';
import type { SurveyObject } from '../core/site/survey.js';
import type { SiteFile } from './file-list.js';
import { FOLDER_COLUMNS, KnownFolders, type FolderRows } from './folder-rows.js';
import { NameTable } from './name-table.js';
import { isOlder } from './time-step.js';
import type { PastState } from './trail.js';
import type { Expected } from './walk.js';

const FORMAT = 6;
/** Bytes of the checksum at the end. */
const CHECKSUM = 4;
const COLUMNS = 7;

export interface Remembered {
  readonly digest: string;
  readonly size: number;
  readonly facts: Facts;
  readonly decision: Decision;
}

/** What is true of the site as a whole, as long as nothing in it has changed. */
export interface SiteSummary {
  /** Digest of every key with its bytes and headers. */
  readonly identity: string;
  readonly findings: readonly Finding[];
  readonly groups: readonly ObjectGroup[];
  /** Digest of everything besides the objects that the findings depend on; '' when they depend on the clock. */
  readonly findingsBasis: string;
  /** Absent in memos of before. */
  readonly trail?: readonly PastState[] | undefined;
}

interface Head extends SiteSummary {
  readonly format: number;
  /** Digest of everything besides a file's bytes that decides what is remembered of it. */
  readonly basis: string;
  readonly takenAt: number;
  readonly count: number;
  /** How many folders; their names and numbers follow those of the files. */
  readonly folders: number;
  readonly namesBytes: number;
  /** How many of these are names of folders. */
  readonly folderNamesBytes: number;
  readonly decisions: readonly Decision[];
  readonly facts: readonly Facts[];
}

export interface SurveyCache {
  readonly basis: string;
  readonly summary: SiteSummary | undefined;
  /** What was met last time; undefined when nothing is remembered. */
  readonly expected: Expected | undefined;
  /** What is known of a file as it is now; undefined when it must be read. */
  recall(file: SiteFile): Remembered | undefined;
  /** The keys of the files that were there last time and were not asked for since. */
  listGone(): string[];
}

const EMPTY_CACHE: SurveyCache = {
  basis: '',
  summary: undefined,
  expected: undefined,
  recall: () => undefined,
  listGone: () => [],
};

/** Reads a memo; one that is absent, damaged or of another format remembers nothing. */
export function readMemo(path: string): SurveyCache {
  let bytes: Buffer;
  try {
    bytes = readFileSync(path);
  } catch {
    return EMPTY_CACHE;
  }
  try {
    return parseMemo(bytes);
  } catch {
    return EMPTY_CACHE;
  }
}

function parseMemo(bytes: Buffer): SurveyCache {
  const end = bytes.length - CHECKSUM;
  if (crc32(bytes.subarray(0, end)) !== bytes.readUInt32LE(end)) return EMPTY_CACHE;
  const headBytes = bytes.readUInt32LE(0);
  const head = JSON.parse(bytes.toString('utf8', 4, 4 + headBytes)) as Head;
  if (head.format !== FORMAT) return EMPTY_CACHE;
  const { count, folders, namesBytes, folderNamesBytes, decisions, facts, takenAt } = head;
  const namesAt = 4 + headBytes;
  const numbersAt = namesAt + namesBytes;
  const digestsAt = numbersAt + (count * COLUMNS + folders * FOLDER_COLUMNS) * 8;
  if (end !== digestsAt + count * 64) return EMPTY_CACHE;
  const foldersAt = namesAt + namesBytes - folderNamesBytes;
  const names = new NameTable(bytes.toString('utf8', namesAt, foldersAt));
  const folderPaths = folders === 0 ? [] : bytes.toString('utf8', foldersAt, numbersAt).split('\0');
  if (folderPaths.length !== folders) return EMPTY_CACHE;
  const numbers = new Float64Array(
    bytes.buffer.slice(bytes.byteOffset + numbersAt, bytes.byteOffset + digestsAt),
  );
  let index: Map<string, number> | undefined;
  let next = 0;
  const isThere = new Uint8Array(count);

  const isUnchanged = (
    file: Omit<SiteFile, 'key' | 'path' | 'inode'>,
    inode: number,
    row: number,
  ): boolean => {
    const at = row * COLUMNS;
    return (
      numbers[at] === file.size &&
      numbers[at + 1] === file.mtimeMs &&
      numbers[at + 2] === file.ctimeMs &&
      numbers[at + 3] === inode &&
      isOlder(file, takenAt)
    );
  };

  const find = (path: string): number | undefined => {
    // Both lists are in key order, so the next row is nearly always the one.
    if (next < count && names.at(next) === path) return next;
    index ??= new Map(names.all().map((name, at) => [name, at]));
    return index.get(path);
  };

  return {
    basis: head.basis,
    summary: head,
    expected: {
      files: {
        count,
        isNext: (row, path, stats) =>
          row < count && names.at(row) === path && isUnchanged(stats, stats.ino, row),
        file(row) {
          const at = row * COLUMNS;
          const path = names.at(row);
          return {
            key: parseKey(path).key,
            path,
            size: numbers[at] ?? 0,
            mtimeMs: numbers[at + 1] ?? 0,
            ctimeMs: numbers[at + 2] ?? 0,
            inode: numbers[at + 3] ?? 0,
          };
        },
      },
      folders: new KnownFolders(
        { paths: folderPaths, numbers: numbers.subarray(count * COLUMNS) },
        names,
        takenAt,
      ),
    },
    recall(file) {
      const row = find(file.path);
      if (row === undefined) return undefined;
      next = row + 1;
      isThere[row] = 1;
      if (!isUnchanged(file, file.inode, row)) return undefined;
      const at = row * COLUMNS;
      const decision = decisions[numbers[at + 5] ?? -1];
      const known = facts[numbers[at + 6] ?? -1];
      if (!decision || !known) return undefined;
      const digest = bytes.toString('latin1', digestsAt + row * 64, digestsAt + row * 64 + 64);
      return { size: numbers[at + 4] ?? 0, digest, decision, facts: known };
    },
    listGone() {
      const gone: string[] = [];
      for (let row = isThere.indexOf(0); row >= 0; row = isThere.indexOf(0, row + 1))
        gone.push(parseKey(names.at(row)).key);
      return gone;
    },
  };
}

/** Objects whose columns are written at once. */
const PIECE = 4096;

/** Writes a memo whole, under a temporary name first. A memo that cannot be written is only a slower next time. */
export function writeMemo(
  path: string,
  basis: string,
  takenAt: number,
  objects: readonly SurveyObject[],
  folders: FolderRows,
  summary: SiteSummary,
): boolean {
  const decisions = new Interned<Decision>();
  const facts = new Interned<Facts>();
  let namesBytes = Math.max(0, objects.length - 1);
  for (const { path: name, decision, facts: known } of objects) {
    namesBytes += Buffer.byteLength(name);
    decisions.place(decision);
    facts.place(known);
  }
  const folderNames = Buffer.from(folders.paths.join('\0'));
  const head: Head = {
    format: FORMAT,
    basis,
    takenAt,
    count: objects.length,
    folders: folders.paths.length,
    namesBytes: namesBytes + folderNames.length,
    folderNamesBytes: folderNames.length,
    decisions: decisions.list,
    facts: facts.list,
    ...summary,
  };
  const headBytes = Buffer.from(JSON.stringify(head));
  const length = Buffer.alloc(4);
  length.writeUInt32LE(headBytes.length);
  /** A piece at a time: none of the columns is ever held whole. */
  function* pieces(): Generator<Buffer> {
    yield Buffer.concat([length, headBytes]);
    for (let at = 0; at < objects.length; at += PIECE) {
      const names = objects.slice(at, at + PIECE).map(({ path: name }) => name);
      yield Buffer.from(`${at === 0 ? '' : '\0'}${names.join('\0')}`);
    }
    yield folderNames;
    for (let at = 0; at < objects.length; at += PIECE) {
      const part = objects.slice(at, at + PIECE);
      const numbers = new Float64Array(part.length * COLUMNS);
      part.forEach(({ stamp, size, decision, facts: known }, row) => {
        numbers.set(
          [
            stamp.size,
            stamp.mtimeMs,
            stamp.ctimeMs,
            stamp.inode,
            size,
            decisions.place(decision),
            facts.place(known),
          ],
          row * COLUMNS,
        );
      });
      yield Buffer.from(numbers.buffer);
    }
    yield Buffer.from(Float64Array.from(folders.numbers).buffer);
    for (let at = 0; at < objects.length; at += PIECE)
      yield Buffer.from(
        objects
          .slice(at, at + PIECE)
          .map(({ digest }) => digest)
          .join(''),
        'latin1',
      );
  }
  try {
    makeOwnFolder(dirname(path));
    writeWhole(path, withChecksum(pieces()));
    return true;
  } catch {
    return false;
  }
}

function* withChecksum(pieces: Iterable<Buffer>): Generator<Buffer> {
  let sum = 0;
  for (const piece of pieces) {
    sum = crc32(piece, sum);
    yield piece;
  }
  const bytes = Buffer.alloc(CHECKSUM);
  bytes.writeUInt32LE(sum);
  yield bytes;
}

class Interned<T extends object> {
  readonly list: T[] = [];
  readonly #byObject = new Map<T, number>();
  readonly #byText = new Map<string, number>();

  place(value: T): number {
    const known = this.#byObject.get(value);
    if (known !== undefined) return known;
    const text = JSON.stringify(value);
    let at = this.#byText.get(text);
    if (at === undefined) {
      at = this.list.push(value) - 1;
      this.#byText.set(text, at);
    }
    this.#byObject.set(value, at);
    return at;
  }
}
