/**
 * Names are moved over real name servers of three kinds, asked by real resolvers of five, beside the built `fenestra domain
 * check --wait`; and states of zones are looked at. Each is in a network namespace of its own. In `npm test` a few of them.
 */
import { spawn } from 'node:child_process';
import { rmSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline';
import { build } from 'esbuild';
import { beforeAll, expect, it } from 'vitest';
import { LONGER } from '../helpers/chance.js';
import { describeWith } from '../helpers/machine.js';
import { makeFolder } from '../helpers/program.js';
import type { Looked } from '../moves/look.js';
import { MOVES, type Move, type MoveName } from '../moves/moves.js';
import type { LastSeen, Played } from '../moves/play.js';
import { STATES } from '../moves/states.js';
import { Attack } from './attack-kit.js';

/** One of each kind; the attack plays them all. */
const FEW: readonly MoveName[] = [
  'a record whose TTL was lowered before',
  'other name servers, the old ones switched off',
  'addresses of name servers that keep their names',
];
/** In `npm test` every so manieth state. */
const EVERY = LONGER > 1 ? 1 : 4;
/** At once: most of the time they wait. */
const BESIDE = 6;
/** Whole seconds of TTLs, and the pause between two questions. Seconds. */
const SLACK = 1.5;

const MADE = ['play', 'look'] as const;
let programs = '';
beforeAll(async () => {
  programs = makeFolder();
  await build({
    entryPoints: MADE.map((name) => join('test/moves', `${name}.ts`)),
    outdir: programs,
    outExtension: { '.js': '.mjs' },
    bundle: true,
    format: 'esm',
    platform: 'node',
    banner: { js: 'const require=(id)=>process.getBuiltinModule(id);' },
  });
});

/** Runs a program in a network namespace of its own. @returns the lines of JSON that it prints */
async function apart(program: (typeof MADE)[number], what: string): Promise<unknown[]> {
  const folder = makeFolder();
  const child = spawn(
    'unshare',
    ['-n', process.execPath, join(programs, `${program}.mjs`), what, folder, resolve('dist/fenestra.js')],
    { stdio: ['ignore', 'pipe', 'pipe'] },
  );
  let trouble = '';
  child.stderr.on('data', (piece: Buffer) => (trouble += String(piece)));
  const ended = new Promise<number>((done) => child.once('exit', (code) => done(code ?? 1)));
  const lines: unknown[] = [];
  for await (const line of createInterface({ input: child.stdout })) lines.push(JSON.parse(line));
  expect([what, await ended, trouble]).toEqual([what, 0, '']);
  rmSync(folder, { recursive: true, force: true });
  return lines;
}

const last = (seen: Readonly<Record<string, LastSeen>>): number =>
  Math.max(0, ...Object.values(seen).map(({ at }) => at));

describeWith(['servers of many kinds'], 'over real name servers and resolvers', () => {
  it('nobody gets the old answer once the wait is over, and it is not much longer than needed', async () => {
    const names = LONGER > 1 ? (Object.keys(MOVES) as MoveName[]) : FEW;
    const attack = new Attack('moves of names over real servers and resolvers', names.length / LONGER);
    const left = [...names];
    await Promise.all(
      Array.from({ length: BESIDE }, async () => {
        for (let name = left.shift(); name !== undefined; name = left.shift()) {
          const { needed, isSigned }: Move = MOVES[name];
          const [played] = (await apart('play', name)) as Played[];
          if (!played) throw new Error(`${name} was not played`);
          const { ended, code, said, lastOld, lastFailed, asked } = played;
          // Whoever asks servers that are gone gets nothing, and gets no old answer either; keys that are held are waited for.
          const late = Math.max(last(lastOld), isSigned === true ? Math.min(needed, last(lastFailed)) : 0);
          const most = 1.5 * Math.max(needed, last(lastOld)) + 2;
          const figures = `${name}: ended after ${ended} s with ${code}, last old answer ${last(lastOld)} s, needed ${needed} s`;
          attack.note(asked > 1000 ? 'asked thousands of times' : 'asked too seldom');
          if (code !== 0) attack.harm(`${figures}: ${said}`);
          if (late > ended + SLACK) attack.harm(`LATE ${figures}: ${said} ${JSON.stringify(lastOld)}`);
          if (ended > most) attack.harm(`LONG ${figures}: ${said}`);
        }
      }),
    );
    attack.finish();
  }, 900_000);

  it('what is wrong is named, just that, and nothing where all is well', async () => {
    const attack = new Attack(
      'states of zones over real servers',
      Object.keys(STATES).length / EVERY / LONGER,
    );
    for (const { name, rules, said } of (await apart('look', String(EVERY))) as Looked[]) {
      const expected = STATES[name]?.rules;
      attack.note(expected?.length === 0 ? 'healthy' : 'at fault');
      if (JSON.stringify(rules) !== JSON.stringify(expected))
        attack.harm(`${name}: ${rules.join()} in place of ${String(expected)}: ${said.join()}`);
    }
    attack.finish();
  });
});
