import { appendFileSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { CONFIG, fenestra, fenestraJson, makeProject, PAGE } from './helpers/program.js';

interface Said {
  readonly now: { readonly requests: number };
  readonly bounds: readonly {
    readonly bound: number;
    readonly asked: { readonly requests: number };
    readonly assign: readonly { readonly line: string; readonly seenOld: number }[];
    readonly left: readonly unknown[];
  }[];
  readonly written: boolean;
}

const site = (): string =>
  makeProject(
    {
      'site/index.html': PAGE.replace(
        '</html>',
        '<link rel="stylesheet" href="/mill.css"><script src="/tide.3f9c2a7b.js"></script><img src="/mill.png" alt=""></html>',
      ),
      'site/mill.css': 'h1 { color: navy }',
      'site/tide.3f9c2a7b.js': 'let tide = 1;',
      'site/mill.png': 'not really a picture',
      'site/private.json': '{}',
    },
    `# Ours.\n${CONFIG}assign:\n  - { to: private.json, cache: never }\nlinks:   inside\n`,
  );

it('finds lines for each bound, and writes one list into the config', async () => {
  const home = site();
  for (let edit = 0; edit < 3; edit++) {
    appendFileSync(join(home, 'site/mill.css'), `/* ${edit} */`);
    await fenestraJson(home, 'publish', '--yes');
  }
  const bounds = '1 minute, 1 hour, 1 day';
  const said = await fenestraJson<Said>(home, 'visit', '--best', '--stale-at-most', bounds);
  expect(said.bounds.map(({ bound, left }) => [bound, left])).toEqual([
    [60, []],
    [3600, []],
    [86_400, []],
  ]);
  const asked = said.bounds.map((each) => each.asked.requests);
  expect(asked).toEqual([...asked].sort((a, b) => b - a));
  expect(asked.at(-1)).toBeLessThan(said.now.requests);
  expect(said.bounds[1]?.assign.some(({ seenOld }) => seenOld === 2)).toBe(true);
  const before = readFileSync(join(home, 'fenestra.yaml'), 'utf8');
  // Nobody was asked, so nothing was written.
  const refused = await fenestra(home, 'visit', '--best', '--write');
  expect([refused.code, readFileSync(join(home, 'fenestra.yaml'), 'utf8')]).toEqual([4, before]);
  const done = await fenestraJson<Said>(home, 'visit', '--best', '--write', '--yes');
  expect(done.written).toBe(true);
  const after = readFileSync(join(home, 'fenestra.yaml'), 'utf8');
  expect(after).toMatch(/^# Ours\.\n[^]*\nlinks: {3}inside\n$/);
  await fenestraJson(home, 'publish', '--yes');
  const { objects } = await fenestraJson<{
    objects: readonly { key: string; headers: Record<string, string> }[];
  }>(home, 'survey');
  const sent = new Map(objects.map(({ key, headers }) => [key, headers['Cache-Control']]));
  expect(Object.fromEntries(sent)).toEqual({
    'index.html': 'max-age=3600',
    'mill.css': 'max-age=3600',
    'mill.png': 'max-age=3600',
    'not-found.html': 'max-age=3600',
    'private.json': 'no-store',
    'tide.3f9c2a7b.js': 'max-age=31536000, immutable',
  });
});

it('words that mean nothing are named, and nothing is written', async () => {
  const home = site();
  await fenestraJson(home, 'publish', '--yes');
  const before = readFileSync(join(home, 'fenestra.yaml'), 'utf8');
  for (const words of [
    ['--best', '--stale-at-most', 'soon'],
    ['--best', '--stale-at-most', '1 hour, 1 day', '--write'],
    ['--write'],
    ['--stale-at-most', '1 hour'],
    ['--best', '--after', '1 day'],
    ['--best', '--report', 'x.html'],
    ['--best', '--at', 'http://127.0.0.1:9/'],
  ]) {
    const { code } = await fenestra(home, 'visit', ...words);
    expect([words, code]).toEqual([words, 2]);
  }
  expect(readFileSync(join(home, 'fenestra.yaml'), 'utf8')).toBe(before);
});
