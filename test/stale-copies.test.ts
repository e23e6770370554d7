import { expect, test } from 'vitest';
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import type { ReleaseChangesJson } from '../src/report/json/history-json.js';
import type { TraceJson } from '../src/report/json/trace-json.js';
import type { VisitJson } from '../src/report/json/visit-json.js';
import type { PublishJson } from '../src/report/json/publish-json.js';
import { fenestra, fenestraJson, makeProject, PAGE, writeFiles } from './helpers/program.js';

const CONFIG = `site: site
destinations: { rehearsal: { store: here, bucket: test-mill } }
documents: { index: index.html, error: not-found.html }
assign:
  - { to: "*.css", cache: 30 days }
  - { to: "kept/**", cache: 10 days }
  - { to: "m/inner.js", cache: 1 day }
`;
const head = (tags: string): string => PAGE.replace('<title>', `${tags}<title>`);
const DAY = 86_400_000;

test('publish says what old copies meet what is new, or ask for what is removed, and until when', async () => {
  const home = makeProject(
    {
      'site/index.html': head('<link rel="stylesheet" href="/site.css">'),
      'site/other.html': head('<link rel="stylesheet" href="/site.css">'),
      'site/site.css': 'p { color: teal }',
      'site/kept/page.html': head('<script src="/gone.js"></script><script src="/stays.js"></script>'),
      'site/gone.js': 'void 0;',
      'site/stays.js': 'void 0;',
      'site/m/outer.js': 'import "./inner.js";',
      'site/m/inner.js': 'export {};',
    },
    CONFIG,
  );
  await fenestra(home, 'publish', '--yes');
  writeFiles(home, {
    'site/index.html': head('<link rel="stylesheet" href="/site.css">').replace('Mill', 'The mill'),
    'site/site.css': 'p { color: navy }',
    'site/kept/page.html': head('<script src="/stays.js"></script>'),
    'site/m/outer.js': 'import "./inner.js"; void 1;',
    'site/m/inner.js': 'export const x = 1;',
  });
  rmSync(join(home, 'site/gone.js'));

  // Nobody holds anything of a bucket that nobody could read.
  const closed = await fenestra(home, 'publish', '--dry-run');
  expect(closed.out).not.toContain('Visitors who have been here');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  const began = Date.now();
  const { stale } = await fenestraJson<PublishJson>(home, 'publish', '--dry-run');
  expect(stale.map(({ key, mixesWith }) => [key, mixesWith])).toEqual([
    ['site.css', ['index.html']],
    ['kept/page.html', ['gone.js']],
    ['m/inner.js', ['m/outer.js']],
  ]);
  const days = stale.map(({ until }) => Math.round((Date.parse(until) - began) / DAY));
  expect(days).toEqual([30, 10, 1]);
  const { out } = await fenestra(home, 'publish', '--dry-run');
  expect(out).toContain('the new index.html may be shown with the old site.css');
  expect(out).toContain('the old kept/page.html asks for gone.js, which this removes');
});

test('what is mixed by way of files that did not change is told too, and copies that are shown while they are asked for', async () => {
  const home = makeProject(
    {
      'site/index.html': head(
        '<link rel="stylesheet" href="/outer.css"><script type="module" src="/n/one.js"></script>',
      ),
      'site/outer.css': '@import "inner.css";',
      'site/inner.css': 'p { color: teal }',
      'site/n/one.js': 'import "./two.js";',
      'site/n/two.js': 'import "./three.js";',
      'site/n/three.js': 'export {};',
    },
    `${CONFIG}  - { to: "n/three.js", cache: { fresh: 0 seconds, whileRevalidating: 1 day } }\n`,
  );
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  writeFiles(home, {
    'site/index.html': head(
      '<link rel="stylesheet" href="/outer.css"><script type="module" src="/n/one.js"></script>',
    ).replace('Mill', 'The mill'),
    'site/inner.css': 'p { color: navy }',
    'site/n/three.js': 'export const x = 1;',
  });
  const { stale } = await fenestraJson<PublishJson>(home, 'publish', '--dry-run');
  expect(stale.map(({ key, mixesWith }) => [key, mixesWith])).toEqual([
    ['inner.css', ['index.html']],
    ['n/three.js', ['index.html']],
  ]);
});

test('history and trace say what browsers still have of an earlier release', async () => {
  const home = makeProject(
    { 'site/site.css': 'p { color: teal }', 'site/same.css': 'p { margin: 0 }' },
    CONFIG,
  );
  await fenestra(home, 'publish', '--yes');
  writeFiles(home, {
    'site/site.css': 'p { color: navy }',
    'site/index.html': PAGE.replace('Mill', 'The mill'),
  });
  await fenestra(home, 'publish', '--yes');
  const closed = await fenestra(home, 'trace', '/');
  expect(closed.out).not.toContain('A browser that loads it now');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  const { held } = await fenestraJson<ReleaseChangesJson>(home, 'history', '1');
  expect(held.map(({ key }) => key)).toEqual(['site.css']);
  expect((await fenestraJson<ReleaseChangesJson>(home, 'history', '2')).held).toEqual([]);
  const states = [];
  for (const path of ['/site.css', '/', '/same.css', '/nothing'])
    states.push((await fenestraJson<TraceJson>(home, 'trace', path, '--browser-has', '1')).browserHas?.state);
  expect(states).toEqual(['shown', 'asked', 'same', 'same']);
  const { usable, browserHas } = await fenestraJson<TraceJson>(
    home,
    'trace',
    '/site.css',
    '--browser-has',
    '1',
  );
  expect(usable?.by).toBe('max-age');
  expect(browserHas?.because).toMatch(/still shows the old one until .* a forced reload fetches it/);
});

test('each return follows on the one before where that is asked for', async () => {
  const home = makeProject(
    {
      'site/index.html': head('<link rel="icon" href="data:,"><link rel="stylesheet" href="/site.css">'),
      'site/site.css': 'p { color: teal }',
    },
    CONFIG,
  );
  await fenestra(home, 'publish', '--yes');
  const asked = async (...words: string[]): Promise<number[]> => {
    const { out } = await fenestra(home, 'visit', '--json', '--after', '20 days, 40 days, 60 days', ...words);
    return (JSON.parse(out) as VisitJson).visits.map(({ requests }) => requests);
  };
  // From the first visit the style is stale after 40 and 60 days; asked for after 40, it is fresh after 60.
  expect(await asked()).toEqual([2, 1, 2, 2]);
  expect(await asked('--sequence')).toEqual([2, 1, 2, 1]);
});
