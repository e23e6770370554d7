/** What a check remembers changes nothing of what it says, whatever happens to the memory. */
import { cpSync, existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { beforeAll, expect, it, test } from 'vitest';
import { fenestra, makeFolder, writeFiles } from './helpers/program.js';

const MEMORY = '.fenestra/survey';
const KEPT = ['findings', 'readings'];

async function findings(home: string, ...words: string[]): Promise<unknown> {
  const { out, err } = await fenestra(home, 'check', '--json', ...words);
  expect(err).toBe('');
  const { findings: found, inspection } = JSON.parse(out) as {
    findings: unknown;
    inspection: { read: number };
  };
  return { found, read: inspection.read };
}

/** The same project without any memory. */
async function anew(home: string, ...words: string[]): Promise<unknown> {
  const copy = makeFolder();
  cpSync(home, copy, { recursive: true, preserveTimestamps: true });
  rmSync(join(copy, MEMORY), { recursive: true });
  return findings(copy, ...words);
}

let home: string;
let first: unknown;
beforeAll(async () => {
  home = makeFolder();
  cpSync(resolve('demo/as-it-arrived'), home, { recursive: true });
  await fenestra(home, 'publish', '--yes', '--sure', 'wendle-mill');
  first = await findings(home);
});

it('the same again, with and without the kept findings', async () => {
  expect(KEPT.filter((name) => !existsSync(join(home, MEMORY, name)))).toEqual([]);
  expect(await findings(home)).toEqual(first);
  rmSync(join(home, MEMORY, 'findings'));
  expect(await findings(home)).toEqual(first);
});

test.each([
  ['a changed page', { 'site/index.html': '<!doctype html><title>x</title><a href="/gone/">x</a>\n' }],
  ['a style that another text is the same as', { 'site/styles/copy.css': 'a{b:url(/none.png)}' }],
  ['a rule that gives another type', { 'more.yaml': '' }],
])('%s', async (_name, files) => {
  writeFiles(home, files);
  const config = readFileSync(join(home, 'fenestra.yaml'), 'utf8');
  if ('more.yaml' in files)
    writeFiles(home, {
      'fenestra.yaml': config.replace(
        /^assign:\n/m,
        'assign:\n  - { to: "*.mjs", contentType: text/plain }\n',
      ),
    });
  await fenestra(home, 'publish', '--yes', '--sure', 'wendle-mill');
  const now = await findings(home);
  expect(now).not.toEqual(first);
  expect(now).toEqual(await anew(home));
  expect(await findings(home, '--unpublished')).toEqual(await anew(home, '--unpublished'));
});

test.each(KEPT)('%s: damaged, cut, of another build or somebody else’s', async (name) => {
  const file = join(home, MEMORY, name);
  const expected = await findings(home);
  const whole = readFileSync(file);
  const middle = Buffer.from(whole);
  middle[Math.floor(whole.length / 2)] = (middle[Math.floor(whole.length / 2)] ?? 0) ^ 1;
  const end = whole.indexOf('\n');
  const made = Buffer.concat([Buffer.from(whole.subarray(0, end + 1)), Buffer.from('[]')]);
  for (const bytes of [
    middle,
    whole.subarray(0, 200),
    Buffer.from(`f${whole.toString('latin1')}`, 'latin1'),
    made,
    Buffer.alloc(0),
  ]) {
    for (const each of KEPT) if (each !== name) rmSync(join(home, MEMORY, each), { force: true });
    writeFileSync(file, bytes);
    expect(await findings(home)).toEqual(expected);
  }
});

it('addresses are asked for again where a check lists what other hosts do', async () => {
  const everywhere = await findings(home, '--everywhere');
  expect(await findings(home, '--everywhere')).toEqual(everywhere);
  expect(JSON.stringify(everywhere)).toContain('answers-differently');
});
