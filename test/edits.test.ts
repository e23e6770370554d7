/** `serve --unpublished` while its files and its config change under it: headers and bytes are always of one reading. */
import { createHash } from 'node:crypto';
import { renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, expect, it } from 'vitest';
import { ask, type Asked } from './helpers/ask.js';
import { chance, SEED } from './helpers/chance.js';
import { CONFIG, makeProject, PAGE, serve, type Serving, writeFiles } from './helpers/program.js';

let server: Serving | undefined;
afterEach(async () => {
  await server?.stop();
  server = undefined;
});

const large = (seed: number): Buffer =>
  createHash('shake256', { outputLength: 700_000 }).update(`${seed}`).digest();

/** Whether an answer's bytes are the ones that its tag and length are of. */
function expectOneReading({ status, headers, body }: Asked): void {
  if (status === 503) return;
  expect(status).toBe(200);
  const digest = createHash('sha256').update(body).digest('hex');
  expect([headers.etag, Number(headers['content-length'])]).toEqual([
    `"${digest.slice(0, 32)}"`,
    body.length,
  ]);
}

it(`sends no bytes under the tag of others, however they are edited (FENESTRA_SEED=${SEED})`, async () => {
  const home = makeProject({ 'site/a.txt': 'first', 'site/film.bin': large(0) });
  server = await serve(home, '--unpublished', '--quiet');
  const next = chance('edits');
  const texts = ['first', 'other', 'a longer text than both'];
  for (let round = 0; round < 60; round++) {
    writeFileSync(join(home, 'site/a.txt'), texts[Math.floor(next() * 3)] ?? '');
    if (round % 6 === 0) writeFileSync(join(home, 'site/film.bin'), large(Math.floor(next() * 3)));
    const both = ['/a.txt', '/film.bin'].map(async (path) =>
      // A connection that is cut has sent no whole answer.
      ask(server?.port ?? 0, path).catch(() => undefined),
    );
    for (const answer of await Promise.all(both)) if (answer) expectOneReading(answer);
  }
  // What was written last is sent, at the latest a moment later.
  writeFileSync(join(home, 'site/a.txt'), 'other');
  await expect.poll(async () => (await ask(server?.port ?? 0, '/a.txt')).body.toString()).toBe('other');
});

it('goes on by the last good config while the new one has a mistake, and says so', async () => {
  const home = makeProject({ 'site/a.txt': 'first', 'site/film.bin': large(0) });
  server = await serve(home, '--unpublished', '--quiet');
  const { port } = server;
  const front = async (): Promise<string> =>
    (await ask(port, '/', { host: `127.0.0.1:${port}` })).body.toString();
  expect(await front()).not.toContain('last good');
  writeFiles(home, { 'fenestra.yaml': `${CONFIG}asign: []\n` });
  await expect.poll(front).toMatch(/asign[^]*The last good state is hosted until this is mended/);
  for (const text of ['a text that has grown', 'short']) {
    writeFiles(home, { 'site/a.txt': text });
    const answer = await ask(port, '/a.txt');
    expectOneReading(answer);
    await expect.poll(async () => (await ask(port, '/a.txt')).body.toString()).toBe(text);
  }
  // A site that cannot be published keeps its last good state, and no file of another one is sent in its place.
  writeFiles(home, { 'site/e\u0301.txt': 'one', 'site/\u00e9.txt': 'two', 'fenestra.yaml': CONFIG });
  await expect.poll(front).toMatch(/become one key/);
  expect((await ask(port, '/')).body.toString()).toBe(PAGE);
  writeFiles(home, { 'site/a.txt': 'changed meanwhile', 'site/film.bin': large(5) });
  expectOneReading(await ask(port, '/a.txt'));
  const refused = await ask(port, '/film.bin');
  expect([refused.status, refused.headers['retry-after'], refused.body.toString()]).toEqual([
    503,
    '1',
    expect.stringContaining('has a mistake'),
  ]);
  renameSync(join(home, 'site/e\u0301.txt'), join(home, 'site/e.txt'));
  await expect.poll(async () => (await ask(port, '/a.txt')).body.toString()).toBe('changed meanwhile');
  expect(await front()).not.toContain('last good');
});
