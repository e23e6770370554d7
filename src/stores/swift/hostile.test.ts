/** Stores whose answers are broken or meant to harm: each ends in bounded time and memory, with a word on what it was. */
import { createServer, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterEach, describe, expect, it, test } from 'vitest';
import { FenestraError } from '../../core/errors/catalogue.js';
import { SwiftClient } from './client.js';
import { listNames } from './listing.js';
import { signIn } from './sign-in.js';

const CREDENTIALS = {
  kind: 'password',
  user: 'u',
  key: 'k',
  userDomain: 'Default',
  projectDomain: 'Default',
} as const;
type Answer = (response: ServerResponse, url: string) => void;
const servers: Server[] = [];
afterEach(() => {
  for (const server of servers.splice(0)) {
    server.closeAllConnections();
    server.close();
  }
});

const say =
  (status: number, body = '', headers = {}): Answer =>
  (response) =>
    void response.writeHead(status, headers).end(body);
/** Goes on for ever. @param every milliseconds */
const endless =
  (piece: string, every: number, headers = {}): Answer =>
  (response) => {
    response.writeHead(200, headers);
    const timer = setInterval(() => response.write(piece), every);
    response.on('close', () => clearInterval(timer));
  };

async function listen(answer: Answer): Promise<string> {
  const server = createServer((request, response) => {
    request.resume();
    const own = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    if (request.url === '/auth/v1.0')
      return void response.writeHead(204, { 'x-storage-url': `${own}/v1/a`, 'x-auth-token': 't' }).end();
    answer(response, request.url ?? '');
  });
  servers.push(server);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}

const open = async (answer: Answer): Promise<SwiftClient> =>
  new SwiftClient({
    store: 'cloud',
    auth: new URL(`${await listen(answer)}/auth/v1.0`),
    credentials: CREDENTIALS,
    region: undefined,
    interface: 'public',
    timeoutMs: 200,
    tries: 1,
  });

async function list(answer: Answer): Promise<string> {
  const client = await open(answer);
  const names: string[] = [];
  try {
    for await (const { name } of listNames(client, 'mill')) names.push(name);
    return `listed ${names.length}`;
  } catch (error) {
    return error instanceof FenestraError ? error.message : String(error);
  }
}
const page = (names: readonly unknown[]): string =>
  JSON.stringify(names.map((name) => ({ name, bytes: 1, hash: 'a', last_modified: '2026-11-01T00:00:00' })));
const FULL = Array.from({ length: 10_000 }, (_, n) => `n${String(n).padStart(5, '0')}`);

describe('a listing', () => {
  test.each<[what: string, answer: Answer, said: RegExp]>([
    ['that is one', say(200, page(['a', 'b'])), /^listed 2$/],
    ['that repeats itself', say(200, page(FULL)), /out of order: n00000 comes after n09999/],
    ['that goes backwards', say(200, page(['b', 'a'])), /out of order/],
    ['that names one twice', say(200, page(['a', 'a'])), /out of order/],
    ['with nothing in it', say(200, '[null]'), /something in it that is no object/],
    ['of numbers', say(200, '[1,2]'), /something in it that is no object/],
    ['with a name that is none', say(200, page([7])), /something in it that is no object/],
    ['with a size that is none', say(200, '[{"name":"a","bytes":"x"}]'), /something in it that is no object/],
    ['that is an object', say(200, '{"a":1}'), /no listing/],
    ['that is null', say(200, 'null'), /no listing/],
    ['that is no JSON', say(200, '<html>'), /no listing/],
    ['that drips', endless(' ', 20), /not whole in time/],
    ['that never ends', endless(' '.repeat(1 << 20), 0), /without end|not whole in time/],
    ['that is refused at length', endless('no '.repeat(1 << 16), 0), /without end|not whole in time/],
  ])('%s', async (_what, answer, said) => {
    const began = performance.now();
    expect(await list(answer)).toMatch(said);
    expect(performance.now() - began).toBeLessThan(5000);
  });
});

it('a listing of several pages is whole, each asked for once, whatever the names at their ends', async () => {
  const names = Array.from(
    { length: 25_000 },
    (_, n) => `n${String(n).padStart(5, '0')} {"name":"x"},{ \u00e9\\"}`,
  );
  const asked: string[] = [];
  const answer: Answer = (response, url) => {
    const marker = new URL(url, 'http://store.invalid').searchParams.get('marker') ?? '';
    asked.push(marker);
    const from = marker === '' ? 0 : names.indexOf(marker) + 1;
    response.end(page(names.slice(from, from + 10_000)));
  };
  expect(await list(answer)).toBe('listed 25000');
  expect(asked).toEqual(['', names[9_999], names[19_999]]);
});

test.each<[what: string, answer: Answer]>([
  ['that never ends', endless(' '.repeat(1 << 20), 0)],
  ['that drips', endless(' ', 20)],
  ['that is no JSON', say(200, '{')],
  ['that is null', say(200, 'null')],
])('of what a store can nothing is known by an answer %s', async (_what, answer) => {
  const before = process.memoryUsage().rss;
  expect([...(await (await open(answer)).capabilities())]).toEqual([]);
  expect(process.memoryUsage().rss - before).toBeLessThan(60 * 2 ** 20);
});

it('bytes that drip are given up, and those that come steadily are not', async () => {
  const take = async (answer: Answer): Promise<string> => {
    const client = await open(answer);
    const { body } = await client.call({ method: 'GET', path: '/mill/film' });
    let bytes = 0;
    try {
      for await (const piece of client.steadily(body)) bytes += piece.length;
      return `${bytes}`;
    } catch (error) {
      return String(error);
    }
  };
  expect(await take(endless('x', 20))).toMatch(/not whole in time/);
  const steady: Answer = (response) => {
    response.writeHead(200);
    let left = 30;
    const timer = setInterval(() => {
      response.write('x'.repeat(2000));
      if (--left === 0) response.end();
      if (left <= 0) clearInterval(timer);
    }, 20);
  };
  expect(await take(steady)).toBe('60000');
});

describe('signing in', () => {
  const input = {
    store: 'cloud',
    credentials: CREDENTIALS,
    region: undefined,
    interface: 'public',
    wholeMs: 600,
  };
  /** Answers as if it had been asked over the network, by https or not. */
  const answering = (headers: Record<string, string>, body = '', status = 200): never =>
    ({
      dispatch: (_options: unknown, handler: Record<string, (...given: unknown[]) => void>) => {
        const controller = { abort: () => undefined };
        handler['onRequestStart']?.(controller);
        handler['onResponseStart']?.(controller, status, headers);
        handler['onResponseData']?.(controller, Buffer.from(body));
        handler['onResponseEnd']?.(controller);
        return true;
      },
    }) as never;
  const outcome = (
    auth: string,
    headers: Record<string, string>,
    more = {},
    body = '',
    status = 200,
  ): Promise<string> =>
    signIn({ ...input, auth: new URL(auth), dispatcher: answering(headers, body, status), ...more }).then(
      ({ account }) => account,
      (error: unknown) => (error instanceof FenestraError ? error.code : String(error)),
    );
  const to = (account: string): Record<string, string> => ({ 'x-storage-url': account, 'x-auth-token': 't' });
  const SECURE = 'https://store.example/auth/v1.0';

  test.each<[auth: string, account: string, more: object, comes: string]>([
    [SECURE, 'https://store.example/v1/a', {}, 'https://store.example/v1/a'],
    [SECURE, 'http://store.example/v1/a', {}, 'TOKEN_IN_CLEAR'],
    [SECURE, 'http://store.example/v1/a', { plainLoopback: true }, 'TOKEN_IN_CLEAR'],
    [SECURE, 'http://127.0.0.1:8080/v1/a', {}, 'TOKEN_IN_CLEAR'],
    [SECURE, 'http://127.0.0.1:8080/v1/a', { plainLoopback: true }, 'http://127.0.0.1:8080/v1/a'],
    [SECURE, 'http://127.0.0.1.example/v1/a', { plainLoopback: true }, 'TOKEN_IN_CLEAR'],
    [SECURE, 'https://store.example/v1/a', { proxies: ['http://two.example'] }, 'TOKEN_IN_CLEAR'],
    ['http://store.example/auth/v1.0', 'http://store.example/v1/a', {}, 'http://store.example/v1/a'],
    [SECURE, 'file:///etc/passwd', {}, 'SIGN_IN_REFUSED'],
    [SECURE, 'nowhere', {}, 'SIGN_IN_REFUSED'],
  ])('at %s to %s with %j', async (auth, account, more, comes) => {
    expect(await outcome(auth, to(account), more)).toBe(comes);
  });

  const catalogue = (url: unknown): string =>
    JSON.stringify({
      token: { catalog: [{ type: 'object-store', endpoints: [{ interface: 'public', url }] }] },
    });
  test.each<[body: string, comes: string]>([
    [catalogue('https://store.example/v1/a'), 'https://store.example/v1/a'],
    [catalogue('http://store.example/v1/a'), 'TOKEN_IN_CLEAR'],
    [catalogue(7), 'SIGN_IN_REFUSED'],
    ['null', 'SIGN_IN_REFUSED'],
    ['{"token":null}', 'SIGN_IN_REFUSED'],
    ['{"token":{"catalog":{"a":1}}}', 'SIGN_IN_REFUSED'],
    ['{"token":{"catalog":[null,{"type":"object-store","endpoints":[null]}]}}', 'SIGN_IN_REFUSED'],
  ])('by a catalogue %s', async (body, comes) => {
    expect(await outcome('https://store.example/v3', { 'x-subject-token': 't' }, {}, body, 201)).toBe(comes);
  });
});
