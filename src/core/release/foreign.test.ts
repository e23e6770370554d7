import fc from 'fast-check';
import { expect, it } from 'vitest';
import { compareKeys } from '../site/key.js';
import type { StoredObject } from '../site/site-object.js';
import { assertOwn, withForeign, type ForeignChange } from './foreign.js';

const object = (key: string, digest: string): StoredObject => ({
  key,
  size: 1,
  digest,
  headers: {},
  since: 0,
});
const state = fc.dictionary(fc.constantFrom(...'abcdefg'), fc.constantFrom('1', '2'));
const listed = (of: Record<string, string>): StoredObject[] =>
  Object.entries(of)
    .map(([key, digest]) => object(key, digest))
    .sort((a, b) => compareKeys(a.key, b.key));

it('shows a bucket as it lies there, whatever was done to it', async () => {
  await fc.assert(
    fc.asyncProperty(state, state, async (ledger, real) => {
      const changes = [...new Set([...Object.keys(ledger), ...Object.keys(real)])]
        .sort()
        .flatMap((key): ForeignChange[] => {
          const [was, is] = [ledger[key], real[key]];
          if (was === is) return [];
          const now = is === undefined ? {} : { now: object(key, is) };
          return [
            { key, change: was === undefined ? 'added' : is === undefined ? 'removed' : 'replaced', ...now },
          ];
        });
      const seen: StoredObject[] = [];
      for await (const each of withForeign(listed(ledger), changes)) seen.push(each);
      expect(seen).toEqual(listed(real));
    }),
  );
});

it('names what somebody else has changed, and how to go on', () => {
  expect(() => assertOwn('mill', [], 3)).not.toThrow();
  const changes = [...'abcdefg'].map((key) => ({ key, change: 'replaced' }) as const);
  expect(() => assertOwn('mill', changes, 3)).toThrow(
    /7 objects of mill were changed by somebody else since release 3: a \(replaced\).*and 2 more/s,
  );
});
