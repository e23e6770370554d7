/** A site whose public address has a path, as at a store's own address: hosted, checked, traced and visited there. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { ask, type Asked } from './helpers/ask.js';
import { chance, SEED } from './helpers/chance.js';
import { HOSTED, makeRequests } from './helpers/host-requests.js';
import { fenestra, fenestraJson, makeProject, serve } from './helpers/program.js';

const PLACE = '/v1/AUTH_mill/site/';
const page = (title: string, body: string): string =>
  `<!doctype html><html lang="en"><meta charset="utf-8"><title>${title}</title>${body}</html>`;
const config = (address: string, quirks = '{}'): string => `site: site
destinations: { live: { store: here, bucket: test-mill${address} } }
documents: { index: index.html, error: not-found.html }
moved: { permanently: { /old: /visit/, /older/*: "https://archive.example/" } }
quirks: ${quirks}
`;

const publish = async (home: string): Promise<void> => {
  for (const words of [
    ['publish', '--yes', '--sure', 'test-mill'],
    ['access', 'open', '--sure', 'test-mill'],
  ]) {
    const { code, err } = await fenestra(home, ...words);
    expect([code, err]).toEqual([0, '']);
  }
};

it.each(['{}', '{ folderRedirectForm: address, folderRedirectStatus: 301 }'])(
  'every request below the path is answered as at the root, and leads below it (%s)',
  { timeout: 60_000 },
  async (quirks) => {
    const files = Object.fromEntries(
      Object.entries(HOSTED)
        .filter(([key]) => /\.(?:html|txt|png)$/.test(key))
        .map(([key, { text }]) => [`site/${key}`, text]),
    );
    const home = makeProject(files, config('', quirks));
    await publish(home);
    const atRoot = await serve(home);
    writeFileSync(
      join(home, 'fenestra.yaml'),
      config(`, address: "http://test-mill.localhost:4680${PLACE}"`, quirks),
    );
    const below = await serve(home);
    try {
      for (const request of makeRequests(150, chance(`below ${quirks}`))) {
        if (Object.values(request.headers).some((value) => value.includes('<'))) continue;
        const asked = (port: number, path: string): Promise<Asked> => ask(port, path, { ...request });
        const [a, b] = [
          await asked(atRoot.port, request.path),
          await asked(below.port, PLACE.slice(0, -1) + request.path),
        ];
        const where = (answer: Asked, port: number): string | undefined =>
          answer.headers.location?.replace(`:${port}/`, '/');
        const led = where(a, atRoot.port)?.replace(/^(http:\/\/test-mill\.localhost)?\//, `$1${PLACE}`);
        expect([SEED, request, b.status, where(b, below.port), b.body.length]).toEqual([
          SEED,
          request,
          a.status,
          led,
          a.body.length,
        ]);
      }
      const outside = await ask(below.port, '/visit/');
      expect([outside.status, String(outside.body)]).toEqual([
        404,
        expect.stringContaining(`lies below ${PLACE}`),
      ]);
      const bare = await ask(below.port, PLACE.slice(0, -1));
      expect(bare.headers.location).toBe(PLACE);
      expect(String((await ask(below.port, '/', { host: `localhost:${below.port}` })).body)).toContain(
        `http://test-mill.localhost:${below.port}${PLACE}`,
      );
    } finally {
      await atRoot.stop();
      await below.stop();
    }
  },
);

it('is checked, traced and visited there, a path of one part too', { timeout: 60_000 }, async () => {
  const home = makeProject(
    {
      'site/index.html': page(
        'Mill',
        '<p>Mill <link rel="stylesheet" href="mill.css"><a href="visit/">Visit</a>',
      ),
      'site/visit/index.html': page(
        'Visit',
        '<link rel="stylesheet" href="../mill.css"><p><a href="../">Home</a>',
      ),
      'site/not-found.html': page(
        'None',
        '<link rel="stylesheet" href="/docs/mill.css"><p>None. <a href="/docs/">Home</a>',
      ),
      'site/mill.css': 'p { color: teal }',
    },
    config(', address: "http://test-mill.localhost:4680/docs/"'),
  );
  await publish(home);
  const serving = await serve(home);
  const at = `http://test-mill.localhost:${serving.port}/docs/`;
  try {
    const check = await fenestra(home, 'check', '--at', at);
    expect([check.code, check.out]).toEqual([0, expect.stringContaining('It works')]);
    const trace = await fenestraJson<{ url: string; status: number }>(home, 'trace', '/visit/', '--at', at);
    expect(trace).toMatchObject({ url: `${at}visit/`, status: 200 });
    const whole = await fenestraJson<{ url: string; key: string }>(home, 'trace', `${at}visit/`, '--at', at);
    expect(whole).toMatchObject({ url: `${at}visit/`, status: 200 });
    const visit = JSON.stringify(await fenestraJson(home, 'visit', '/', '/visit/', '--at', at));
    expect(visit).toContain(`${at}mill.css`);
    expect(visit).not.toContain('"status":404,"url":"http');
    const outside = await fenestra(home, 'visit', `http://test-mill.localhost:${serving.port}/`, '--at', at);
    expect([outside.code, outside.err]).toEqual([2, expect.stringContaining('/docs/')]);
  } finally {
    await serving.stop();
  }
});
