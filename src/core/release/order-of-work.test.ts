import fc from 'fast-check';
import { expect, it } from 'vitest';
import { NEW_BUCKET_SETTINGS } from '../hosting/bucket-view.js';
import { stagesOfWork } from './order-of-work.js';

const settings = { ...NEW_BUCKET_SETTINGS, documents: { index: 'index.html', error: 'oops.html' } };
const body = (key: string) => ({
  object: {
    key,
    size: 1,
    digest: key,
    headers: {
      'Content-Type': /html$/.test(key)
        ? 'text/html; charset=utf-8'
        : key.includes('.')
          ? 'text/css'
          : 'font/ttf',
    },
  },
});
const keysOf = (stages: ReturnType<typeof stagesOfWork>): string[][] =>
  stages.map((stage) => stage.map(({ object }) => object.key));
const stagesFor = (loads: Record<string, readonly string[]>, keys = Object.keys(loads)): string[][] =>
  keysOf(stagesOfWork(keys.map(body), settings, new Map(Object.entries(loads))));

it.each<[string, Record<string, readonly string[]>, string[][]]>([
  ['nothing', {}, []],
  [
    'what nothing loads, then pages, then documents',
    { 'index.html': [], 'a.html': [], 'x.css': [] },
    [['x.css'], ['a.html'], ['index.html']],
  ],
  [
    'a style before the one that imports it',
    { 'a.css': ['b.css'], 'b.css': ['font'], font: [] },
    [['font'], ['b.css'], ['a.css']],
  ],
  [
    'a circle at once, after what it loads',
    { 'a.js': ['b.js'], 'b.js': ['a.js', 'c.js'], 'c.js': [] },
    [['c.js'], ['a.js', 'b.js']],
  ],
  [
    'a page behind a document that it frames',
    { 'a.html': ['index.html'], 'index.html': [] },
    [['index.html'], ['a.html']],
  ],
  ['what is not sent plays no part', { 'a.html': ['there.css'] }, [['a.html']]],
  [
    'documents wait for all pages',
    { 'visit/index.html': [], 'oops.html': ['x.css'], 'a.html': [], 'x.css': [] },
    [['x.css'], ['a.html'], ['visit/index.html', 'oops.html']],
  ],
])('%s', (_name, loads, expected) => {
  expect(stagesFor(loads)).toEqual(expected);
});

const KEYS = [
  'index.html',
  'a.html',
  'b/index.html',
  'c.html',
  'x.css',
  'y.css',
  'm.js',
  'n.js',
  'oops.html',
  'pic',
];
const site = fc.dictionary(
  fc.constantFrom(...KEYS),
  fc.record({
    version: fc.integer({ min: 1, max: 3 }),
    loads: fc.uniqueArray(fc.constantFrom(...KEYS), { maxLength: 4 }),
  }),
);

it('at every moment every page that is public finds all that it loads and that is there before or after', () => {
  fc.assert(
    fc.property(site, site, fc.infiniteStream(fc.nat()), (before, after, chance) => {
      const changed = Object.keys(after).filter(
        (key) => JSON.stringify(before[key]) !== JSON.stringify(after[key]),
      );
      const loadsOf = (from: typeof after): [string, string[]][] =>
        Object.entries(from).map(([key, { loads }]) => [key, loads]);
      const stages = keysOf(stagesOfWork(changed.map(body), settings, new Map(loadsOf(after))));
      // In a stage any order will do.
      const order = stages.flatMap((stage) =>
        stage
          .map((key) => [chance.next().value as number, key] as const)
          .sort(([a], [b]) => a - b)
          .map(([, key]) => key),
      );
      expect([...order].sort()).toEqual([...changed].sort());
      const circle = circles(after);
      const there = new Map(Object.entries(before));
      const look = (isDone = false): void => {
        for (const [key, { loads }] of there)
          for (const loaded of loads) {
            const wanted = isDone || there.get(key) === after[key] ? after : before;
            if (loaded in wanted && !circle.get(key)?.has(loaded))
              expect([key, loaded, there.has(loaded)]).toEqual([key, loaded, true]);
          }
      };
      for (const key of order) {
        const next = after[key];
        if (next) there.set(key, next);
        look();
      }
      // Removals come last: what is there then is what was to be.
      for (const key of [...there.keys()]) if (!(key in after)) there.delete(key);
      look(true);
    }),
  );
});

/** By key, those that load it themselves, by whatever way. */
function circles(
  of: Readonly<Record<string, { readonly loads: readonly string[] }>>,
): Map<string, Set<string>> {
  const reach = (from: string): Set<string> => {
    const seen = new Set<string>();
    const left = [...(of[from]?.loads ?? [])];
    for (let key = left.pop(); key !== undefined; key = left.pop())
      if (!seen.has(key) && key in of) {
        seen.add(key);
        left.push(...(of[key]?.loads ?? []));
      }
    return seen;
  };
  return new Map(
    Object.keys(of).map((key) => [key, new Set([...reach(key)].filter((each) => reach(each).has(key)))]),
  );
}
