/** Commands that the program prints for people to type are about the same destination and config, and they run. */
import { join } from 'node:path';
import { beforeAll, expect, it } from 'vitest';
import { ERROR_PAGE, fenestra, makeFolder, PAGE, writeFiles } from './helpers/program.js';

const CONFIG = `site: built
destinations:
  rehearsal: { store: here, bucket: mill }
  live: { store: here, bucket: mill-live }
documents: { index: index.html, error: not-found.html }
readable: { keys: ["**"], except: ["drafts/**"] }
`;

let home: string;
beforeAll(async () => {
  home = makeFolder({
    'other/mill.yaml': CONFIG,
    'other/built/index.html': PAGE,
    'other/built/not-found.html': ERROR_PAGE,
    'other/built/owl.html': PAGE,
    'other/built/drafts/plan.html': PAGE,
  });
  // The first destination is another bucket, at a release of its own.
  await run('publish', '--yes', '--config', 'other/mill.yaml');
});

const run = (...words: string[]) => fenestra(home, ...words);
const LIVE = ['--to', 'live', '--config', 'other/mill.yaml'];

/** Every command in a text, as words. */
const hintsIn = (text: string): string[][] =>
  [
    ...text.matchAll(
      /fenestra ((?:init|survey|publish|access|serve|trace|check|history|restore|bucket|config)\b[^`\n;,.()]*(?:\.[a-z]+[^`\n;,.()]*)*)/g,
    ),
  ].map(([, words = '']) =>
    words
      .replace(/ (?:brings|shows|lists|sends|makes|prints|in|by|tells)\b.*/, '')
      .trim()
      .split(/\s+/),
  );

it('whatever the command was, and whatever went wrong', { timeout: 180_000 }, async () => {
  const steps: readonly (readonly string[])[] = [
    ['trace', '/'],
    ['access', 'show'],
    ['history'],
    ['publish'],
    ['publish', '--yes'],
    ['access', 'show'],
    ['trace', '/'],
    ['check'],
    ['trace', '/drafts/plan.html'],
    ['access', 'open'],
    ['access', 'open', '--sure', 'mill-live'],
    ['trace', '/nope.html'],
    ['check', '--expect', 'closed'],
    ['restore', '9'],
    ['restore', 'x'],
    ['publish', '--agreed', 'none.json'],
    ['survey', '--explain', 'nope'],
    ['survey', '--matching', 'nope/**'],
    ['bucket', 'remove'],
    ['bucket', 'list', 'mill'],
    ['bucket', 'show', 'nope'],
    ['bucket', 'empty', '--sure', 'mill-live'],
    ['publish', '--exit-code'],
    ['check', '--at', 'http://127.0.0.1:1/'],
  ];
  const seen = new Set<string>();
  for (const step of steps) {
    writeFiles(home, { 'other/built/owl.html': `${PAGE}<!-- ${step.join(' ')} -->` });
    const { out, err } = await run(...step, ...LIVE);
    for (const hint of hintsIn(`${out}\n${err}`)) {
      const words = hint.join(' ');
      if (words.endsWith('--help')) continue;
      const isAbout = (option: string): boolean => words.includes(option);
      expect([step, words, isAbout('--config other/mill.yaml')]).toEqual([step, words, true]);
      expect([step, words, isAbout('--to live')]).toEqual([step, words, !/^config|^init/.test(words)]);
      seen.add(words);
    }
  }
  // Taken back by the command that says so, of the bucket that was emptied, though another destination was meant.
  await run('publish', '--yes', ...LIVE);
  const emptied = await run(
    'bucket',
    'empty',
    'mill-live',
    '--sure',
    'mill-live',
    '--config',
    'other/mill.yaml',
  );
  const [restore = []] = hintsIn(emptied.out);
  expect(restore).toEqual(expect.arrayContaining(['restore', '--to', 'live']));
  expect((await run(...restore, '--yes')).out).toContain('mill-live: back to the state of release');
  for (const words of seen) {
    if (/^serve|FILE|\bN\b/.test(words)) continue;
    const { code, err } = await run(
      ...words.split(' '),
      ...(/^publish|^restore/.test(words) ? ['--dry-run'] : []),
    );
    expect([words, [0, 1, 3, 4].includes(code), err]).toEqual([
      words,
      true,
      expect.not.stringMatching(/takes no|given/),
    ]);
  }
  expect(seen.size).toBeGreaterThan(8);
  expect((await run('access', 'show', '--config', join('other', 'mill.yaml'))).out).toContain(
    'mill, release 1',
  );
});
