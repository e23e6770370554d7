/** Endpoints that give away something of what nobody may read, each in its own way: every one of them is found out. */
import { createServer, request, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { CONFIG, fenestra, makeProject, serve, type Serving } from './helpers/program.js';

const SECRET = 'what the winter cost: 1,234 in repairs of the wheel\n';
const KEY = 'drafts/übersicht.txt';
let home: string;
let server: Serving;
beforeAll(async () => {
  home = makeProject(
    { [`site/${KEY}`]: SECRET, 'site/open.txt': 'open' },
    `${CONFIG}readable: { keys: ["**"], except: ["drafts/**"] }\n`,
  );
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  server = await serve(home);
});
afterAll(() => server.stop());

/** Whether an address means the private key to somebody who is not strict. */
const means = (target: string, loosely: (path: string) => string): boolean => {
  try {
    return loosely(decodeURIComponent(target)).normalize('NFC') === `/${KEY}`;
  } catch {
    return false;
  }
};
const isPlain = (target: string): boolean => means(target, (path) => path);

type Leak = (asked: IncomingMessage, response: ServerResponse) => boolean;
const send = (
  response: ServerResponse,
  status: number,
  headers: Record<string, string | number>,
  body = '',
): true => {
  response.writeHead(status, headers);
  response.end(body);
  return true;
};
const LEAKS: Readonly<Record<string, Leak>> = {
  'its bytes as the body of a 403': ({ url = '' }, response) =>
    isPlain(url) && send(response, 403, { 'Content-Length': Buffer.byteLength(SECRET) }, SECRET),
  'its bytes at a doubled slash': ({ url = '', method }, response) =>
    !isPlain(url) &&
    means(url, (path) => path.replace(/\/+/g, '/')) &&
    send(response, 200, {}, method === 'HEAD' ? '' : SECRET),
  'its bytes behind dot segments': ({ url = '' }, response) =>
    url.includes('/./') && means(url, (path) => path.replace('/./', '/')) && send(response, 200, {}, SECRET),
  'its bytes behind a folder and back': ({ url = '' }, response) =>
    url.includes('%2e%2e') &&
    means(url, (path) => path.replace('/x/..', '')) &&
    send(response, 200, {}, SECRET),
  'its bytes by an escaped slash': ({ url = '' }, response) =>
    /%2f/i.test(url) && isPlain(url) && send(response, 200, {}, SECRET),
  'its bytes by small letters in escapes': ({ url = '' }, response) =>
    /%c3/.test(url) && isPlain(url) && send(response, 200, {}, SECRET),
  'its bytes by decomposed letters': ({ url = '' }, response) =>
    /%CC%88/i.test(url) && send(response, 200, {}, SECRET),
  'its bytes with a slash behind': ({ url = '' }, response) =>
    url.endsWith('.txt/') && send(response, 200, {}, SECRET),
  'its bytes in capital letters': ({ url = '' }, response) =>
    url.includes('/DRAFTS/') && send(response, 200, {}, SECRET),
  'a part of it to a range': ({ url = '', headers }, response) =>
    isPlain(url) && headers.range !== undefined && send(response, 206, {}, SECRET.slice(0, 10)),
  'its size to a range that cannot be': ({ url = '', headers }, response) =>
    isPlain(url) &&
    headers.range !== undefined &&
    send(response, 416, { 'Content-Range': `bytes */${Buffer.byteLength(SECRET)}` }),
  'that it is there to a condition': ({ url = '', headers }, response) =>
    isPlain(url) && headers['if-none-match'] !== undefined && send(response, 304, {}),
  'its length to HEAD': ({ url = '', method }, response) =>
    isPlain(url) && method === 'HEAD' && send(response, 200, { 'Content-Length': Buffer.byteLength(SECRET) }),
};

/** The emulation with one leak in it. */
async function leaking(leak: Leak): Promise<{ at: string; close: () => void }> {
  const proxy = createServer((asked, response) => {
    if (leak(asked, response)) return;
    const { method, url, headers } = asked;
    const onward = request(
      {
        host: '127.0.0.1',
        port: server.port,
        method,
        path: url,
        headers: { ...headers, host: 'test-mill.localhost' },
      },
      (answer) => {
        response.writeHead(answer.statusCode ?? 502, answer.headers);
        answer.pipe(response);
      },
    );
    asked.pipe(onward);
  });
  await new Promise<void>((done) => proxy.listen(0, '127.0.0.1', done));
  const { port } = proxy.address() as AddressInfo;
  return { at: `http://127.0.0.1:${port}/`, close: () => proxy.close() };
}

interface Checked {
  readonly passed: boolean;
  readonly failures: readonly { readonly cause: string; readonly url: string; readonly about: string }[];
}
const check = async (at: string): Promise<Checked> =>
  JSON.parse((await fenestra(home, 'check', '--at', at, '--json')).out) as Checked;

it('is not said of an endpoint without a leak', async () => {
  const { at, close } = await leaking(() => false);
  expect(await check(at)).toMatchObject({ passed: true, failures: [] });
  close();
});

it.each(Object.entries(LEAKS))('%s', async (_what, leak) => {
  const { at, close } = await leaking(leak);
  const { passed, failures } = await check(at);
  close();
  expect(passed).toBe(false);
  const causes = new Set(failures.map(({ cause }) => cause));
  expect(
    [...causes].filter((cause) => cause === 'shows-private' || cause === 'tells-of-private'),
  ).not.toEqual([]);
  expect(failures.every(({ about }) => about.startsWith('private'))).toBe(true);
});
