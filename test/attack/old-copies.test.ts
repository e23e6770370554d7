/**
 * Random changes under random headers, and a real browser that holds what was there before: what `publish` foretells as old
 * or mixed is what the browser shows, and it shows nothing old that was not foretold.
 */
import { it, vi } from 'vitest';
import type { PublishJson } from '../../src/report/json/publish-json.js';
import { startRelay } from '../../src/server/recording-relay.js';
import { launchChromium } from '../helpers/chromium.js';
import { need } from '../helpers/machine.js';
import { fenestra, fenestraJson, makeProject, serve, writeFiles } from '../helpers/program.js';
import { Attack } from './attack-kit.js';

vi.setConfig({ testTimeout: 3_600_000 });

const CACHES = [
  'revalidate',
  'never',
  '1 hour',
  '2 days',
  'forever',
  '{ fresh: 0 seconds, whileRevalidating: 1 day }',
  '{ fresh: 1 hour, whileRevalidating: 3 hours }',
  '{ fresh: 2 hours, mustRevalidate: true }',
  '{ header: "max-age=7200, must-revalidate" }',
  '{ header: "no-cache" }',
  '{ header: "s-maxage=9, max-age=3600" }',
];
/** Seconds before the publish at which the browser was there. */
const BEFORE = [0, 1800, 3 * 3600, 30 * 3600];
/** Each file, and how a page tells which version of it is shown. */
const FILES: Readonly<Record<string, (version: number) => string>> = {
  'index.html': (version) =>
    `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>t</title><link rel="icon" href="data:,"><link rel="stylesheet" href="/outer.css"><script src="/plain.js"></script><script type="module" src="/outer.js"></script></head><body data-v="${version}"><p>x</p><img id="picture" src="/picture.svg" alt=""></body></html>`,
  'outer.css': (version) => `@import "/inner.css"; body { --outer: ${version} }`,
  'inner.css': (version) => `body { --inner: ${version} }`,
  'plain.js': (version) => `window.plain = ${version};`,
  'outer.js': (version) =>
    `import { inner } from "/inner.js"; window.outer = ${version}; window.inner = inner;`,
  'inner.js': (version) => `export const inner = ${version};`,
  'picture.svg': (version) =>
    `<svg xmlns="http://www.w3.org/2000/svg" width="${100 + version}" height="9"><rect width="9" height="9"/></svg>`,
};
const KEYS = Object.keys(FILES);
/** What names what, right in it. */
const NAMED: Readonly<Record<string, readonly string[]>> = {
  'index.html': ['outer.css', 'plain.js', 'outer.js', 'picture.svg'],
  'outer.css': ['inner.css'],
  'outer.js': ['inner.js'],
};

/** Runs in the page. */
const READ = `({
  'index.html': Number(document.body.dataset.v),
  'outer.css': Number(getComputedStyle(document.body).getPropertyValue('--outer')),
  'inner.css': Number(getComputedStyle(document.body).getPropertyValue('--inner')),
  'plain.js': window.plain, 'outer.js': window.outer, 'inner.js': window.inner,
  'picture.svg': document.getElementById('picture').naturalWidth - 100,
})`;

it('what is foretold of old copies is what a browser shows', async (context) => {
  need(context, 'Chromium');
  const attack = new Attack('old copies beside a browser', 5);
  const home = makeProject({}, '');
  const config = (rules: string): string =>
    `site: site\ndestinations: { rehearsal: { store: here, bucket: test-mill } }\nassign:\n${rules}`;
  const versions = new Map(KEYS.map((key) => [key, 0]));
  const write = (keys: readonly string[]): void =>
    writeFiles(
      home,
      Object.fromEntries(keys.map((key) => [`site/${key}`, FILES[key]?.(versions.get(key) ?? 0) ?? ''])),
    );
  write(KEYS);
  writeFiles(home, { 'fenestra.yaml': config('  - { to: "**", cache: revalidate }\n') });
  await fenestra(home, 'publish', '--yes', '--sure', 'test-mill');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  const server = await serve(home);
  const relay = await startRelay(server.port);
  const browser = await launchChromium();
  try {
    for (let round = 0; round < attack.rounds; round++) {
      const caches = new Map(KEYS.map((key) => [key, attack.pick(CACHES)]));
      const rules = [...caches].map(([key, cache]) => `  - { to: ${key}, cache: ${cache} }\n`).join('');
      writeFiles(home, { 'fenestra.yaml': config(rules) });
      await fenestra(home, 'publish', '--yes', '--sure', 'test-mill');
      const was = new Map(versions);
      const before = attack.pick(BEFORE);
      const own = await browser.newContext();
      const page = await own.newPage();
      const look = async (): Promise<Record<string, number>> => {
        await page.goto(`http://test-mill.localhost:${relay.port}/`, { waitUntil: 'load' });
        await page.waitForFunction('window.inner !== undefined && window.plain !== undefined');
        return (await page.evaluate(READ)) as Record<string, number>;
      };
      relay.putBack(before);
      await look();
      relay.putBack(0);
      const changed = KEYS.filter(() => attack.below(2) === 0);
      for (const key of changed) versions.set(key, (versions.get(key) ?? 0) + 1);
      write(changed);
      const at = Date.now();
      const { stale } = await fenestraJson<PublishJson>(home, 'publish', '--dry-run', '--sure', 'test-mill');
      await fenestra(home, 'publish', '--yes', '--sure', 'test-mill');
      const seen = await look();
      await own.close();
      /** Held by a browser that was there then: `until` is for one that was there just now. */
      const foretold = new Map(
        stale
          .filter(({ until }) => (Date.parse(until) - at) / 1000 > before + 2)
          .map((each) => [each.key, each]),
      );
      const told = (what: string): string =>
        `round ${round}: ${what}; ${before} s before, ${JSON.stringify([...caches])}, changed ${changed.join()}`;
      const isOld = (key: string): boolean => seen[key] !== versions.get(key);
      for (const key of changed) {
        attack.note(isOld(key) ? 'shown old' : 'shown new');
        if (seen[key] !== versions.get(key) && seen[key] !== was.get(key))
          attack.harm(told(`${key} is ${String(seen[key])}`));
        if (isOld(key) && !foretold.has(key)) attack.harm(told(`${key} is old, and nobody foretold it`));
        // What is asked for meanwhile may be there before the page is looked at.
        const mayBeNew = caches.get(key)?.includes('whileRevalidating') === true;
        if (!isOld(key) && foretold.has(key)) {
          if (mayBeNew) attack.note('new while it was asked for');
          else attack.harm(told(`${key} is new, and was foretold as old`));
        }
      }
      for (const key of KEYS)
        if (isOld(key) && !changed.includes(key)) attack.harm(told(`${key} never changed`));
      // A new text with an old one of what it names is a mixture, and was foretold as one.
      for (const [text, names] of Object.entries(NAMED))
        for (const name of names)
          if (changed.includes(text) && changed.includes(name) && !isOld(text) && isOld(name)) {
            attack.note('mixed');
            if (foretold.get(name)?.mixesWith.includes(text) !== true)
              attack.harm(told(`the new ${text} meets the old ${name}, and nobody foretold it`));
          }
    }
  } finally {
    await browser.close();
    await relay.close();
    await server.stop();
  }
  attack.finish();
});
