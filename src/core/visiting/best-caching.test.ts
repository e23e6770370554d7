import { describe, expect, it } from 'vitest';
import { chance, LONGER, SEED } from '../../../test/helpers/chance.js';
import { createCascade } from '../assign/cascade.js';
import { findBestLines, type CachedThing } from './best-caching.js';

const DAY = 86_400;
const BOUNDS = [0, 60, 3600, DAY, 10 * DAY];

/** A site with the moments at which each of its objects changed, in seconds. */
function makeSite(random: () => number) {
  const of = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
  const releases = Array.from({ length: 2 + Math.floor(random() * 12) }, () => random() * 100 * DAY).sort(
    (a, b) => a - b,
  );
  const keys = new Set(['index.html']);
  while (keys.size < 12)
    keys.add(
      `${of(['', 'styles/', 'pictures/', 'data/'])}${of(['a', 'b', 'c', 'tide.3f9c2a7b'])}.${of(['html', 'css', 'png', 'json', 'js'])}`,
    );
  const changed = new Map<string, number[]>();
  for (const key of keys)
    // What is named by its content is never anything else.
    if (!key.includes('3f9c2a7b') && random() < 0.6)
      changed.set(key, [
        ...new Set(
          Array.from(
            { length: 1 + Math.floor(random() * 4) },
            () => 1 + Math.floor(random() * (releases.length - 1)),
          ),
        ),
      ]);
  const first = releases[0] ?? 0;
  const now = Math.max(...releases) + DAY;
  const history = {
    releases: releases.length - 1,
    span: now - first,
    changes: new Map([...changed].map(([key, all]) => [key, new Set(all)])),
  };
  const objects = [...keys].map((key): CachedThing => ({
    key,
    isText: !key.endsWith('png'),
    headers: createCascade({ file: '', rules: [] }).decide(key).headers,
  }));
  return {
    objects,
    history,
    now,
    first,
    momentsOf: (key: string) =>
      (changed.get(key) ?? []).map((release) => releases[release] ?? 0).sort((a, b) => a - b),
  };
}

const lifetimeOf = (control: string | undefined): number =>
  Number(/max-age=(\d+)/.exec(control ?? '')?.[1] ?? 0);

/** The longest for which a visitor who comes at some moments sees something that is old. */
function replay(moments: readonly number[], lifetime: number, visits: readonly number[]): number {
  let longest = 0;
  let fetched = -Infinity;
  for (const at of visits) {
    if (at >= fetched + lifetime) fetched = at;
    // The copy is of what was there when it was fetched.
    const replaced = moments.find((moment) => moment > fetched);
    if (replaced !== undefined && replaced <= at) longest = Math.max(longest, at - replaced);
  }
  return longest;
}

describe('the lines with which visitors ask for least', () => {
  it('never show anything old for longer than allowed, by the releases that there were', () => {
    const random = chance('best lines');
    for (let round = 0; round < 60 * LONGER; round++) {
      const { objects, history, now, first, momentsOf } = makeSite(random);
      for (const bound of BOUNDS) {
        const { caching, found } = findBestLines(objects, history, bound);
        expect(found.left).toEqual([]);
        for (const { key } of objects) {
          const visits = Array.from({ length: 20 }, () => first + random() * (now - first)).sort(
            (a, b) => a - b,
          );
          const old = replay(momentsOf(key), lifetimeOf(caching.get(key)?.['Cache-Control']), visits);
          expect([SEED, round, key, old <= bound]).toEqual([SEED, round, key, true]);
        }
      }
    }
  });

  it('ask for no more than any lifetimes by ending that are as safe', () => {
    const random = chance('other lines');
    for (let round = 0; round < 60 * LONGER; round++) {
      const { objects, history, momentsOf } = makeSite(random);
      const bound = BOUNDS[1 + Math.floor(random() * 4)] ?? 60;
      const { caching } = findBestLines(objects, history, bound);
      // A list of up to three lines, each with a lifetime at random.
      const endings = ['html', 'css', 'png', 'json', 'js'].filter(() => random() < 0.6).slice(0, 3);
      const other = new Map(endings.map((ending) => [ending, Math.floor(random() * history.span)]));
      const isSafe = objects.every(({ key }) => {
        const lifetime = other.get(key.slice(key.lastIndexOf('.') + 1)) ?? 0;
        return momentsOf(key).length === 0 || lifetime <= bound;
      });
      if (!isSafe) continue;
      for (const { key } of objects) {
        const ending = key.slice(key.lastIndexOf('.') + 1);
        // Of what is read again and again nobody knows that it will not change.
        const theirs = other.get(ending);
        if (theirs === undefined || ending === 'html' || history.releases < 3) continue;
        const ours = lifetimeOf(caching.get(key)?.['Cache-Control']);
        expect([SEED, round, key, ours >= Math.min(theirs, history.span - DAY)]).toEqual([
          SEED,
          round,
          key,
          true,
        ]);
      }
    }
  });
});
