import { expect, it } from 'vitest';
import { chance } from '../../../test/helpers/chance.js';
import { compareKeys } from '../../core/site/key.js';
import type { SwiftClient } from './client.js';
import { listNames } from './listing.js';

/** A container in memory. @param hears whether it knows of an end, which is left out of what it gives */
function storeWith(names: readonly string[], hears: boolean): { client: SwiftClient; most: () => number } {
  const lies = [...names].sort(compareKeys);
  let [underWay, most] = [0, 0];
  const answer = async ({ path }: { readonly path: string }): Promise<object> => {
    most = Math.max(most, ++underWay);
    const query = new URL(path, 'http://store.example').searchParams;
    const [marker = '', end] = [query.get('marker') ?? '', query.get('end_marker')];
    await new Promise(setImmediate);
    underWay--;
    const page = lies
      .filter((name) => compareKeys(name, marker) > 0)
      .filter((name) => !hears || end === null || compareKeys(name, end) < 0)
      .slice(0, Number(query.get('limit')))
      .map((name) => ({ name, bytes: name.length, hash: `"${name.length}"`, last_modified: '' }));
    return { status: 200, bytes: Buffer.from(JSON.stringify(page)) };
  };
  return { client: { store: 'stub', bytes: answer } as unknown as SwiftClient, most: () => most };
}

it.each([
  ['a store that keeps to the end', true],
  ['one that knows none', false],
])('lists every name once, in order, in several parts at once: %s', async (_name, hears) => {
  const random = chance('parts of a listing');
  const pick = <T>(all: readonly T[]): T => all[Math.floor(random() * all.length)] as T;
  const PARTS = ['a', 'b/', 'é', '\u0001', '~', '𝄞', 'z', ' '];
  for (let round = 0; round < 3; round++) {
    const known = new Set<string>();
    while (known.size < 17_000)
      known.add(`${pick(PARTS)}${pick(PARTS)}${Math.floor(random() * 1e6)}${pick(PARTS)}`);
    const names = [...known].filter(() => random() < 0.95);
    // Somebody else has put a great many beside one of them.
    const crowd = pick([...known]);
    for (let n = 0; n < 11_000 && round > 0; n++) names.push(`${crowd}${pick(PARTS)}${n}`);
    const { client, most } = storeWith([...new Set(names)], hears);
    const seen: string[] = [];
    for await (const { name } of listNames(client, 'mill', '', [...known].sort(compareKeys))) seen.push(name);
    expect(seen).toEqual([...new Set(names)].sort(compareKeys));
    expect(most()).toBe(3);
  }
});
