/**
 * Two publishers, killed at any moment of whatever they do, beside a reader: nothing that was published is lost, nothing
 * half is ever answered, and the next publish goes on.
 */
import { spawn } from 'node:child_process';
import { readdirSync, readFileSync, rmSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { it } from 'vitest';
import { ask } from '../helpers/ask.js';
import { SEED } from '../helpers/chance.js';
import { fenestra, makeFolder, makeProject, serve, writeFiles } from '../helpers/program.js';
import { Attack } from './attack-kit.js';

const FILES = 24;
const CONFIG = `site: site
destinations: { rehearsal: { store: here, bucket: test-mill } }
documents: { index: index.html, error: not-found.html }
historyDepth: 6
`;
/** A text that says of what edit and file it is, from its first byte to its last. */
const textOf = (edit: number, file: number): string =>
  `edit ${edit} of file ${file}\n`.repeat(1 + (file % 7) * 400);
const isWhole = (text: string, file: number): boolean => {
  const [, edit] = /^edit (\d+) of file/.exec(text) ?? [];
  return edit !== undefined && text === textOf(Number(edit), file);
};

/** @returns its exit code; undefined where it was killed first */
function run(
  home: string,
  words: readonly string[],
  killAfter: number | undefined,
): Promise<number | undefined> {
  const child = spawn(process.execPath, [resolve('dist/fenestra.js'), ...words], {
    cwd: home,
    stdio: 'ignore',
  });
  const timer = killAfter === undefined ? undefined : setTimeout(() => child.kill('SIGKILL'), killAfter);
  return new Promise((done) =>
    child.once('exit', (code) => {
      clearTimeout(timer);
      done(code ?? undefined);
    }),
  );
}

it(`kills lose nothing (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async () => {
  const attack = new Attack('publishers that are killed, two at a time beside a reader', 6);
  const home = makeProject({}, CONFIG);
  let edit = 0;
  const change = (): void => {
    edit++;
    const files = Array.from({ length: FILES }, (_, n) => n).filter(
      () => edit === 1 || attack.below(3) === 0,
    );
    writeFiles(home, Object.fromEntries(files.map((n) => [`site/f${n}.txt`, textOf(edit, n)])));
  };
  change();
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  const server = await serve(home, '--quiet');
  let isOver = false;
  let reads = 0;
  const reading = (async () => {
    while (!isOver) {
      const file = reads++ % FILES;
      const { status, body } = await ask(server.port, `/f${file}.txt`, { host: 'test-mill.localhost' });
      if (status !== 200 || !isWhole(body.toString(), file))
        attack.harm(`a reader got ${status} and ${body.length} bytes of file ${file}`);
      await wait(2);
    }
  })();
  const operations: readonly (() => readonly string[])[] = [
    () => ['publish', '--yes'],
    () => ['publish', '--yes', '--prove'],
    () => ['publish', '--yes', '--matching', `f${attack.below(3)}*.txt`],
    () => ['publish', '--yes', '--config', 'versioned.yaml'],
    () => ['restore', String(Math.max(1, edit - attack.below(5))), '--yes'],
    () => ['sweep'],
    () => ['bucket', 'export', join(makeFolder(), 'copy')],
  ];
  writeFiles(home, { 'versioned.yaml': `${CONFIG}versioned: ["f*.txt"]\nkeepPlain: true\n` });
  for (let killed = 0; killed < attack.rounds;) {
    change();
    const outcomes = await Promise.all(
      [0, 1].map(async () => {
        const words = attack.pick(operations)();
        const code = await run(home, words, attack.below(4) === 0 ? undefined : 80 + attack.below(900));
        if (code === undefined) {
          killed++;
          attack.note(`killed: ${words.slice(0, 1).join(' ')}`);
        } else if (code !== 0 && code !== 4 && !(words[0] === 'restore' && code === 2))
          attack.harm(`${words.join(' ')} ended with ${code}`);
        return code;
      }),
    );
    const verified = await fenestra(home, 'bucket', 'show', '--verify', '--json');
    if (verified.code !== 0) attack.harm(`after ${JSON.stringify(outcomes)}: ${verified.out}${verified.err}`);
    // It goes on where it was, and what it publishes is what the folder says.
    const next = await fenestra(home, 'publish', '--yes');
    if (next.code !== 0) attack.harm(`the next publish ended with ${next.code}: ${next.err}`);
    for (let file = 0; file < FILES; file += 5) {
      const { body } = await ask(server.port, `/f${file}.txt`, { host: 'test-mill.localhost' });
      if (body.toString() !== readFileSync(join(home, `site/f${file}.txt`), 'utf8'))
        attack.harm(`file ${file} is not as it was published`);
    }
  }
  isOver = true;
  await reading;
  await server.stop();
  // What half-way publishers wrote is not kept for good.
  await fenestra(home, 'sweep');
  const left = readdirSync(join(home, '.fenestra'), { recursive: true, encoding: 'utf8' });
  rmSync(home, { recursive: true });
  attack.finish({ 'answers read meanwhile': String(reads), 'files in the store': String(left.length) });
});
