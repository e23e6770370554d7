import { createHash } from 'node:crypto';
import { once } from 'node:events';
import { readFileSync, rmSync } from 'node:fs';
import { createServer, type Server, type ServerResponse } from 'node:http';
import { connect, type Socket } from 'node:net';
import { join } from 'node:path';
import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import fc from 'fast-check';
import send from 'send';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { hostStore } from '../src/jobs/host/host-store.js';
import { startHostServer } from '../src/server/host-server.js';
import { EmbeddedStore } from '../src/stores/embedded/embedded-store.js';
import { ask, sendRaw } from './helpers/ask.js';
import {
  CONFIG,
  fenestra,
  fenestraJson,
  makeFolder,
  makeProject,
  PAGE,
  serve,
  writeFiles,
  type Serving,
} from './helpers/program.js';
import { need } from './helpers/machine.js';

const FILM = Buffer.from(Array.from({ length: 900_000 }, (_, at) => (at * 31) & 0xff));
const TEXT = 'The tide turns. '.repeat(40);

let home: string;
let server: Serving;
beforeAll(async () => {
  home = makeProject(
    {
      'site/film.mp4': FILM,
      'site/note.txt': TEXT,
      'site/visit/index.html': PAGE,
      'site/empty.txt': '',
      'site/drafts/a.html': PAGE,
    },
    `${CONFIG}readable: { keys: ["**"], except: ["drafts/**"] }\ndomains: [www.mill.example]\nmoved: { permanently: { /old: /visit/ } }\n`,
  );
  await fenestraJson(home, 'publish', '--yes');
  await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
  server = await serve(home, '--annotate');
});
afterAll(() => server.stop());

/** Answers compared with an independent implementation of static serving, for the same files with the same validators. */
describe('conditions and ranges against an oracle', () => {
  let oracle: Server;
  let port: number;
  const since = async (): Promise<string> =>
    (await ask(server.port, '/note.txt')).headers['last-modified'] ?? '';
  beforeAll(async () => {
    const modified = await since();
    oracle = createServer((request, response) => {
      const name = request.url?.slice(1) ?? '';
      const digest = createHash('sha256')
        .update(readFileSync(join(home, 'site', name)))
        .digest('hex');
      send(request, name, { root: join(home, 'site'), cacheControl: false })
        .on('headers', (outgoing: ServerResponse) => {
          outgoing.setHeader('ETag', `"${digest.slice(0, 32)}"`);
          outgoing.setHeader('Last-Modified', modified);
        })
        .pipe(response);
    });
    await new Promise<void>((done) => oracle.listen(0, '127.0.0.1', done));
    port = (oracle.address() as { port: number }).port;
  });
  afterAll(() => void oracle.close());

  const position = fc.integer({ min: 0, max: TEXT.length + 50 });
  const range = fc.oneof(
    fc.tuple(position, position).map(([a, b]) => `bytes=${a}-${b}`),
    position.map((a) => `bytes=${a}-`),
    // Of a suffix that is longer than the object the other says 416 (docs/comparison.md).
    fc.integer({ min: 0, max: TEXT.length }).map((a) => `bytes=-${a}`),
    fc
      .tuple(position, position, position, position)
      .map(([a, b, c, d]) => `bytes=${Math.min(a, b)}-${Math.max(a, b)},${Math.min(c, d)}-${Math.max(c, d)}`),
    fc.constantFrom('bytes=', 'bytes=abc', 'items=0-1', 'bytes=0-0', 'bytes=-0'),
  );
  const date = fc.constantFrom(-86_400_000, -1000, 0, 1000, 86_400_000);
  const tag = fc.constantFrom('ours', 'weak', 'other', 'list', 'star');

  it('agrees on status, length, range and bytes', async () => {
    const first = await ask(server.port, '/note.txt');
    const etag = first.headers.etag ?? '';
    const modified = Date.parse(first.headers['last-modified'] ?? '');
    const tags = { ours: etag, weak: `W/${etag}`, other: '"other"', list: `"a", ${etag}`, star: '*' };
    const at = (offset: number): string => new Date(modified + offset).toUTCString();
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom('GET', 'HEAD'),
        fc.record(
          {
            range,
            'if-none-match': tag,
            'if-match': tag,
            'if-modified-since': date,
            'if-unmodified-since': date,
            'if-range': fc.oneof(
              tag.filter((each) => each !== 'star' && each !== 'list'),
              date,
            ),
          },
          { requiredKeys: [] },
        ),
        async (method, given) => {
          const headers = Object.fromEntries(
            Object.entries(given).map(([name, value]) => [
              name,
              typeof value === 'number' ? at(value) : (tags[value as keyof typeof tags] ?? value),
            ]),
          ) as Record<string, string>;
          if (isExplained(method, headers, etag)) return;
          const [ours, theirs] = await Promise.all([
            ask(server.port, '/note.txt', { method, headers }),
            ask(port, '/note.txt', { method, headers }),
          ]);
          const shape = (answer: typeof ours): unknown => [
            answer.status,
            answer.status < 400
              ? [
                  answer.headers['content-range'],
                  answer.status === 304 ? undefined : answer.headers['content-length'],
                  answer.body.toString(),
                ]
              : answer.headers['content-range'],
          ];
          expect([headers, shape(ours)]).toEqual([headers, shape(theirs)]);
        },
      ),
      { numRuns: 400 },
    );
  });

  /** The differences that docs/comparison.md explains. */
  function isExplained(method: string, headers: Record<string, string>, etag: string): boolean {
    const spans = /^bytes=(\d+)-(\d+)/.exec(headers['range'] ?? '');
    const inverted = [...(headers['range'] ?? '').matchAll(/(\d+)-(\d+)/g)].some(
      ([, a, b]) => Number(a) > Number(b),
    );
    return (
      (method === 'HEAD' && headers['range'] !== undefined) ||
      (spans !== null && inverted) ||
      headers['if-match'] === `W/${etag}` ||
      (headers['if-match'] !== undefined && headers['if-unmodified-since'] !== undefined) ||
      (headers['if-none-match'] !== undefined && headers['if-modified-since'] !== undefined) ||
      headers['if-range'] === `W/${etag}` ||
      /GMT$/.test(headers['if-range'] ?? '')
    );
  }
});

describe('what a visitor meets', () => {
  it('finds the bucket by host, by domain and by an absolute target, and lists the buckets at the bare address', async () => {
    const { port } = server;
    expect((await ask(port, '/', { host: 'www.mill.example' })).status).toBe(200);
    expect((await ask(port, '/', { host: 'TEST-MILL.localhost.' })).status).toBe(200);
    expect(
      (
        await sendRaw(
          port,
          'GET http://test-mill.localhost/visit/ HTTP/1.1\r\nHost: other\r\nConnection: close\r\n\r\n',
        )
      ).toString(),
    ).toMatch(/^HTTP\/1\.1 200/);
    const unknown = await ask(port, '/', { host: 'tst-mill.localhost' });
    expect([unknown.status, unknown.body.toString()]).toEqual([
      404,
      expect.stringContaining('there is test-mill'),
    ]);
    const front = await ask(port, '/', { host: `127.0.0.1:${port}` });
    expect(front.body.toString()).toMatch(/test-mill[\s\S]*open[\s\S]*http:\/\/www\.mill\.example/);
  });
  it('gets the reason as a header only when asked for', async () => {
    expect((await ask(server.port, '/drafts/a.html')).headers['fenestra-reason']).toMatch(
      /^unreadable; the public-read policy/,
    );
    const plain = await serve(home);
    expect((await ask(plain.port, '/drafts/a.html')).headers['fenestra-reason']).toBeUndefined();
    await plain.stop();
  });
  it('reads a large film by ranges through curl, whole and in parts', async (context) => {
    need(context, 'curl');
    const curl = async (...args: string[]): Promise<Buffer> =>
      (
        await promisify(execFile)(
          'curl',
          ['-sS', '--max-time', '20', ...args, `http://test-mill.localhost:${server.port}/film.mp4`],
          { encoding: 'buffer', maxBuffer: 1 << 24 },
        )
      ).stdout;
    expect((await curl()).equals(FILM)).toBe(true);
    expect((await curl('-r', '500000-599999')).equals(FILM.subarray(500_000, 600_000))).toBe(true);
    expect((await curl('-r', '-10')).equals(FILM.subarray(-10))).toBe(true);
    expect((await curl('-I')).toString()).toMatch(/HTTP\/1\.1 200 OK[\s\S]*Content-Length: 900000/);
  });
  it('sees a release that another process publishes at the next request, and never a mixture', async () => {
    writeFiles(home, { 'site/a.txt': 'one', 'site/b.txt': 'one' });
    await fenestraJson(home, 'publish', '--yes');
    expect((await ask(server.port, '/a.txt')).body.toString()).toBe('one');
    let publishing = true;
    const seen: string[] = [];
    const watching = (async () => {
      while (publishing) {
        // Both on one connection at once: whichever release answers the first, the second is not older.
        const raw = (
          await sendRaw(
            server.port,
            ['a', 'b']
              .map(
                (name, at) =>
                  `GET /${name}.txt HTTP/1.1\r\nHost: test-mill.localhost\r\nConnection: ${at ? 'close' : 'keep-alive'}\r\n\r\n`,
              )
              .join(''),
            5000,
          )
        ).toString();
        seen.push([...raw.matchAll(/\r\n\r\n(one|two)/g)].map(([, word]) => word).join(' '));
      }
    })();
    writeFiles(home, { 'site/a.txt': 'two', 'site/b.txt': 'two' });
    await fenestraJson(home, 'publish', '--yes');
    publishing = false;
    await watching;
    expect((await ask(server.port, '/a.txt')).body.toString()).toBe('two');
    expect(seen.filter((pair) => !['one one', 'one two', 'two two'].includes(pair))).toEqual([]);
  });
});

describe('hostile and slow clients', () => {
  const wellFormed = (bytes: Buffer): boolean =>
    bytes.length === 0 || /^HTTP\/1\.1 \d{3} /.test(bytes.toString('latin1'));
  it('get a well-formed answer or a closed connection, whatever they send', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.oneof(
          fc.uint8Array({ maxLength: 200 }).map((bytes) => Buffer.from(bytes)),
          fc
            .string({ unit: 'binary', maxLength: 60 })
            .map((target) =>
              Buffer.from(
                `GET /${target} HTTP/1.1\r\nHost: test-mill.localhost\r\nConnection: close\r\n\r\n`,
                'latin1',
              ),
            ),
          fc
            .tuple(
              fc.constantFrom(
                'Range',
                'If-Match',
                'If-None-Match',
                'If-Modified-Since',
                'If-Range',
                'Host',
                'Content-Length',
                'Transfer-Encoding',
              ),
              fc.string({ unit: 'binary', maxLength: 40 }),
            )
            .map(([name, value]) =>
              Buffer.from(
                `GET /note.txt HTTP/1.1\r\nHost: test-mill.localhost\r\n${name}: ${value}\r\nConnection: close\r\n\r\n`,
                'latin1',
              ),
            ),
        ),
        async (bytes) => {
          expect([
            bytes.toString('latin1'),
            wellFormed(await sendRaw(server.port, bytes, 150, true)),
          ]).toEqual([bytes.toString('latin1'), true]);
        },
      ),
      { numRuns: 250 },
    );
    expect((await ask(server.port, '/')).status).toBe(200);
    expect(server.log()).not.toContain('Fenestra itself failed');
  });
  it('are limited in the size of their headers and of their address', async () => {
    expect(
      (
        await sendRaw(
          server.port,
          `GET / HTTP/1.1\r\nHost: test-mill.localhost\r\nX: ${'x'.repeat(20_000)}\r\n\r\n`,
        )
      ).toString(),
    ).toMatch(/^HTTP\/1\.1 431 /);
    expect((await ask(server.port, `/${'x'.repeat(9000)}`)).status).toBe(414);
  });
  it('do not hold up the others', async () => {
    const crowd: Socket[] = [];
    for (let n = 0; n < 300; n++) {
      const socket = connect(server.port, '127.0.0.1');
      socket.on('error', () => undefined);
      // Some never finish a request, some ask for the film and never read it.
      socket.write(
        n % 2
          ? 'GET /note.txt HTTP/1.1\r\nHo'
          : 'GET /film.mp4 HTTP/1.1\r\nHost: test-mill.localhost\r\n\r\n',
      );
      socket.pause();
      crowd.push(socket);
    }
    for (let n = 0; n < 20; n++) expect((await ask(server.port, '/note.txt')).body.toString()).toBe(TEXT);
    for (const socket of crowd) socket.destroy();
    const memory = Number(
      /VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${server.process.pid ?? 0}/status`, 'utf8'))?.[1],
    );
    expect(memory).toBeLessThan(300_000);
  });
  test.each([
    ['a small answer again and again', '/note.txt', 9000],
    ['a large one', '/film.mp4', 40],
  ])('are given up when they take nothing of %s', async (_, path, times) => {
    const store = EmbeddedStore.open(join(home, '.fenestra/store'));
    const impatient = await startHostServer({
      hosted: hostStore(store),
      host: '127.0.0.1',
      port: 0,
      timeoutMs: 300,
    });
    try {
      const socket = connect(impatient.port, '127.0.0.1');
      socket.on('error', () => undefined);
      socket.pause();
      socket.write(`GET ${path} HTTP/1.1\r\nHost: test-mill.localhost\r\n\r\n`.repeat(times));
      const ended = new Promise((done) => socket.once('close', done));
      // Who does not read meets the end only by writing; seldom enough not to look alive.
      const trying = setInterval(() => socket.write('\r\n'), 2000);
      await ended;
      clearInterval(trying);
    } finally {
      await impatient.close(100);
      await store.close();
    }
  });
  it('are waited for as long as was said, and no longer, when they ask for nothing more', async () => {
    const ask = 'GET /note.txt HTTP/1.1\r\nHost: test-mill.localhost\r\n';
    const waited = async (words: string): Promise<[promised: number, waited: number]> => {
      const socket = connect(server.port, '127.0.0.1');
      socket.on('error', () => undefined);
      socket.write(words);
      const [answer] = (await once(socket, 'data')) as [Buffer];
      const since = performance.now();
      await once(socket.resume(), 'close');
      const promised = Number(/\r\nKeep-Alive: timeout=(\d+)\r\n/.exec(answer.toString())?.[1] ?? 0);
      return [promised, (performance.now() - since) / 1000];
    };
    const [still, halfAsked, last] = await Promise.all([
      waited(`${ask}\r\n`),
      waited(`${ask}\r\n${ask}`),
      waited(`${ask}Connection: close\r\n\r\n`),
    ]);
    for (const [promised, seconds] of [still, halfAsked]) {
      expect(promised).toBe(5);
      expect(seconds).toBeGreaterThanOrEqual(promised);
      expect(seconds).toBeLessThan(9);
    }
    expect(last[0]).toBe(0);
    expect(last[1]).toBeLessThan(4);
  });
  it.each(['close', 'keep-alive'])(
    'finishes what is under way when it is told to end, and nothing else (%s)',
    async (connection) => {
      const ending = await serve(home);
      const socket = connect(ending.port, '127.0.0.1');
      socket.write(
        `GET /film.mp4 HTTP/1.1\r\nHost: test-mill.localhost\r\nConnection: ${connection}\r\n\r\n`,
      );
      let bytes = 0;
      socket.on('data', (chunk: Buffer) => (bytes += chunk.length));
      await once(socket, 'data');
      socket.pause();
      const stopped = ending.stop();
      const told = performance.now();
      setTimeout(() => socket.resume(), 300);
      await once(socket, 'close');
      expect(await stopped).toBe(0);
      expect(bytes).toBeGreaterThan(FILM.length);
      // What is still open after 5 s is cut off.
      expect(performance.now() - told).toBeLessThan(4500);
    },
  );
});

it('logs each answer on the terminal and as JSON lines', async () => {
  const file = join(makeFolder(), 'log.jsonl');
  const logging = await serve(home, '--show', 'type,cache', '--log', file);
  await ask(logging.port, '/visit/');
  await ask(logging.port, '/no/such/page?x=1');
  await ask(
    logging.port,
    '/\u001b[31mred'.replace(/[^\x21-\x7e]/g, (character) => encodeURIComponent(character)),
  );
  await logging.stop();
  expect(logging.log()).toMatch(
    /200 GET .* test-mill \/visit\/ {2}index document\n\s+Content-Type: text\/html; charset=utf-8 · Cache-Control: no-cache/,
  );
  expect(logging.log()).toMatch(/404 GET .*bucket test-mill has no object no\/such\/page/);
  const lines = readFileSync(file, 'utf8')
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line) as Record<string, unknown>);
  expect(lines[0]).toMatchObject({
    status: 200,
    reason: 'index',
    key: 'visit/index.html',
    target: '/visit/',
    complete: true,
  });
});

describe('--unpublished', () => {
  it('hosts the folder as it would be published, follows edits, and survives a mistake in the config', async () => {
    const project = makeProject({ 'site/data.json': '{"a":1}', 'site/big.txt': 'x'.repeat(400_000) });
    const live = await serve(project, '--unpublished');
    const until = async (
      path: string,
      test: (answer: Awaited<ReturnType<typeof ask>>) => boolean,
    ): Promise<void> => {
      for (let n = 0; n < 80; n++) {
        if (test(await ask(live.port, path))) return;
        await new Promise((done) => setTimeout(done, 100));
      }
      throw new Error(`${path} never changed\n${live.log()}`);
    };
    try {
      expect(await ask(live.port, '/')).toMatchObject({
        status: 200,
        headers: { 'cache-control': 'no-cache' },
      });
      expect(
        (await ask(live.port, '/big.txt', { headers: { range: 'bytes=399990-' } })).body.toString(),
      ).toBe('x'.repeat(10));
      writeFiles(project, { 'site/data.json': '{"a":2}', 'site/new/index.html': PAGE });
      await until('/data.json', ({ body }) => body.toString() === '{"a":2}');
      await until('/new/', ({ status }) => status === 200);
      writeFiles(project, { 'fenestra.yaml': `${CONFIG}otherwise: 30 dayz\n` });
      await new Promise((done) => setTimeout(done, 600));
      expect((await ask(live.port, '/')).status).toBe(200);
      writeFiles(project, { 'fenestra.yaml': `${CONFIG}assign: [{ to: "*.json", cache: 1 day }]\n` });
      await until('/data.json', ({ headers }) => headers['cache-control'] === 'max-age=86400');
      rmSync(join(project, 'site/data.json'));
      await until('/data.json', ({ status }) => status === 404);
      // A build that begins with an empty folder.
      rmSync(join(project, 'site'), { recursive: true });
      await until('/', () => live.log().includes('does not exist'));
      writeFiles(project, { 'site/back/index.html': PAGE });
      await until('/back/', ({ status }) => status === 200);
    } finally {
      expect(await live.stop()).toBe(0);
    }
    expect(live.log()).toContain('did you mean 30 days');
  });
});

describe('trace', () => {
  it('explains an address, and sets what an endpoint sent beside what it must send', async () => {
    expect(await fenestraJson(home, 'trace', '/drafts/a.html')).toMatchObject({
      status: 403,
      reason: 'unreadable',
      fix: expect.stringContaining('readable.except') as string,
    });
    expect(await fenestra(home, 'trace', 'http://x.example/Visit/')).toMatchObject({
      code: 2,
      err: expect.stringMatching(
        /answers for the host x\.example; the hosts are test-mill\.localhost/,
      ) as string,
    });
    expect(await fenestraJson(home, 'trace', 'http://test-mill.localhost:99/Visit/')).toMatchObject({
      status: 404,
      fix: expect.stringContaining('/visit/index.html') as string,
    });
    writeFiles(home, { 'site/only-here.html': PAGE });
    expect(await fenestraJson(home, 'trace', '/only-here.html')).toMatchObject({
      fix: expect.stringContaining('never published: fenestra publish') as string,
    });
    const at = `http://test-mill.localhost:${server.port}/`;
    const { live, decidedBy } = await fenestraJson<{
      live: {
        status: number;
        sameBytes: boolean;
        headers: { name: string; expected?: string; observed?: string }[];
      };
      decidedBy: Record<string, string>;
    }>(home, 'trace', '/note.txt', '--at', at);
    expect(live).toMatchObject({ status: 200, sameBytes: true });
    expect(
      live.headers.filter(
        ({ name, expected, observed }) => expected !== observed && name !== 'fenestra-reason',
      ),
    ).toEqual([]);
    expect(decidedBy).toMatchObject({
      'Content-Type': 'default: by extension',
      'Cache-Control': 'default: the rest',
    });
    expect((await fenestra(home, 'trace', '/note.txt', '--at', at)).out).toMatch(/✓ +bytes +as published/);
  });
  it('knows a key that was removed', async () => {
    rmSync(join(home, 'site/empty.txt'));
    await fenestraJson(home, 'publish', '--yes');
    expect(await fenestraJson(home, 'trace', '/empty.txt')).toMatchObject({
      fix: expect.stringMatching(/until release \d+ and was removed in release \d+/) as string,
    });
  });
});

it('is found at its port by every command, for as long as it lives', async () => {
  const project = makeProject();
  const bucketAt = async (): Promise<string> =>
    (await fenestraJson<{ buckets: { address: string }[] }>(project, 'bucket', 'list')).buckets[0]?.address ??
    '';
  await fenestraJson(project, 'publish', '--yes');
  await fenestraJson(project, 'access', 'open', '--sure', 'test-mill');
  expect(await bucketAt()).toBe('http://test-mill.localhost:4680/');
  const first = await serve(project);
  const own = `http://test-mill.localhost:${first.port}/`;
  expect(await bucketAt()).toBe(own);
  const shown = await fenestra(project, 'access', 'open', '--sure', 'test-mill');
  expect(shown.out).toContain(own);
  expect(shown.out).not.toContain('Nothing serves it now');
  expect((await fenestra(project, 'trace', own)).code).toBe(0);
  // A second one takes the note, and does not take it back with the first.
  const second = await serve(project);
  await first.stop();
  expect(await bucketAt()).toBe(`http://test-mill.localhost:${second.port}/`);
  // Whatever ends it, a note of what has died is none.
  await second.stop('SIGKILL');
  expect(await bucketAt()).toBe('http://test-mill.localhost:4680/');
  for (const note of [
    '',
    '{}',
    '{"port":1e9,"process":1}',
    `{"port":"80","process":${process.pid}}`,
    '[]',
    'null',
  ]) {
    writeFiles(project, { '.fenestra/store/serving.json': note });
    expect(await bucketAt()).toBe('http://test-mill.localhost:4680/');
  }
});
