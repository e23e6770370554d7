import { expect, test } from 'vitest';
import { compareVisits, type BrowserVisit } from './compare-visits.js';
import type { Visit } from './run-visits.js';
import { NOTHING } from './visit.js';

const PAGES = ['/a', '/b', '/c'];
const url = (path: string): string => `http://a.invalid${path}`;

const modelled = (kind: Visit['kind'], asked: Readonly<Record<string, readonly string[]>>): Visit => ({
  kind,
  after: 0,
  totals: NOTHING,
  pages: [],
  responses: PAGES.flatMap((page) =>
    (asked[page] ?? []).map((path) => ({
      ...{ url: url(path), page: url(page), use: 'icon' as const, key: undefined, seen: false },
      ...{ from: 'network' as const, status: 404, bytes: 0, why: { what: 'first' as const } },
      time: { from: 0, asked: 0, answered: 0, to: 0 },
    })),
  ),
});
const browsed = (kind: Visit['kind'], asked: Readonly<Record<string, readonly string[]>>): BrowserVisit => ({
  kind,
  after: 0,
  pages: PAGES.map((page) => ({
    page: url(page),
    requests: (asked[page] ?? []).map((target) => ({ target, status: 404, bytes: 0 })),
  })),
});

test.each([
  ['the same', { '/a': ['/i'] }, { '/a': ['/i'] }, []],
  ['one that comes with the next page', { '/a': ['/i'] }, { '/b': ['/i'] }, []],
  ['one that comes two pages later', { '/a': ['/i'] }, { '/c': ['/i'] }, ['/a /i 404', '/c /i none']],
  ['one that comes a page too early', { '/b': ['/i'] }, { '/a': ['/i'] }, ['/a /i none', '/b /i 404']],
  ['one that comes late, and once more', { '/a': ['/i'] }, { '/b': ['/i', '/i'] }, ['/b /i none']],
  ['another one', { '/a': ['/i'] }, { '/b': ['/k'] }, ['/a /i 404', '/b /k none']],
])('%s', (_, model, browser, differing) => {
  const found = compareVisits([modelled('first', model)], [browsed('first', browser)]);
  expect(
    found.map((each) => `${new URL(each.page).pathname} ${each.target} ${each.model ?? 'none'}`).sort(),
  ).toEqual(differing);
});

test('where pages are reloaded too the next load is the reload', () => {
  const visits = [modelled('return', { '/a': ['/i'] }), modelled('reload', {})];
  expect(compareVisits(visits, [browsed('return', {}), browsed('reload', { '/a': ['/i'] })])).toEqual([]);
  expect(compareVisits(visits, [browsed('return', { '/b': ['/i'] }), browsed('reload', {})])).toHaveLength(2);
});

test('of a page that goes on at once the icon that nobody named may be looked for or not', () => {
  const visit = modelled('return', { '/a': ['/a', '/b'] });
  const goesOn = { ...visit, responses: visit.responses.map((each) => ({ ...each, use: 'page' as const })) };
  const asked = { '/a': ['/a', '/b', '/favicon.ico'] };
  expect(compareVisits([goesOn], [browsed('return', asked)])).toEqual([]);
  expect(compareVisits([visit], [browsed('return', asked)])).toHaveLength(1);
});
