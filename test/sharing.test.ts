/** A bucket that is shared with pages of other sites: Chromium decides what they may do with it, and the resolver said so before. */
import type { Browser } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ask } from './helpers/ask.js';
import { launchChromium } from './helpers/chromium.js';
import { cloudOf } from './helpers/cloud.js';
import { joinCluster } from './helpers/cluster.js';
import { describeWith } from './helpers/machine.js';
import {
  DEMO,
  fenestra,
  fenestraJson,
  makeProject,
  serve,
  writeFiles,
  type Serving,
} from './helpers/program.js';

const FONT = readFileSync(
  join(
    DEMO,
    'site/fonts',
    readdirSync(join(DEMO, 'site/fonts')).find((name) => name.endsWith('.woff2')) ?? '',
  ),
);
const PIXEL = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
  'base64',
);
const SHARED = {
  'site/data.json': '{"mill":1}',
  'site/module.js': 'export const mill = 1;',
  'site/mill.woff2': FONT,
  'site/mill.png': PIXEL,
};
const config = (sharedWith: string): string => `site: site
destinations: { live: { store: here, bucket: shared-mill } }
documents: { index: index.html, error: not-found.html }
${sharedWith}
`;

/** What a page of another origin can do with what the bucket gives; each by its own way. */
const USES: Readonly<Record<string, string>> = {
  fetch: `fetch(base + 'data.json').then((answer) => answer.json()).then(({ mill }) => mill === 1)`,
  'fetch with a header of its own': `fetch(base + 'data.json', { headers: { 'x-mill': '1' } }).then((answer) => answer.ok)`,
  'a part': `fetch(base + 'data.json', { headers: { range: 'bytes=0-3' } }).then((answer) => answer.status === 206)`,
  'a header that is exposed': `fetch(base + 'data.json').then((answer) => answer.headers.get('etag') !== null)`,
  'a wrong address': `fetch(base + 'none.json').then((answer) => answer.status === 404)`,
  module: `import(base + 'module.js').then(({ mill }) => mill === 1)`,
  font: `new FontFace('Mill', 'url(' + base + 'mill.woff2)').load().then(() => true)`,
  'a picture for a canvas': `new Promise((done, failed) => {
    const picture = new Image();
    picture.crossOrigin = 'anonymous';
    picture.onload = () => {
      const context = document.createElement('canvas').getContext('2d');
      context.drawImage(picture, 0, 0);
      done(context.getImageData(0, 0, 1, 1).data.length === 4);
    };
    picture.onerror = failed;
    picture.src = base + 'mill.png';
  })`,
};

describeWith(['Chromium'], 'pages of other origins', () => {
  let browser: Browser;
  beforeAll(async () => {
    browser = await launchChromium();
  });
  afterAll(() => browser.close());

  /** @returns by use whether it is allowed */
  async function tryUses(origin: string, base: string): Promise<Record<string, boolean>> {
    const page = await browser.newPage();
    await page.goto(`${origin}/`);
    const results: Record<string, boolean> = {};
    for (const [use, script] of Object.entries(USES))
      results[use] = (await page.evaluate(
        `(async (base) => { try { return await (${script}); } catch { return false; } })(${JSON.stringify(base)})`,
      )) as boolean;
    await page.close();
    return results;
  }
  const all = (is: boolean): Record<string, boolean> =>
    Object.fromEntries(Object.keys(USES).map((use) => [use, is]));

  it('may do all of it where they are named, and nothing of it elsewhere', async () => {
    const home = makeProject(SHARED, config(''));
    const others = makeProject(
      {},
      `site: site\ndestinations:\n  app: { store: here, bucket: app-mill }\n  other: { store: here, bucket: other-mill }\nstoreFolder: ${join(home, '.fenestra/store')}\n`,
    );
    await fenestraJson(home, 'publish', '--yes');
    for (const [name, bucket] of [
      ['app', 'app-mill'],
      ['other', 'other-mill'],
    ] as const) {
      await fenestraJson(others, 'publish', '--yes', '--to', name);
      await fenestraJson(others, 'access', 'open', '--to', name, '--sure', bucket);
    }
    await fenestraJson(home, 'access', 'open', '--sure', 'shared-mill');
    const server: Serving = await serve(home);
    try {
      const originOf = (bucket: string): string => `http://${bucket}.localhost:${server.port}`;
      const base = `${originOf('shared-mill')}/`;
      expect(await tryUses(originOf('app-mill'), base)).toEqual(all(false));
      const share = async (sharedWith: string): Promise<void> => {
        writeFileSync(join(home, 'fenestra.yaml'), config(sharedWith));
        await fenestraJson(home, 'publish', '--yes');
      };
      await share(
        `sharedWith: { origins: ["${originOf('app-mill')}"], expose: [ETag], keptFor: 10 minutes }`,
      );
      expect(await tryUses(originOf('app-mill'), base)).toEqual(all(true));
      expect(await tryUses(originOf('other-mill'), base)).toEqual(all(false));
      await share('sharedWith: everyone');
      expect(await tryUses(originOf('other-mill'), base)).toEqual({
        ...all(true),
        'a header that is exposed': false,
      });
      // Whoever is asked says why.
      const traced = await fenestra(
        home,
        'trace',
        '/data.json',
        '--header',
        `Origin: ${originOf('other-mill')}`,
      );
      expect(traced.out).toMatch(/sharing +\* +pages of any site may read this/);
    } finally {
      await server.stop();
    }
  }, 120_000);
});

describeWith(['Chromium'], 'a check of pages that load from another bucket', () => {
  const PLACES = ['swift', 'usual'] as const;
  const APP = `<!doctype html><html lang="en"><meta charset="utf-8"><title>App</title>
<link rel="stylesheet" href="BASE/plain.css"><link rel="stylesheet" crossorigin href="BASE/cors.css">
<style>@font-face { font-family: Mill; src: url(BASE/mill.woff2) } p { font-family: Mill }</style>
<p>Mill <a href="BASE/data.json">data</a></p>
<img src="BASE/mill.png" alt=""><img crossorigin src="BASE/mill.png?cors" alt=""><img crossorigin="use-credentials" src="BASE/mill.png?own" alt="">
<script src="BASE/module.js?plain"></script><script type="module" src="BASE/module.js"></script></html>
`;
  it.each(PLACES)(
    'finds what a browser refuses, and nothing else (quirks: %s)',
    async (quirks) => {
      const home = makeProject({}, 'site: site\ndestinations: { app: { store: here, bucket: app-mill } }\n');
      const assets = (sharedWith: string): void =>
        writeFiles(home, {
          'assets.yaml': `site: assets
destinations: { live: { store: here, bucket: shared-mill } }
quirks: ${quirks}
${sharedWith}
`,
        });
      writeFiles(home, {
        ...Object.fromEntries(
          Object.entries(SHARED).map(([name, bytes]) => [name.replace('site/', 'assets/'), bytes]),
        ),
        'assets/module.js': 'window.mill = 1;',
        'assets/plain.css': 'p { color: teal }',
        'assets/cors.css': 'p { margin: 0 }',
      });
      const server: Serving = await serve(home);
      const browser = await launchChromium();
      try {
        const base = `http://shared-mill.localhost:${server.port}`;
        writeFiles(home, { 'site/index.html': APP.replaceAll('BASE', base) });
        await fenestraJson(home, 'publish', '--yes');
        await fenestraJson(home, 'access', 'open', '--sure', 'app-mill');
        const origin = `http://app-mill.localhost:${server.port}`;
        for (const sharedWith of [
          '',
          `sharedWith: ["${origin}"]`,
          'sharedWith: ["https://other.example"]',
          'sharedWith: everyone',
        ]) {
          assets(sharedWith);
          await fenestraJson(home, 'publish', '--yes', '--config', 'assets.yaml');
          await fenestraJson(home, 'access', 'open', '--sure', 'shared-mill', '--config', 'assets.yaml');
          const page = await browser.newPage();
          const refused = new Set<string>();
          page.on('requestfailed', (request) => refused.add(request.url()));
          await page.goto(`${origin}/`, { waitUntil: 'load' });
          await page.evaluate('document.fonts.load("1em Mill").catch(() => 0)');
          await page.close();
          const { out } = await fenestra(home, 'check', '--json');
          const { findings } = JSON.parse(out) as { findings: { rule: string; message: string }[] };
          const found = findings
            .filter(({ rule }) => rule === 'reference-not-shared')
            .map(({ message }) => /"([^"]+)"/.exec(message)?.[1]);
          expect([sharedWith, found.sort()]).toEqual([sharedWith, [...refused].sort()]);
        }
      } finally {
        await browser.close();
        await server.stop();
      }
    },
    120_000,
  );
});

describe('answers', () => {
  it('that a cache for everybody would mix are warned of, where the store says so to some alone', async () => {
    const home = makeProject(SHARED);
    for (const [quirks, sharedWith, isFound] of [
      ['swift', '["https://app.mill.example"]', true],
      ['swift', 'everyone', false],
      ['usual', '["https://app.mill.example"]', false],
    ] as const) {
      writeFileSync(
        join(home, 'fenestra.yaml'),
        config(`sharedWith: ${sharedWith}\nquirks: ${quirks}`).replace(
          ' } }',
          ', front: { shared: true } } }',
        ),
      );
      await fenestraJson(home, 'publish', '--yes');
      const { out } = await fenestra(home, 'check', '--json', '--expect', 'closed');
      const { findings } = JSON.parse(out) as { findings: { rule: string }[] };
      expect([quirks, findings.some(({ rule }) => rule === 'shared-cache-mixes')]).toEqual([quirks, isFound]);
    }
  });

  it('say with whom they are shared, to nobody in particular too, so that no cache mixes them', async () => {
    const home = makeProject(SHARED, config('sharedWith: ["https://app.mill.example"]'));
    await fenestraJson(home, 'publish', '--yes');
    await fenestraJson(home, 'access', 'open', '--sure', 'shared-mill');
    const server = await serve(home);
    const host = `shared-mill.localhost:${server.port}`;
    const get = async (path: string, origin?: string): Promise<readonly (string | undefined)[]> => {
      const { headers } = await ask(server.port, path, {
        host,
        ...(origin === undefined ? {} : { headers: { origin } }),
      });
      return [headers['access-control-allow-origin'], headers['vary']].map((value) => value?.toString());
    };
    try {
      for (let times = 0; times < 2; times++) {
        expect(await get('/data.json')).toEqual([undefined, 'Origin']);
        expect(await get('/data.json', 'https://app.mill.example')).toEqual([
          'https://app.mill.example',
          'Origin',
        ]);
        expect(await get('/data.json', 'https://other.example')).toEqual([undefined, 'Origin']);
        expect(await get('/none', 'https://app.mill.example')).toEqual([
          'https://app.mill.example',
          'Origin',
        ]);
      }
      const { out } = await fenestra(home, 'check');
      expect(out).toContain('It works.');
    } finally {
      await server.stop();
    }
  });

  it('a config that is shared with everybody by another word is told ours', async () => {
    for (const [given, meant] of [
      ['"*"', 'everyone'],
      ['https://app.mill.example/', 'https://app.mill.example'],
      ['https://App.mill.example:443', 'https://app.mill.example'],
    ] as const) {
      const { code, err } = await fenestra(
        makeProject({}, config(`sharedWith: ${given}`)),
        'config',
        'check',
      );
      expect([code, err]).toEqual([2, expect.stringContaining(`did you mean ${meant}?`)]);
    }
  });
});

describeWith(['Swift'], 'a real object store', () => {
  it('carries with whom a bucket is shared, as it is answered here', async () => {
    const cluster = await joinCluster('mend');
    const cloud = cloudOf(cluster);
    const bucket = 'shared-with-others';
    const origin = 'https://app.mill.example';
    const home = makeProject(
      SHARED,
      cloud.config(bucket, `sharedWith: { origins: ["${origin}"], keptFor: 10 minutes }`),
    );
    await cloud.json(home, 'publish', '--yes');
    await cloud.json(home, 'access', 'open', '--sure', bucket);
    const host = cluster.host(bucket);
    const { headers } = await ask(cluster.port, '/data.json', { host, headers: { origin } });
    expect([headers['access-control-allow-origin'], headers['vary']]).toEqual([origin, 'Origin']);
    expect(
      (await ask(cluster.port, '/data.json', { host, headers: { origin: 'https://other.example' } })).headers,
    ).not.toHaveProperty('access-control-allow-origin');
    expect((await cloud.run(home, 'bucket', 'mend')).out).toContain('Nothing to put back');
    expect((await cloud.run(home, 'check')).code).toBe(0);
    // Shared with nobody any more.
    writeFileSync(join(home, 'fenestra.yaml'), cloud.config(bucket));
    await cloud.json(home, 'publish', '--yes');
    expect((await cloud.run(home, 'bucket', 'mend')).out).toContain('Nothing to put back');
    await cluster.stop();
  }, 120_000);
});
