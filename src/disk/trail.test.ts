import { expect, test } from 'vitest';
import { extendTrail, type PastState } from './trail.js';

const state = (identity: string, ...keys: string[]): PastState => ({ identity, keys });
const many = (count: number): string[] => Array.from({ length: count }, (_, n) => `k${n}`);

test.each<[string, Parameters<typeof extendTrail>, readonly PastState[]]>([
  ['nothing is known', [undefined, []], []],
  ['the first', [{ identity: 'a' }, ['x']], [state('a', 'x')]],
  [
    'those before differ in it too',
    [{ identity: 'b', trail: [state('a', 'x')] }, ['y', 'x']],
    [state('b', 'y', 'x'), state('a', 'x', 'y')],
  ],
  [
    'three at most',
    [{ identity: 'd', trail: [state('c', 'x'), state('b', 'x'), state('a', 'x')] }, ['x']],
    [state('d', 'x'), state('c', 'x'), state('b', 'x')],
  ],
  ['too many keys', [{ identity: 'b', trail: [state('a', 'x')] }, many(257)], []],
  [
    'too many since an earlier state',
    [{ identity: 'b', trail: [state('a', 'x')] }, many(256)],
    [state('b', ...many(256))],
  ],
])('%s', (_what, given, expected) => {
  expect(extendTrail(...given)).toEqual(expected);
});
