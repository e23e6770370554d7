import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { SwiftClient } from './client.js';
import { setAccess } from './container.js';
import { NEW_BUCKET_SETTINGS } from '../../core/hosting/bucket-view.js';

interface Seen {
  readonly asked: string;
  readonly token: string | undefined;
}

let servers: Server[] = [];
let seen: Seen[] = [];
/** Answers that come before the good one, by what is asked. */
let before: Map<string, { readonly status: number; readonly headers?: Record<string, string> }[]> = new Map();
let signedIn = 0;
let account = '/v1/a';

async function listen(): Promise<string> {
  const server = createServer((request, answer) => {
    request.resume().on('end', () => {
      const own = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
      if (request.url === '/auth/v1.0') {
        signedIn++;
        answer.writeHead(200, { 'x-storage-url': own + account, 'x-auth-token': `token-${signedIn}` }).end();
        return;
      }
      const asked = `${request.method ?? ''} ${request.url ?? ''}`;
      seen.push({ asked, token: request.headers['x-auth-token'] as string | undefined });
      const { status, headers = {} } = before.get(asked)?.shift() ?? { status: 200 };
      answer.writeHead(status, headers).end(headers['x-body'] ?? (status === 200 ? 'well' : 'not now.'));
    });
  });
  servers.push(server);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}

beforeEach(() => {
  [servers, seen, before, signedIn, account] = [[], [], new Map(), 0, '/v1/a'];
});
afterEach(() => {
  for (const server of servers) {
    server.closeAllConnections();
    server.close();
  }
});

const open = async (proxies: string[] = []): Promise<SwiftClient> =>
  new SwiftClient({
    store: 'cloud',
    auth: new URL(`${await listen()}/auth/v1.0`),
    credentials: { kind: 'password', user: 'u', key: 'k', userDomain: 'Default', projectDomain: 'Default' },
    region: undefined,
    interface: 'public',
    tries: 3,
    proxies,
  });

it.each<[string, { status: number; headers?: Record<string, string> }[], number | RegExp, number]>([
  [
    'what is put off is asked again',
    [
      { status: 503, headers: { 'retry-after': '0' } },
      { status: 429, headers: { 'retry-after': '0' } },
    ],
    200,
    3,
  ],
  [
    'no more than there are tries',
    Array(5).fill({ status: 503, headers: { 'retry-after': '0' } }) as never,
    /answered 503.*not now\.$/,
    3,
  ],
  ['what is refused is refused', [{ status: 403 }], /answered 403/, 1],
  ['what is expected is an answer', [{ status: 404 }], 404, 1],
  ['a token that has ended is renewed once', [{ status: 401 }], 200, 2],
  ['and not again and again', [{ status: 401 }, { status: 401 }], /answered 401/, 2],
])('%s', async (_name, answers, expected, asked) => {
  const client = await open();
  before.set('GET /v1/a/c/k', answers);
  const got = client.bytes({ method: 'GET', path: '/c/k', expect: [404] });
  if (expected instanceof RegExp) await expect(got).rejects.toThrow(expected);
  else expect((await got).status).toBe(expected);
  expect([seen.length, client.requests]).toEqual([asked, asked]);
  if (answers[0]?.status === 401) expect(seen.map(({ token }) => token)).toEqual(['token-1', 'token-2']);
  await client.close();
});

it('tells every proxy of a change of access, and goes on where one does not answer', async () => {
  const second = await listen();
  const client = await open([second, 'http://127.0.0.1:1']);
  await setAccess(client, 'mill', 'open', { ...NEW_BUCKET_SETTINGS.documents, sharing: undefined });
  expect(seen.map(({ asked }) => asked)).toEqual([
    'POST /v1/a/mill',
    'HEAD /v1/a/mill',
    'POST /v1/a/mill',
    'HEAD /v1/a/mill',
  ]);
  expect(new Set(seen.map(({ token }) => token))).toEqual(new Set(['token-1']));
  await client.close();
});

it('asks what the store can once, and takes silence for nothing', async () => {
  const client = await open();
  before.set('GET /info', [{ status: 500 }]);
  expect([...(await client.capabilities()), ...(await client.capabilities())]).toEqual([]);
  expect(seen.map(({ asked }) => asked)).toEqual(['GET /info']);
  await client.close();
});

it.each([
  ['beside the storage address', '/swift/v1', ['GET /swift/info'], 'GET /swift/info'],
  [
    'at the host, where there is none beside it',
    '/swift/v1/AUTH_a',
    ['GET /swift/info', 'GET /info'],
    'GET /info',
  ],
])('finds what the store can %s', async (_name, path, asked, told) => {
  account = path;
  const client = await open();
  before.set(told, [{ status: 200, headers: { 'x-body': '{"slo":{},"swift":{}}' } }]);
  expect([...(await client.capabilities())]).toEqual(['slo', 'swift']);
  expect(seen.map((each) => each.asked)).toEqual(asked);
  await client.close();
});
