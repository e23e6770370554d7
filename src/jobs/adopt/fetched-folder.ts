/** What a site shows, as files: under names that a bucket gives the same addresses. */
import { hash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync } from 'node:fs';
import { dirname, join, resolve, sep } from 'node:path';
import { keyOf } from '../../core/adopting/learn-site.js';
import type { SeenAnswer } from '../../core/adopting/seen.js';
import { isPage } from '../../core/assign/defaults.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { extension } from '../../core/site/key.js';
import { writeWhole } from '../../files/write-whole.js';

export interface FetchedFolder {
  /** Absolute. */
  readonly path: string;
  /** Keys with the digests of their bytes. */
  readonly files: Map<string, string>;
  /** Paths that cannot be files beside the others. */
  readonly unnamed: string[];
  /** Whether it is there from an earlier time. */
  has(answer: SeenAnswer): boolean;
  put(answer: SeenAnswer, body: Buffer): void;
}

const INDEX = 'index.html';

/**
 * @param isBegun whether it may hold files already, of a time that was cut short
 * @throws FenestraError USAGE where others' files are in it
 */
export function openFetchedFolder(folder: string, isBegun: boolean): FetchedFolder {
  const path = resolve(folder);
  if (!isBegun && existsSync(path) && readdirSync(path).length > 0)
    throw new FenestraError('USAGE', {
      what: `${folder} is not empty, and the site's files would lie among the others.`,
      fix: 'Name a folder that is not there yet.',
    });
  mkdirSync(path, { recursive: true });
  const files = new Map<string, string>();
  const unnamed: string[] = [];
  return {
    path,
    files,
    unnamed,
    has(answer) {
      const key = keyFor(answer);
      if (key === undefined || !existsSync(join(path, key))) return false;
      files.set(key, answer.digest);
      return true;
    },
    put(answer, body) {
      const key = keyFor(answer);
      const file = key === undefined ? undefined : join(path, key);
      if (key === undefined || !file?.startsWith(path + sep)) return void unnamed.push(answer.path);
      try {
        mkdirSync(dirname(file), { recursive: true });
        writeWhole(file, body, { mode: 0o644 });
        files.set(key, hash('sha256', body, 'hex'));
      } catch {
        // A file lies where a folder is needed, or the name is too long.
        unnamed.push(answer.path);
      }
    },
  };
}

/** `/about` that is a page lies at `about/index.html`; undefined where no file can be called so. */
function keyFor({ path, headers }: SeenAnswer): string | undefined {
  const key = keyOf(path, INDEX);
  if (key === undefined || /[\\\p{Cc}]/u.test(key)) return undefined;
  const isBare = !path.endsWith('/') && extension(key) === '' && isPage(headers['content-type'] ?? '');
  return isBare ? `${key}/${INDEX}` : key;
}
