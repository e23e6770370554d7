/** A front that gives again what it gave just now answers every request as one that works each out. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { LONGER, SEED } from '../../../test/helpers/chance.js';
import type { FrontRequest } from '../../core/caching/shared-cache.js';
import type { FrontAnswer } from './front-answer.js';
import { Front } from './front.js';
import { OWN_VISIT } from './visitor.js';

const HOST = 'mill.example';
const PATHS = ['/a', '/b'];
const CACHES = ['max-age=3', 'max-age=2, stale-while-revalidate=3', 'no-cache', 'max-age=60', 'no-store'];
const WISHES: readonly Record<string, string>[] = [
  {},
  {},
  { 'accept-encoding': 'gzip' },
  { 'accept-encoding': 'gzip' },
  { 'accept-encoding': 'gzip' },
  { 'accept-encoding': 'br' },
  { 'accept-encoding': 'br' },
  { 'cache-control': 'no-cache' },
  { 'cache-control': 'max-age=1' },
  { pragma: 'no-cache' },
  { range: 'bytes=0-3' },
  { 'if-none-match': '"1"' },
  { 'if-none-match': '"7"' },
];

const step = fc.record({
  what: fc.constantFrom('get', 'get', 'get', 'get', 'get', 'get', 'head', 'post', 'change'),
  path: fc.constantFrom(...PATHS),
  wishes: fc.constantFrom(...WISHES),
  /** Milliseconds before it. */
  after: fc.constantFrom(0, 1, 1, 7, 20, 200, 999, 1000, 3000),
  cache: fc.constantFrom(...CACHES),
  varies: fc.boolean(),
});

interface World {
  now: number;
  readonly pages: Map<string, { version: number; cache: string; varies: boolean }>;
}

/** @param isQuick whether it may give again what it gave just now */
function frontOf(world: World, isQuick: boolean) {
  const front = new Front({
    origin: {
      ask: ({ target, method, headers }) => {
        const { version, cache, varies } = world.pages.get(target) ?? {
          version: 1,
          cache: 'max-age=3',
          varies: false,
        };
        const coding = varies ? (headers['accept-encoding'] ?? '') : '';
        const etag = `"${version}${coding}"`;
        const isSame = headers['if-none-match'] === etag;
        const body = Buffer.from(
          isSame || method !== 'GET' ? '' : `${target} ${version} ${coding} by its maker`,
        );
        return Promise.resolve({
          status: isSame ? 304 : 200,
          headers: {
            'cache-control': cache,
            etag,
            date: new Date(world.now).toUTCString(),
            ...(varies ? { vary: 'Accept-Encoding' } : {}),
          },
          body,
        });
      },
      close: () => Promise.resolve(),
    },
    shared: true,
    secureOnly: 0,
    secureHosts: new Set(),
    clock: () => world.now,
  });
  return async (request: FrontRequest, target: string): Promise<FrontAnswer> => {
    const again =
      isQuick && request.method === 'GET' ? front.again(HOST, target, request.headers) : undefined;
    const visit = { ...OWN_VISIT, came: { authority: HOST, target } };
    return again ?? (await front.answer(request, undefined, visit));
  };
}

it(`whatever is asked, whenever, after whatever changes (FENESTRA_SEED=${SEED})`, async () => {
  let given = 0;
  await fc.assert(
    fc.asyncProperty(fc.array(step, { minLength: 5, maxLength: 60 }), async (steps) => {
      const world: World = { now: Date.UTC(2026, 11, 1), pages: new Map() };
      const [quick, slow] = [frontOf(world, true), frontOf(world, false)];
      for (const { what, path, wishes, after, cache, varies } of steps) {
        world.now += after;
        if (what === 'change') {
          const { version = 0 } = world.pages.get(path) ?? {};
          world.pages.set(path, { version: version + 1, cache, varies });
          continue;
        }
        const method = what.toUpperCase();
        const ask = (): FrontRequest => ({ method, url: `https://${HOST}${path}`, headers: { ...wishes } });
        const [one, other] = [await quick(ask(), path), await slow(ask(), path)];
        // What is asked for behind visitors' backs has come before the next.
        await new Promise((done) => setImmediate(done));
        expect({ ...one, body: String(one.body as Buffer) }).toEqual({
          ...other,
          body: String(other.body as Buffer),
        });
        given++;
      }
    }),
    { numRuns: 150 * LONGER, seed: SEED },
  );
  expect(given).toBeGreaterThan(1000);
});
