import { hash } from 'node:crypto';
import { expect, test, vi } from 'vitest';
import type * as Resolver from '../src/core/hosting/resolve.js';
import type { Answer, Recorder, WebRequest } from '../src/core/hosting/answer.js';
import { NEW_BUCKET_SETTINGS, type BucketView } from '../src/core/hosting/bucket-view.js';
import { listProbes } from '../src/core/check/list-probes.js';
import { runProbes } from '../src/endpoint/index.js';
import { lookUpIn } from '../src/core/hosting/find-in.js';
import { hostRelease } from '../src/jobs/host/host-release.js';
import { packObjects } from '../src/core/site/object-columns.js';
import { startHostServer } from '../src/server/host-server.js';

/** Ways of hosts that no quirk knows of yet: conditions and ranges that are not honoured, by whoever resolves. */
const ignored = vi.hoisted(() => ({ served: new Set<string>(), expected: new Set<string>() }));
vi.mock('../src/core/hosting/resolve.js', async (original) => {
  const { resolve } = await original<typeof Resolver>();
  return {
    resolve(request: WebRequest, view: BucketView, recorder?: Recorder): Answer {
      // What comes over the wire names its host; what a probe expects has no wire.
      const without = request.headers['host'] === undefined ? ignored.expected : ignored.served;
      const headers = Object.fromEntries(
        Object.entries(request.headers).filter(([name]) => !without.has(name.toLowerCase())),
      );
      return resolve({ ...request, headers }, view, recorder);
    },
  };
});

const TEXTS = new Map([
  ['film.mp4', 'frame '.repeat(500)],
  ['index.html', '<!doctype html><title>Mill</title>'],
]);
const objects = [...TEXTS].map(([key, text]) => ({
  key,
  size: text.length,
  digest: hash('sha256', text, 'hex'),
  since: Date.UTC(2026, 10, 1),
  headers: { 'Content-Type': key.endsWith('html') ? 'text/html' : 'video/mp4' },
}));
const view: BucketView = {
  name: 'mill',
  access: 'open',
  release: 1,
  settings: NEW_BUCKET_SETTINGS,
  ...lookUpIn(objects),
};

const WAYS = [
  ['nothing out of the ordinary', []],
  ['ranges ignored', ['range']],
  ['validators ignored', ['if-none-match']],
  ['dates ignored', ['if-modified-since']],
  ['all of it ignored', ['range', 'if-none-match', 'if-modified-since']],
] as const;

async function check(served: readonly string[], expected: readonly string[]) {
  ignored.served = new Set(served);
  ignored.expected = new Set(expected);
  const server = await startHostServer({
    hosted: hostRelease(view, packObjects(objects), async function* ({ key }, range) {
      const bytes = Buffer.from(TEXTS.get(key) ?? '');
      yield range ? bytes.subarray(range.start, range.end + 1) : bytes;
    }),
    host: '127.0.0.1',
    port: 0,
  });
  try {
    const at = new URL(`http://mill.localhost:${server.port}/`);
    return await runProbes(at, listProbes(view, objects), {
      concurrency: 4,
      bucket: 'test-mill',
      wholeMs: 5000,
      runMs: 60_000,
      timeoutMs: 5000,
    });
  } finally {
    await server.close(200);
  }
}

test.each(WAYS)('check agrees with serve under a quirk that was just made up: %s', async (_name, headers) => {
  const { failures, matrix } = await check(headers, headers);
  expect(failures).toEqual([]);
  expect(
    ['a range', 'unchanged by ETag', 'unchanged by date'].map((about) => matrix.get(about as 'HEAD')?.asked),
  ).toEqual([2, 2, 2]);
});

test.each(WAYS.slice(1))('and differs from one that has it alone: %s', async (_name, headers) => {
  const causes = async (served: readonly string[], expected: readonly string[]): Promise<string[]> =>
    (await check(served, expected)).failures.map(({ about, aspect }) => `${about}: ${aspect}`).sort();
  const differing = headers.flatMap((header) => {
    const about =
      header === 'range' ? 'a range' : header === 'if-none-match' ? 'unchanged by ETag' : 'unchanged by date';
    return Array.from({ length: 2 }, () => `${about}: ${header === 'range' ? 'range' : 'validators'}`);
  });
  expect(await causes(headers, [])).toEqual(differing.sort());
  expect(await causes([], headers)).toEqual(differing.sort());
});
