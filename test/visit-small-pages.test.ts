/** Small pages that each make a browser decide one thing: what it asks for is what was computed. */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { expect, test, vi } from 'vitest';
import type { VisitJson } from '../src/report/json/visit-json.js';
import { visitAs } from './helpers/browsed.js';
import { launchChromium } from './helpers/chromium.js';
import { need } from './helpers/machine.js';
import { DEMO, fenestra, makeProject, serve } from './helpers/program.js';
import { CASCADE, CUSTOM, FURTHER, HEIGHTS, SHADOWS, type SmallPage } from './helpers/small-pages.js';

const SVG =
  '<svg xmlns="http://www.w3.org/2000/svg" width="10" height="10"><rect width="10" height="10" fill="teal"/></svg>';
const FONT = readFileSync(join(DEMO, 'site/fonts/wendle-digits.woff2'));

/** Writes each page into a folder of its own. @returns what each address shows */
function writePages(home: string, pages: Readonly<Record<string, SmallPage>>): Map<string, string> {
  const put = (path: string, content: string | Buffer): void => {
    mkdirSync(dirname(join(home, 'site', path)), { recursive: true });
    writeFileSync(join(home, 'site', path), content);
  };
  const titles = new Map<string, string>();
  for (const [title, { head = '', body, files = {} }] of Object.entries(pages)) {
    const folder = `p${titles.size}`;
    titles.set(`/${folder}/`, title);
    const fill = (text: string): string =>
      text.replace(/\bU\(([\w-]+)\)/g, (_, name: string) => {
        put(`${folder}/${name}.svg`, SVG);
        return `url(/${folder}/${name}.svg)`;
      });
    put(
      `${folder}/index.html`,
      `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>t</title><link rel="icon" href="data:,">${fill(head)}</head><body>${fill(body)}</body></html>`,
    );
    for (const [name, text] of Object.entries(files))
      put(`${folder}/${name}`, text === 'SVG' ? SVG : text === 'FONT' ? FONT : fill(text));
  }
  return titles;
}

/** A browser takes its time where a machine does other work too. */
vi.setConfig({ testTimeout: 900_000 });

/** At once in one browser. */
const BESIDE = 4;

test('what small pages ask for is what a browser asks for', async (context) => {
  need(context, 'Chromium');
  const home = makeProject();
  const titles = writePages(home, { ...CUSTOM, ...CASCADE, ...FURTHER, ...HEIGHTS, ...SHADOWS });
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  const computed = new Map<string, string[]>();
  const { visits } = await visitAs<VisitJson>(home, ...titles.keys(), '--after', '0 seconds');
  // What comes from the cache is asked for too, of the browser's own.
  for (const { url, page } of visits[0]?.responses ?? [])
    computed.set(page, [...(computed.get(page) ?? []), new URL(url).pathname]);
  const server = await serve(home);
  const browser = await launchChromium();
  const asked = new Map<string, string[]>();
  /** Each page begins with nothing that another one has brought. */
  const look = async (path: string): Promise<void> => {
    const own = await browser.newContext();
    const page = await own.newPage();
    const seen: string[] = [];
    page.on('request', (request) => {
      if (/^https?:/.test(request.url())) seen.push(new URL(request.url()).pathname);
    });
    await page.goto(`http://test-mill.localhost:${server.port}${path}`, { waitUntil: 'networkidle' });
    asked.set(path, seen);
    await own.close();
  };
  const listDiffering = (): { path: string; title: string; model: string[]; seen: string[] }[] =>
    [...titles].flatMap(([path, title]) => {
      const address = [...computed.keys()].find((page) => new URL(page).pathname === path) ?? '';
      const [model = [], seen = []] = [computed.get(address) ?? [], asked.get(path) ?? []].map((each) =>
        each.slice().sort(),
      );
      return JSON.stringify(model) === JSON.stringify(seen) ? [] : [{ path, title, model, seen }];
    });
  try {
    const left = [...titles.keys()];
    await Promise.all(
      Array.from({ length: BESIDE }, async () => {
        for (let path = left.shift(); path !== undefined; path = left.shift()) await look(path);
      }),
    );
    // A browser that is busy may draw a page, and so ask for what waits, after it seemed to be done: once more, alone.
    for (const { path } of listDiffering()) await look(path);
  } finally {
    await browser.close();
    await server.stop();
  }
  const differing = listDiffering();
  expect(differing).toEqual([]);
  expect(titles.size).toBeGreaterThan(110);
});
