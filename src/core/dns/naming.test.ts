import { expect, it } from 'vitest';
import fc from 'fast-check';
import { formersOf, longestOf, remember, waitOf, type ObservedName } from './observed-names.js';
import { formatServiceBinding, packServiceBinding } from './service-binding.js';
import { decideWait, leftOf, planMove, secondsToWait } from './waiting.js';

const ttl = fc.nat(200_000);
const ttls = fc.record({ parentNs: ttl, zoneNs: ttl, record: ttl });
const change = fc.constantFrom('delegation' as const, 'record' as const, 'made' as const);

it.each([
  // What resolvers were measured to hold: the terms add up.
  ['delegation', { parentNs: 12, zoneNs: 40, record: 3 }, 5, 43],
  ['delegation', { parentNs: 40, zoneNs: 12, record: 3 }, 5, 43],
  ['delegation', { parentNs: 10, zoneNs: 10, record: 25 }, 5, 35],
  ['record', { parentNs: 10, zoneNs: 10, record: 25 }, 5, 25],
  ['made', { parentNs: 10, zoneNs: 10, record: 25 }, 6, 6],
  ['servers', { parentNs: 10, zoneNs: 10, record: 25, address: 45 }, 6, 70],
  ['keys', { parentNs: 10, zoneNs: 10, record: 25, keys: 40 }, 6, 100],
] as const)('%s with %j waits', (kind, given, negative, seconds) => {
  expect(secondsToWait(kind, given, negative)).toBe(seconds);
});

it('with the same facts waiting never grows as time passes, and lower TTLs never lengthen it', () => {
  fc.assert(
    fc.property(
      change,
      ttls,
      ttl,
      ttls,
      ttl,
      fc.nat(),
      (kind, given, negative, less, lessNegative, later) => {
        const wait = decideWait(kind, given, negative, { changedAt: 1000 });
        expect(leftOf(wait, 1000 + later)).toBeLessThanOrEqual(leftOf(wait, 1000));
        const lower = {
          parentNs: Math.min(given.parentNs, less.parentNs),
          zoneNs: Math.min(given.zoneNs, less.zoneNs),
          record: Math.min(given.record, less.record),
        };
        expect(
          decideWait(kind, lower, Math.min(negative, lessNegative), { changedAt: 1000 }).until,
        ).toBeLessThanOrEqual(wait.until);
      },
    ),
    { seed: 1, numRuns: 500 },
  );
});

it('the steps of a move come in order, and the old zone stays for as long as anybody may ask it', () => {
  fc.assert(
    fc.property(ttls, (given) => {
      const plan = planMove(10 ** 12, given);
      const times = plan.map(({ at }) => at);
      expect(times).toEqual([...times].sort((a, b) => a - b));
      expect(times.at(-1)).toBeGreaterThanOrEqual(10 ** 12 + Math.max(given.parentNs, given.zoneNs) * 1000);
    }),
    { seed: 2, numRuns: 300 },
  );
});

it('a signed zone is moved without the DS of before, which is taken out in time', () => {
  const [moving, ttls_] = [10 ** 12, { parentNs: 100, zoneNs: 100, record: 100, keys: 3600 }];
  const plan = planMove(moving, ttls_);
  expect(plan.find(({ what }) => what.includes('remove the DS'))?.at).toBe(moving - 3_660_000);
  expect(plan.at(-1)?.what).toContain('enter the DS');
  expect(planMove(moving, { ...ttls_, keys: 0 }).some(({ what }) => what.includes('DS'))).toBe(false);
});

const seen = (since: number, ns: string, at: string, time: number): ObservedName => ({
  since,
  ns: [ns],
  addresses: {},
  parentNs: 10,
  zoneNs: time,
  negative: 5,
  own: at === '' ? [] : [{ name: 'www.mill.example', type: 'A', ttl: time, data: at }],
});

it('what was seen before is kept, with until when TTLs that were lowered are held', () => {
  let kept = remember([], [seen(1000, 'old', '192.0.2.1', 100)]);
  kept = remember(kept, [seen(5000, 'old', '192.0.2.1', 100)]);
  expect(kept).toHaveLength(1);
  expect(kept[0]?.since).toBe(1000);
  kept = remember(kept, [seen(9000, 'old', '192.0.2.1', 3)]);
  expect(kept[0]?.held).toEqual({ record: 109_000, delegation: 109_000, address: 0 });
  expect(formersOf(kept)).toEqual([]);
  kept = remember(remember(kept, []), [seen(20_000, 'new', '192.0.2.2', 60)]);
  expect(longestOf(formersOf(kept))).toMatchObject({
    change: 'delegation',
    changedAt: 20_000,
    ttls: { record: 3 },
  });
  const longest = longestOf(formersOf(kept));
  expect(longest && waitOf(longest).until).toBe(112_000);
  // A later change ends nothing of the one before.
  kept = remember(kept, [seen(30_000, 'new', '192.0.2.3', 60)]);
  const formers = formersOf(kept);
  expect(formers.at(-1)).toMatchObject({ change: 'record', ttls: { record: 60 } });
  expect(longestOf(formers)).toMatchObject({ change: 'delegation', changedAt: 20_000 });
  const made = remember(remember([], [seen(1, 'new', '', 9)]), [seen(2, 'new', '192.0.2.3', 60)]);
  expect(formersOf(made)).toMatchObject([{ change: 'made', negative: 5 }]);
});

it('servers that go elsewhere under their names, and keys that are vouched for no more, are waited for', () => {
  const at = (address: string, signers: string[]): ObservedName => ({
    ...seen(1000, 'ns', '192.0.2.1', 60),
    addresses: { ns: [address] },
    addressTtl: 45,
    signers,
    dsTtl: 40,
  });
  const kept = remember(remember([], [at('192.0.2.8', ['1 a'])]), [at('192.0.2.9', [])]);
  expect(formersOf(kept).map((former) => [former.change, waitOf(former).seconds])).toEqual([
    ['servers', 45 + 60],
    ['keys', 40 + 60],
  ]);
});

it.each([
  '0 store.example.',
  '1 .',
  '1 store.example. alpn=h2,http/1.1 port=8443',
  '16 a.b. no-default-alpn',
])('service bindings: %s comes back from the wire', (data) => {
  expect(formatServiceBinding(packServiceBinding(data))).toBe(data);
});

it('service bindings: addresses are read, and any bytes without harm', () => {
  const hints = [
    0,
    1,
    0,
    0,
    4,
    0,
    4,
    192,
    0,
    2,
    1,
    0,
    6,
    0,
    16,
    0x20,
    1,
    0xd,
    0xb8,
    ...Array<number>(11).fill(0),
    1,
  ];
  expect(formatServiceBinding(Uint8Array.from(hints))).toBe('1 . ipv4hint=192.0.2.1 ipv6hint=2001:db8::1');
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 60 }), (bytes) => {
      try {
        expect(typeof formatServiceBinding(bytes)).toBe('string');
      } catch (error) {
        expect(error).toBeInstanceOf(RangeError);
      }
    }),
    { seed: 3, numRuns: 2000 },
  );
});
