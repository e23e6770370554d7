/** Endpoints that are slow, endless, broken or not whom they say: known in bounded time, and told apart. */
import { createServer as createPlain, type IncomingMessage, type ServerResponse } from 'node:http';
import { createServer as createSecure, type Server } from 'node:https';
import { createServer as createRaw, type AddressInfo, type Socket } from 'node:net';
import { join } from 'node:path';
import { afterEach, beforeAll, describe, expect, it } from 'vitest';
import { makeAuthority, type Authority } from './helpers/certificates.js';
import { fenestra, fenestraJson, makeProject, serve, writeFiles } from './helpers/program.js';

interface CheckJson {
  readonly passed: boolean;
  readonly meanwhile?: number;
  readonly probes: { readonly run: number; readonly failed: number };
  readonly failures: readonly { readonly cause: string; readonly observed: string }[];
}

let home: string;
beforeAll(async () => {
  home = makeProject({ 'site/a.txt': 'a text of the mill' });
  await fenestraJson(home, 'publish', '--yes');
  await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
});

const closing: (() => void)[] = [];
afterEach(() => {
  for (const close of closing.splice(0)) close();
});

/** An endpoint that does what it likes with each connection. */
function listenRaw(answer: (socket: Socket) => void): Promise<string> {
  const server = createRaw((socket) => {
    socket.on('error', () => undefined);
    closing.push(() => socket.destroy());
    socket.once('data', () => answer(socket));
  });
  closing.push(() => server.close());
  return new Promise((done) =>
    server.listen(0, '127.0.0.1', () => done(`http://127.0.0.1:${(server.address() as AddressInfo).port}/`)),
  );
}

/** Writes again and again until the other side is gone. */
function endlessly(socket: Socket, text: string | Buffer, every = 20): void {
  const timer = setInterval(() => socket.write(text), every);
  socket.once('close', () => clearInterval(timer));
  closing.push(() => clearInterval(timer));
}

const HEAD = 'HTTP/1.1 200 OK\r\nContent-Type: text/plain\r\n';

describe('an endpoint', () => {
  it.each<[string, RegExp, (socket: Socket) => void]>([
    ['that never answers', /no answer in time|not whole after 0\.5 s/, () => undefined],
    [
      'that sends a byte now and then',
      /not whole after 0\.5 s/,
      (socket) => {
        socket.write(`${HEAD}Content-Length: 100000\r\n\r\n`);
        endlessly(socket, 'x');
      },
    ],
    [
      'whose body never ends',
      /goes on after \d+ bytes|not whole after 0\.5 s/,
      (socket) => {
        socket.write(`${HEAD}Connection: close\r\n\r\n`);
        endlessly(socket, Buffer.alloc(1 << 20), 1);
      },
    ],
    [
      'that has early hints and nothing else',
      /not whole after 0\.5 s/,
      (socket) => endlessly(socket, 'HTTP/1.1 103 Early Hints\r\nLink: </a>\r\n\r\n'),
    ],
    [
      'whose headers never end',
      /headers are larger than 16 KiB|not whole after 0\.5 s/,
      (socket) => {
        socket.write('HTTP/1.1 200 OK\r\n');
        endlessly(socket, 'X-Wheel: turns\r\n');
      },
    ],
    ['that speaks something else', /does not speak HTTP/, (socket) => void socket.end('220 mill ready\r\n')],
    ['that hangs up', /the connection was cut/, (socket) => void socket.destroy()],
  ])('%s is known in time, and why', async (_what, why, answer) => {
    const at = await listenRaw(answer);
    const began = performance.now();
    const traced = await fenestra(home, 'trace', '/a.txt', '--at', at, '--answer-time', '0.5');
    const checked = await fenestra(home, 'check', '--at', at, '--answer-time', '0.5');
    expect([traced.code, traced.err]).toEqual([3, expect.stringMatching(why)]);
    // One that begins to answer is asked for the rest, each address in its own bounded time.
    expect([3, 1]).toContain(checked.code);
    expect(checked.out + checked.err).toMatch(why);
    expect(performance.now() - began).toBeLessThan(20_000);
  });

  it('that is endless for one address fails in that alone, and the run has its own limit', async () => {
    const own = await serve(home, '--quiet');
    const relay = createPlain((request, response) => void relayTo(own.port, request, response));
    await new Promise<void>((done) => relay.listen(0, '127.0.0.1', done));
    closing.push(() => {
      relay.closeAllConnections();
      relay.close();
    });
    const at = `http://127.0.0.1:${(relay.address() as AddressInfo).port}/`;
    try {
      const some = await fenestra(home, 'check', '--at', at, '--answer-time', '3', '--json');
      const { failures } = JSON.parse(some.out) as CheckJson;
      expect([some.code, failures.map(({ cause }) => cause)]).toEqual([1, ['never-ends']]);
      expect(failures[0]?.observed).toMatch(/not whole after 3 s/);
      const ended = await fenestra(
        home,
        ...['check', '--at', at, '--answer-time', '3', '--run-time', '1', '--concurrency', '1', '--json'],
      );
      const causes = (JSON.parse(ended.out) as CheckJson).failures.map(({ cause }) => cause);
      expect([ended.code, causes.at(-1)]).toEqual([1, 'not-asked']);
    } finally {
      await own.stop();
    }
  });
});

/** Passes on, but for one address, whose bytes come one by one. */
async function relayTo(port: number, request: IncomingMessage, response: ServerResponse): Promise<void> {
  if (request.url === '/a.txt') {
    response.writeHead(200, { 'Content-Type': 'text/plain', 'Content-Length': '18' });
    const timer = setInterval(() => response.write('a'), 900);
    response.once('close', () => clearInterval(timer));
    return;
  }
  const headers = { ...(request.headers as Record<string, string>), host: 'test-mill.localhost' };
  const { request: ask } = await import('undici');
  const answer = await ask(`http://127.0.0.1:${port}${request.url ?? '/'}`, {
    method: request.method as 'GET',
    headers,
  });
  response.writeHead(answer.statusCode, answer.headers as Record<string, string>);
  response.end(Buffer.from(await answer.body.arrayBuffer()));
}

describe('a secure endpoint', () => {
  let authority: Authority;
  beforeAll(async () => {
    authority = await makeAuthority();
    writeFiles(home, { 'authority.pem': authority.cert, 'no.pem': 'no certificate' });
  });

  async function listen(host: string, days?: readonly [number, number]): Promise<string> {
    const own = await serve(home, '--quiet');
    closing.push(() => void own.stop());
    const server: Server = createSecure(
      await authority.issue(host, days),
      (request, response) => void relayTo(own.port, request, response),
    );
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    closing.push(() => {
      server.closeAllConnections();
      server.close();
    });
    return `https://mill.localhost:${(server.address() as AddressInfo).port}/`;
  }

  const trace = (at: string, ...words: string[]): ReturnType<typeof fenestra> =>
    fenestra(home, 'trace', '/not-found.html', '--at', at, ...words);

  it('is trusted where --ca names who signed its certificate', async () => {
    const at = await listen('mill.localhost');
    const unknown = await trace(at);
    expect([unknown.code, unknown.err]).toEqual([
      3,
      expect.stringMatching(/nobody here knows who signed its certificate; --ca FILE/),
    ]);
    const known = await trace(at, '--ca', join(home, 'authority.pem'));
    expect([known.code, known.err]).toEqual([0, '']);
  });

  it.each<[string, string, readonly [number, number] | undefined, RegExp]>([
    ['for other names', 'other.localhost', undefined, /its certificate is for other names/],
    ['that has expired', 'mill.localhost', [-20, -10], /its certificate has expired/],
    ['that is not valid yet', 'mill.localhost', [5, 10], /its certificate is not valid yet/],
  ])('with a certificate %s is not trusted, and why is said', async (_what, host, days, why) => {
    const refused = await trace(await listen(host, days), '--ca', join(home, 'authority.pem'));
    expect([refused.code, refused.err]).toEqual([3, expect.stringMatching(why)]);
  });

  it('that speaks no HTTPS is said not to, and a file without a certificate is refused', async () => {
    const plain = (await listenRaw((socket) => void socket.end('HTTP/1.1 400 no\r\n\r\n'))).replace(
      'http',
      'https',
    );
    expect((await trace(plain)).err).toMatch(/does not speak HTTPS/);
    for (const [file, why] of [
      ['no.pem', /it holds no certificate/],
      ['none.pem', /there is no such file/],
    ] as const) {
      const { code, err } = await trace(plain, '--ca', join(home, file));
      expect([code, err]).toEqual([2, expect.stringMatching(why)]);
    }
  });
});

it('a release that is published while it is checked is asked for as it is now, and nobody is blamed', async () => {
  const own = makeProject(
    Object.fromEntries(Array.from({ length: 60 }, (_, n) => [`site/n${n}.txt`, `the text ${n}`])),
  );
  await fenestraJson(own, 'publish', '--yes');
  await fenestraJson(own, 'access', 'open', '--sure', 'test-mill');
  const server = await serve(own, '--quiet');
  let release = 1;
  let isOver = false;
  const publishing = (async () => {
    while (!isOver) {
      for (let n = 0; n < 60; n++) writeFiles(own, { [`site/n${n}.txt`]: `the text ${n} of ${release}` });
      writeFiles(own, { [`site/more-${release}.txt`]: 'more' });
      release = (await fenestraJson<{ release: number }>(own, 'publish', '--yes')).release;
    }
  })();
  const seen: number[] = [];
  try {
    // On a busy machine a check may end before the next release.
    for (let run = 0; run < 6 || (seen.length === 0 && run < 40); run++) {
      const at = `http://test-mill.localhost:${server.port}/`;
      // A slow check, so that releases fall into it.
      const { code, out, err } = await fenestra(own, 'check', '--at', at, '--rate', '300', '--json');
      // The survey of a folder that is being written to may find a file changing.
      if (code === 4) continue;
      const { failures, meanwhile } = JSON.parse(out === '' ? '{}' : out) as CheckJson;
      expect([failures, code, err]).toEqual([[], 0, '']);
      if (meanwhile !== undefined) seen.push(meanwhile);
    }
  } finally {
    isOver = true;
    await publishing;
    await server.stop();
  }
  expect(seen.length).toBeGreaterThan(0);
});
