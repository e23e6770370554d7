import { cpSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test, vi } from 'vitest';
import type { VisitJson } from '../src/report/json/visit-json.js';
import { visitAs, type Browsed } from './helpers/browsed.js';
import { need } from './helpers/machine.js';
import { DEMO, fenestra, makeFolder, serve } from './helpers/program.js';

/** A browser walks for minutes where a machine does other work too. */
vi.setConfig({ testTimeout: 900_000 });

const demo = (): string => {
  const home = makeFolder();
  cpSync(DEMO, home, { recursive: true });
  rmSync(join(home, '.fenestra'), { recursive: true, force: true });
  return home;
};

const PAGES = [
  '/',
  '/visit/',
  '/visit/getting-here/',
  '/times/',
  '/mill/',
  '/mill/film/',
  '/news/spring-tides/',
  '/opening-times',
  '/not-there',
];

test('a real browser asks for what the model says: the demo site as a walk, first, at once, later, reloaded, forced', async (context) => {
  need(context, 'Chromium');
  const home = demo();
  await fenestra(home, 'publish', '--yes');
  const walk = (after: string): Promise<Browsed> =>
    visitAs<Browsed>(home, ...PAGES, '--after', after, '--reload', '--forced', '--browser');
  const walks = await Promise.all(['1 minute', '31 days'].map(walk));
  walks.forEach(expectAlike);
});

function expectAlike(seen: Browsed): void {
  // What a script asks for while it runs nobody can know; it is said that there is one.
  const others = seen.differences.filter(({ url }) => !url.endsWith('/data/tides.json'));
  expect(others).toEqual([]);
  expect(seen.unknown.scripts).toBe(1);
  expect(seen.browser.map(({ kind, after }) => `${kind} ${after}`)).toHaveLength(4);
  // Bytes too: every answer but films, of which a browser reads what it likes.
  for (const { kind, after, responses } of seen.browser) {
    const model = seen.visits.find((visit) => visit.kind === kind && visit.after === after);
    const plain = (list: readonly { bytes: number; url: string }[]): number[] =>
      list
        .filter(({ url, bytes }) => bytes > 0 && !/\.(?:mp4|webm|ico|webmanifest|json)$/.test(url))
        .map(({ bytes }) => bytes)
        .sort((a, b) => a - b);
    expect(plain(responses), `${kind} ${after}`).toEqual(plain(model?.responses ?? []));
  }
}

test('an endpoint is visited by the headers that it sends, and browsed by what the browser tells', async (context) => {
  need(context, 'Chromium');
  const home = demo();
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'wendle-mill');
  const here = await visitAs<VisitJson>(home, '/', '/mill/film/', '/opening-times', '--after', '0 seconds');
  const server = await serve(home);
  try {
    const at = `http://wendle-mill.localhost:${server.port}/`;
    const words = ['/', '/mill/film/', '/opening-times', '--at', at, '--after', '0 seconds'];
    // Without a project: any site can be looked at.
    const there = await visitAs<Browsed>(makeFolder(), ...words, '--reload', '--forced', '--browser');
    expect(there.differences).toEqual([]);
    const totals = ({ visits }: VisitJson): object[] =>
      visits
        .filter(({ kind }) => kind === 'first' || kind === 'return')
        .map(({ requests, revalidated, fromCache, bytes }) => ({ requests, revalidated, fromCache, bytes }));
    expect(totals(there)).toEqual(totals(here));
  } finally {
    await server.stop();
  }
});
