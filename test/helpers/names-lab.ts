import { execFile } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { promisify } from 'node:util';

const SCRIPT = resolve('scripts/names-lab');

export interface NamesLab {
  /** Takes the tree to a stage of a move, or to a fault. */
  move(stage: string): Promise<void>;
  stop(): Promise<void>;
}

/** A root, a parent, two providers and two caching resolvers. @param ttls by the names of the script */
export async function startNames(ttls: Readonly<Record<string, number>>): Promise<NamesLab> {
  const folder = mkdtempSync(join(tmpdir(), 'fenestra-names-'));
  const env = {
    ...process.env,
    RES_BIND: '1',
    ...Object.fromEntries(Object.entries(ttls).map(([name, ttl]) => [name, String(ttl)])),
  };
  const run = async (...words: string[]): Promise<void> =>
    void (await promisify(execFile)(SCRIPT, words, { env, encoding: 'utf8' }));
  await run('start', folder);
  return {
    move: (stage) => run('move', folder, stage),
    async stop() {
      await run('stop', folder);
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

export const ROOT = '127.53.0.1:5300';
/** Unbound and BIND. */
export const RESOLVERS = ['127.53.9.1', '127.53.9.2'];
/** Where the new zone leads, and where the old one did. */
export const [NEW_PLACE, OLD_PLACE] = ['127.53.4.1', '127.53.3.1'];
