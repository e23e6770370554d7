/** What has a versioned name keeps its plain one, so whatever names it in a way that nobody foresaw goes on working. */
import { createHash } from 'node:crypto';
import { appendFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it, test } from 'vitest';
import type { PublishJson } from '../src/report/json/publish-json.js';
import type { SurveyJson } from '../src/report/json/survey-json.js';
import { ask } from './helpers/ask.js';
import { fenestra, fenestraJson, makeProject, PAGE, serve, type Serving } from './helpers/program.js';

const PICTURE = Buffer.from('89504e470d0a1a0a0000000d49484452', 'hex');
const page = (inside: string): string => PAGE.replace('</html>', `${inside}</html>`);

/** Texts that lead to `a/p.png`, each in its own way. */
const TEXTS: Readonly<Record<string, string | Buffer>> = {
  'list.m3u8': '#EXTM3U\na/p.png\n',
  'film.mpd': '<MPD><BaseURL>a/p.png</BaseURL></MPD>',
  'model.gltf': '{"images":[{"uri":"a/p.png"}]}',
  'cues.vtt': 'WEBVTT\n\n00:00.000 --> 00:05.000\na/p.png#xywh=0,0,9,9\n',
  'cues.srt': '1\n00:00:00,000 --> 00:00:05,000\na/p.png\n',
  'notes.md': '![picture](a/p.png)',
  'data.yaml': 'picture: a/p.png\n',
  'rows.csv': 'name,picture\nmill,a/p.png\n',
  'plain.txt': 'see a/p.png',
  'model.mtl': 'map_Kd a/p.png\n',
  'page-16.html': Buffer.concat([
    Buffer.from([0xff, 0xfe]),
    Buffer.from('<!doctype html><img src="a/p.png">', 'utf16le'),
  ]),
  'escaped.json': '{"picture":"a\\/p.png"}',
  'concat.js': 'document.images[0].src = "a/".concat(name, ".png")',
  'sum.js': 'const at = dir + base + ext',
  'inner.js': 'box.innerHTML = "<img src=a/p.png>"',
  'hex.js': 'load("a\\x2fp.png")',
  'shown.html': page(`<a href="javascript:show('a/p.png')">x</a>`),
  'own.html': page('<mill-picture file="a/p.png"></mill-picture>'),
  'dotted.svg': '<svg xmlns="http://www.w3.org/2000/svg"><image href="a/p&#46;png"/></svg>',
  'based.xml': '<x xml:base="a/"><y href="p.png"/></x>',
  'styled.xml': '<?xml-stylesheet href="a/s.css"?><x/>',
  'based.svg': '<svg xmlns="http://www.w3.org/2000/svg" xml:base="a/"><image href="p.png"/></svg>',
};
const CONFIG = `site: site
destinations: { rehearsal: { store: here, bucket: test-mill } }
documents: { index: index.html, error: not-found.html }
versioned: ["a/**"]
`;

let [home, server]: [string, Serving | undefined] = ['', undefined];
const get = (path: string) => ask(server?.port ?? 0, path, { host: 'test-mill.localhost' });
beforeAll(async () => {
  home = makeProject(
    {
      'site/page.html': page('<link rel="stylesheet" href="a/s.css"><img src="a/own.png" alt="">'),
      'site/a/s.css': 'p { background: url(own.png) }',
      'site/a/p.png': PICTURE,
      'site/a/own.png': PICTURE,
      ...Object.fromEntries(Object.entries(TEXTS).map(([name, text]) => [`site/${name}`, text])),
    },
    CONFIG,
  );
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  server = await serve(home);
});
afterAll(() => server?.stop());

test.each(Object.entries(TEXTS))('%s is published as it is or with the right names', async (name, text) => {
  const { status, body } = await get(`/${name}`);
  expect(status).toBe(200);
  if (!body.equals(Buffer.from(text))) expect(body.toString()).toMatch(/a\/[ps]\.[0-9a-f]{8}\.\w+/);
});

it('the plain name answers with the bytes of the versioned one, asked for every time', async () => {
  const shown = (await get('/page.html')).body.toString();
  const versioned = /a\/own\.[0-9a-f]{8}\.png/.exec(shown)?.[0] ?? '';
  for (const path of [versioned, 'a/own.png', 'a/p.png']) {
    const { status, body } = await get(`/${path}`);
    expect([path, status, body.equals(PICTURE)]).toEqual([path, 200, true]);
  }
  expect((await get(`/${versioned}`)).headers['cache-control']).toBe('max-age=31536000, immutable');
  expect((await get('/a/own.png')).headers['cache-control']).not.toContain('immutable');
  expect((await get('/a/p.png')).headers['cache-control']).not.toContain('immutable');
  expect((await get('/a/s.css')).body.toString()).toMatch(/url\(own\.[0-9a-f]{8}\.png\)/);
});

it('says what the second names come to, holds their bytes once, and changes nothing the next time', async () => {
  const { names } = await fenestraJson<PublishJson>(home, 'publish', '--dry-run');
  expect(names).toMatchObject({ versioned: 2, plainToo: { objects: 2 } });
  appendFileSync(join(home, 'site/a/own.png'), Buffer.from([0]));
  const before = await fenestraJson<PublishJson>(home, 'publish', '--dry-run');
  // A picture of 17 bytes goes once, the style and the pages that name it once more.
  const style = (await get('/a/s.css')).body.length;
  const shown = (await get('/page.html')).body.length;
  expect(before.totals.toSend).toBeGreaterThanOrEqual(17 + style + shown);
  expect(before.totals.toSend).toBeLessThan(2 * (17 + style + shown) + 17);
  const { out } = await fenestra(home, 'publish', '--yes');
  expect(out).toMatch(/2 objects have versioned names, and their plain ones too: 2 more objects/);
  expect((await fenestraJson<PublishJson>(home, 'publish', '--yes')).changes).toEqual([]);
  const digest = createHash('sha256')
    .update((await get('/a/own.png')).body)
    .digest('hex');
  expect(digest).toBe(
    createHash('sha256')
      .update(Buffer.concat([PICTURE, Buffer.from([0])]))
      .digest('hex'),
  );
});

it('takes plain names away where the config says so, and leaves what a script names as it is', async () => {
  const other = makeProject(
    {
      'site/page.html': page('<img src="a/p.png" alt=""><img src="a/q.png" alt="">'),
      'site/a/p.png': PICTURE,
      'site/a/q.png': Buffer.concat([PICTURE, PICTURE]),
      'site/load.js': 'fetch("a/q.png")',
    },
    `${CONFIG}keepPlain: false\n`,
  );
  const { names, findings } = await fenestraJson<PublishJson>(other, 'publish', '--yes');
  expect(names).toMatchObject({ versioned: 1, plainToo: { objects: 0 } });
  expect(findings.map(({ rule, message }) => [rule, message])).toContainEqual([
    'reference-not-rewritten',
    expect.stringMatching(/it keeps its plain name alone$/),
  ]);
  const { objects } = await fenestraJson<SurveyJson>(other, 'survey', '--matching', 'a/q.png');
  expect(objects.map(({ cacheControl }) => cacheControl)).toEqual(['max-age=3600']);
});
