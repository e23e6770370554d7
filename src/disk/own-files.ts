/** What belongs to Fenestra and lies in a site folder: it is never part of the site, under whatever name. */
import { closeSync, openSync, readSync, statSync, type Stats } from 'node:fs';

/** The list of headers beside the files of an export. */
export const HEADER_LIST = 'headers.jsonl';

export interface OwnFile {
  /** Absolute; a file or a folder, there or not. */
  readonly path: string;
  /** What it is, as a phrase. */
  readonly what: string;
}

export interface LeftOut {
  readonly path: string;
  readonly because: string;
}

/** What a file says of itself in its first bytes: every pattern is there. */
const HEADS: readonly (readonly [name: RegExp, head: readonly RegExp[], what: string])[] = [
  [/\.json$/i, [/^\s*\{\s*"about":\s*"What fenestra check knows already/], 'a baseline of `fenestra check`'],
  [/\.ya?ml$/i, [/^card\s*:/m, /^(?:currency|decimals|rounding)\s*:/m], 'a rate card'],
  [/\.ya?ml$/i, [/^site\s*:/m, /^destinations\s*:/m, /\bbucket\s*:/], 'a config of Fenestra'],
];
const HEAD_BYTES = 4096;

export class OwnFiles {
  readonly #whats = new Map<string, string>();
  readonly #readsHeads: boolean;

  /** @param readsHeads whether the site holds the project's own folder, so that anything of Fenestra's may lie in it */
  constructor(files: readonly OwnFile[], readsHeads: boolean) {
    this.#readsHeads = readsHeads;
    for (const { path, what } of files) {
      const id = idAt(path);
      if (id !== undefined) this.#whats.set(id, what);
    }
  }

  /** What a file or folder is; undefined where it is the site's. @param full its path */
  find(full: string, stats: Stats): string | undefined {
    if (this.#whats.size > 0) {
      const what = this.#whats.get(idOf(stats));
      if (what !== undefined) return what;
    }
    if (!this.#readsHeads || !stats.isFile()) return undefined;
    const heads = HEADS.filter(([name]) => name.test(full));
    if (heads.length === 0) return undefined;
    const text = readHead(full);
    return heads.find(([, head]) => head.every((each) => each.test(text)))?.[2];
  }

  /** Whether a folder is an export. @param names of what lies in it */
  isExport(folder: string, names: readonly string[]): boolean {
    return (
      names.includes(HEADER_LIST) &&
      /^\{"key":".*"digest":"[0-9a-f]{64}"/.test(readHead(`${folder}/${HEADER_LIST}`).split('\n', 1)[0] ?? '')
    );
  }
}

/** Whatever it is called, and however many links lead to it. */
const idOf = ({ dev, ino }: Stats): string => `${dev}:${ino}`;

/** Undefined where nothing is there, or nobody may look: then it is no part of a site either. */
function idAt(path: string): string | undefined {
  try {
    return idOf(statSync(path));
  } catch {
    return undefined;
  }
}

/** The first bytes of a file; '' where it cannot be read, which reading it will say. */
function readHead(path: string): string {
  try {
    const file = openSync(path, 'r');
    try {
      const bytes = Buffer.alloc(HEAD_BYTES);
      return bytes.toString('utf8', 0, readSync(file, bytes, 0, HEAD_BYTES, 0));
    } finally {
      closeSync(file);
    }
  } catch {
    return '';
  }
}
