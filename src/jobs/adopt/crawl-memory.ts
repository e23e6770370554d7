/** What was asked already, beside the config: a look at a site that was cut short goes on where it stopped. */
import { appendFileSync, existsSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { SeenAnswer } from '../../core/adopting/seen.js';
import { ignoreState } from '../project/ignore-state.js';

export interface Remembered {
  readonly answer: SeenAnswer;
  readonly links: readonly string[];
}

export interface CrawlMemory {
  readonly size: number;
  get(path: string): Remembered | undefined;
  put(answer: SeenAnswer, links: readonly string[]): void;
  /** Nothing is needed any more. */
  forget(): void;
}

const FILE = 'adopting.jsonl';
/** Older answers are asked for anew. Milliseconds. */
const KEPT_FOR = 24 * 3600_000;

/** @param home the folder of the config @param what the site, and in what way it is looked at */
export function openCrawlMemory(home: string, what: string): CrawlMemory {
  const file = join(home, '.fenestra', FILE);
  const known = readMemory(file, what);
  let isBegun = known !== undefined;
  const byPath = known ?? new Map<string, Remembered>();
  return {
    size: byPath.size,
    get: (path) => byPath.get(path),
    put(answer, links) {
      if (!isBegun) {
        ignoreState(home);
        writeFileSync(file, `${JSON.stringify({ what })}\n`);
        isBegun = true;
      }
      appendFileSync(file, `${JSON.stringify({ answer, links })}\n`);
    },
    forget: () => rmSync(file, { force: true }),
  };
}

/** Undefined where it is of something else, too old, or no such file. */
function readMemory(file: string, what: string): Map<string, Remembered> | undefined {
  if (!existsSync(file) || Date.now() - statSync(file).mtimeMs > KEPT_FOR) return undefined;
  const [first = '', ...lines] = readFileSync(file, 'utf8').split('\n');
  if (first !== JSON.stringify({ what })) return undefined;
  const byPath = new Map<string, Remembered>();
  for (const line of lines) {
    try {
      const each = JSON.parse(line) as Remembered;
      if (typeof each.answer.path === 'string' && Array.isArray(each.links))
        byPath.set(each.answer.path, each);
    } catch {
      // The last line may be cut.
    }
  }
  return byPath;
}
