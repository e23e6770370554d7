/** The built `fenestra serve --front`: over TLS, in HTTP/2 and HTTP/1.1, in a browser, and by its parts. */
import { execFile } from 'node:child_process';
import { chmodSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { connect as connectHttp2, type ClientHttp2Session } from 'node:http2';
import { createServer, type Server } from 'node:http';
import { createServer as createHttpsServer, request as httpsRequest } from 'node:https';
import type { AddressInfo } from 'node:net';
import { networkInterfaces, tmpdir } from 'node:os';
import { connect as connectTls } from 'node:tls';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import { createOrigin } from '../src/server/front/ask-origin.js';
import { Front } from '../src/server/front/front.js';
import type { FrontAnswer } from '../src/server/front/front-answer.js';
import { ask } from './helpers/ask.js';
import { makeAuthority } from './helpers/certificates.js';
import { chance as chanceFor, SEED } from './helpers/chance.js';
import { launchChromium } from './helpers/chromium.js';
import { fenestra, makeProject, PAGE, serve, writeFiles, type Serving } from './helpers/program.js';
import { lacks, need } from './helpers/machine.js';

const CONFIG = `site: site
destinations:
  live:
    store: here
    bucket: test-mill
    domains: [www.wendlemill.example]
    movedHosts: [wendlemill.example]
    front: { https: true, shared: true, secureOnly: 1 year }
assign:
  - { to: "*.svg", cache: 30 days }
  - { to: "members/**", cache: { fresh: 1 hour, keptBy: browser } }
`;
const SVG = '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><path d="M0 0h9v9z"/></svg>';

interface Came {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly body: Buffer;
}

describe('a front on this machine', () => {
  const data = mkdtempSync(join(tmpdir(), 'fenestra-data-'));
  let home: string;
  let server: Serving;
  let [port, plainPort, ca] = [0, 0, ''];
  let session: ClientHttp2Session;
  beforeAll(async () => {
    process.env['XDG_DATA_HOME'] = data;
    home = makeProject(
      {
        'site/index.html': PAGE.replace('</html>', '<img src="/mill.svg" alt=""></html>'),
        'site/mill.svg': SVG,
        'site/film.bin': Buffer.alloc(12 * 2 ** 20, 7),
        'site/members/index.html': PAGE,
      },
      CONFIG,
    );
    await fenestra(home, 'publish', '--yes');
    await fenestra(home, 'access', 'open', '--sure', 'test-mill');
    server = await serve(home, '--front', '--trust', '--front-port', '0', '--front-plain-port', '0');
    await vi.waitFor(() => expect(server.log()).toContain('curl --cacert'));
    port = Number(/https:\/\/test-mill\.localhost:(\d+)/.exec(server.log())?.[1]);
    plainPort = Number(/http at port (\d+)/.exec(server.log())?.[1]);
    ca = readFileSync(join(data, 'fenestra/authority.pem'), 'utf8');
    session = connectHttp2(`https://localhost:${port}`, { ca });
  });
  afterAll(async () => {
    session.close();
    await server.stop();
    Reflect.deleteProperty(process.env, 'XDG_DATA_HOME');
    rmSync(data, { recursive: true, force: true });
  });

  const get = (
    path: string,
    headers: Record<string, string> = {},
    host = 'www.wendlemill.example',
  ): Promise<Came> =>
    new Promise((done, failed) => {
      // One that asks for nothing for a minute is ended.
      if (session.closed || session.destroyed) session = connectHttp2(`https://localhost:${port}`, { ca });
      const stream = session.request({ ':path': path, ':authority': host, ...headers });
      const pieces: Buffer[] = [];
      let head: Record<string, string | string[] | undefined> = {};
      stream.on('response', (came) => (head = came as typeof head));
      stream.on('data', (piece: Buffer) => pieces.push(piece));
      stream.on('end', () =>
        done({ status: Number(head[':status']), headers: head, body: Buffer.concat(pieces) }),
      );
      stream.on('error', failed);
    });

  it('keeps what everybody may have, and says what it did', async () => {
    const first = await get('/mill.svg');
    expect([first.status, first.headers['cache-status']]).toEqual([
      200,
      'fenestra; fwd=uri-miss; fwd-status=200; stored',
    ]);
    const again = await get('/mill.svg');
    expect([again.body.toString(), again.headers['cache-status']]).toEqual([
      SVG,
      expect.stringMatching(/^fenestra; hit; ttl=259\d{4}$/),
    ]);
    expect(Number(again.headers['age'])).toBeLessThan(60);
    expect((await get('/mill.svg', { 'if-none-match': String(again.headers['etag']) })).status).toBe(304);
    const part = await get('/mill.svg', { range: 'bytes=0-3' });
    expect([part.status, part.body.toString(), part.headers['content-range']]).toEqual([
      206,
      '<svg',
      `bytes 0-3/${SVG.length}`,
    ]);
    expect((await get('/mill.svg', { ':method': 'HEAD' })).headers['content-length']).toBe(
      String(SVG.length),
    );
    // Another host's answer is another one; what is for one visitor, or too large, is not kept.
    expect((await get('/mill.svg', {}, 'test-mill.localhost')).headers['cache-status']).toContain('uri-miss');
    for (const [path, why] of [
      ['/members/', 'private'],
      ['/film.bin', 'too-large'],
    ] as const) {
      await get(path);
      const { status, headers, body } = await get(path);
      expect([path, status, String(headers['cache-status'])]).toEqual([
        path,
        200,
        expect.stringContaining(why === 'private' ? 'it is for one visitor' : 'larger than the front keeps'),
      ]);
      if (path === '/film.bin') expect(body.length).toBe(12 * 2 ** 20);
    }
    // A page asks each time, and costs the bucket a 304.
    await get('/');
    expect((await get('/')).headers['cache-status']).toContain('fwd=stale; fwd-status=304');
    writeFiles(home, { 'site/index.html': PAGE.replace('</html>', '<p>new</p></html>') });
    await fenestra(home, 'publish', '--yes');
    expect((await get('/')).body.toString()).toContain('<p>new</p>');
  });

  it('sends http on, moved hosts to the site, and browsers to https alone, but for names of this machine', async () => {
    const plain = await ask(plainPort, '/visit/?day=2', { host: `www.wendlemill.example:${plainPort}` });
    expect([plain.status, plain.headers.location]).toEqual([
      301,
      `https://www.wendlemill.example:${port}/visit/?day=2`,
    ]);
    expect((await ask(plainPort, '/', { host: 'a b' })).status).toBe(400);
    const secure = await get('/');
    expect(secure.headers['strict-transport-security']).toBe('max-age=31536000');
    expect((await get('/', {}, 'test-mill.localhost')).headers['strict-transport-security']).toBeUndefined();
    const moved = await get('/a?b', {}, 'wendlemill.example');
    expect([moved.status, moved.headers['location']]).toEqual([301, 'https://www.wendlemill.example/a?b']);
  });

  it('sends a moved host on to https at its own port', async () => {
    const moved = await get('/a?b', {}, `wendlemill.example:${port}`);
    expect([moved.status, moved.headers['location']]).toEqual([
      301,
      `https://www.wendlemill.example:${port}/a?b`,
    ]);
  });

  it('takes whole addresses as targets, and refuses what is none', async () => {
    const say = (target: string): Promise<string> =>
      new Promise((done, failed) => {
        const socket = connectTls({ host: '127.0.0.1', port, ca, servername: 'localhost' }, () =>
          socket.write(`GET ${target} HTTP/1.1\r\nHost: other.example\r\nConnection: close\r\n\r\n`),
        );
        let said = '';
        socket.on('data', (piece: Buffer) => (said += piece.toString())).on('error', failed);
        socket.on('close', () => done(said));
      });
    expect(await say(`https://test-mill.localhost:${port}/mill.svg`)).toMatch(/^HTTP\/1\.1 200[^]*<svg/);
    expect(await say('mill.svg')).toMatch(/^HTTP\/1\.1 400/);
    expect(await say('/mill.svg')).toMatch(/^HTTP\/1\.1 404/);
  });

  it('refuses a body that is too large with 413, and one that never ends with 408', async () => {
    const post = (bytes: number, ends: boolean): Promise<number> =>
      new Promise((done, failed) => {
        const stream = session.request(
          { ':method': 'POST', ':path': '/', ':authority': 'test-mill.localhost' },
          { endStream: false },
        );
        stream.on('response', (headers) => done(Number(headers[':status'])));
        stream.on('error', failed);
        for (let sent = 0; sent < bytes; sent += 65_536) stream.write(Buffer.alloc(65_536));
        if (ends) stream.end();
      });
    expect(await post(2 * 2 ** 20, true)).toBe(413);
    expect(await post(65_536, false)).toBe(408);
  });

  it('listens at ::1 too', async (context) => {
    if (
      !Object.values(networkInterfaces())
        .flat()
        .some((each) => each?.address === '::1')
    )
      context.skip('needs IPv6');
    const own = await serve(home, '--front', '--host', '::1', '--front-port', '0', '--front-plain-port', '0');
    const find = (): number => Number(/https:\/\/test-mill\.localhost:(\d+)/.exec(own.log())?.[1] ?? NaN);
    await expect.poll(find, { timeout: 20_000 }).toBeGreaterThan(0);
    const six = connectHttp2(`https://localhost:${find()}`, {
      createConnection: () =>
        connectTls({ host: '::1', port: find(), ca, servername: 'localhost', ALPNProtocols: ['h2'] }),
    });
    const status = await new Promise<number>((done) => {
      six
        .request({ ':path': '/mill.svg', ':authority': 'test-mill.localhost' })
        .on('response', (headers) => done(Number(headers[':status'])));
    });
    expect(status).toBe(200);
    six.destroy();
    await own.stop();
  });

  it('refuses a key that others can read', async () => {
    const key = join(data, 'fenestra/authority.key');
    const names = readdirSync(join(data, 'fenestra')).filter((name) => name.endsWith('.key'));
    for (const name of names) chmodSync(join(data, 'fenestra', name), 0o644);
    const { code, err } = await fenestra(
      home,
      'serve',
      '--front',
      '--port',
      '0',
      '--front-port',
      '0',
      '--front-plain-port',
      '0',
    );
    for (const name of names) chmodSync(join(data, 'fenestra', name), 0o600);
    expect([code, err]).toEqual([
      3,
      expect.stringMatching(/Others on this machine can read the private key/),
    ]);
    expect(statSync(key).mode & 0o777).toBe(0o600);
  });

  it('speaks HTTP/1.1 too, passes on what writes, and keeps its key to itself', async () => {
    const old = await new Promise<Came>((done, failed) => {
      const outgoing = httpsRequest(
        { host: 'localhost', port, path: '/', method: 'POST', ca, headers: { host: 'test-mill.localhost' } },
        (response) => {
          response.resume();
          response.on('end', () =>
            done({ status: response.statusCode ?? 0, headers: response.headers, body: Buffer.alloc(0) }),
          );
        },
      );
      outgoing.on('error', failed);
      outgoing.end('a=b');
    });
    expect([old.status, old.headers['cache-status']]).toEqual([405, expect.stringContaining('fwd=method')]);
    expect(statSync(join(data, 'fenestra/authority.key')).mode & 0o777).toBe(0o600);
    // It is strict, and may speak for nobody else.
    if (lacks('openssl') !== undefined) return;
    await promisify(execFile)('openssl', [
      'verify',
      '-x509_strict',
      '-CAfile',
      join(data, 'fenestra/authority.pem'),
      join(data, 'fenestra/authority.pem'),
    ]);
    const text = (
      await promisify(execFile)('openssl', [
        'x509',
        '-noout',
        '-text',
        '-in',
        join(data, 'fenestra/authority.pem'),
      ])
    ).stdout;
    expect(text).toMatch(/Name Constraints: critical[^]*DNS:localhost[^]*DNS:example/);
  });

  it('is checked: what leaves https, what it does not tell, and the certificate that ends', async () => {
    const at = `https://test-mill.localhost:${port}/`;
    const authority = ['--ca', join(data, 'fenestra/authority.pem')];
    const checked = await fenestra(home, 'check', '--at', at, ...authority, '--json');
    const { failures, findings } = JSON.parse(checked.out) as {
      failures: unknown[];
      findings: { rule: string; message: string }[];
    };
    expect(failures).toEqual([]);
    // Under names of this machine nobody is told to come by https alone.
    expect(findings.map(({ rule }) => rule)).toContain('secure-only-unset');
    writeFiles(home, {
      'fenestra.yaml': `${CONFIG}moved: { permanently: { /old: "http://shop.wendlemill.example/" } }\n`,
    });
    const left = await fenestra(home, 'check', '--unpublished');
    expect(left.out).toMatch(/moved-insecurely[^]*write|moved-insecurely[^]*https:\/\/shop/);
    writeFiles(home, { 'fenestra.yaml': CONFIG });
    // One that ends soon, before a server that sets cookies and tells nothing.
    const authorityOfTest = await makeAuthority();
    const { cert, key } = await authorityOfTest.issue('mill.localhost', [-1, 5]);
    const other = createHttpsServer({ cert, key }, (_request, response) =>
      response.writeHead(200, { 'set-cookie': 'a=b', 'cache-control': 'max-age=60' }).end('hello'),
    );
    await new Promise<void>((done) => other.listen(0, '127.0.0.1', done));
    writeFiles(home, { 'ca.pem': authorityOfTest.cert });
    const { port: otherPort } = other.address() as AddressInfo;
    const odd = await fenestra(
      home,
      'check',
      '--at',
      `https://mill.localhost:${otherPort}/`,
      '--ca',
      'ca.pem',
      '--json',
    );
    other.closeAllConnections();
    await new Promise((done) => other.close(done));
    const rules = (JSON.parse(odd.out) as typeof checked & { findings: { rule: string }[] }).findings.map(
      ({ rule }) => rule,
    );
    expect(rules).toEqual(expect.arrayContaining(['certificate-ends', 'cookie-shared', 'secure-only-unset']));
  });

  it('tells what the front holds after a publish, and what it does with an answer', async () => {
    writeFiles(home, { 'site/mill.svg': SVG.replace('h9', 'h8') });
    const published = await fenestra(home, 'publish', '--yes', '--json', '--front-list', 'purge.txt');
    const { front } = JSON.parse(published.out) as { front: { address: string; until: string }[] };
    expect(front.map(({ address }) => address)).toEqual(['http://test-mill.localhost:4680/mill.svg']);
    expect(readFileSync(join(home, 'purge.txt'), 'utf8')).toBe('http://test-mill.localhost:4680/mill.svg\n');
    // And so it does, until then.
    expect((await get('/mill.svg')).body.toString()).toBe(SVG);
    for (const [path, words] of [
      ['/mill.svg', 'answers everybody from its cache for 30 days (max-age)'],
      ['/', 'asks before each use (no-cache): the bucket only has to confirm it'],
      ['/members/', 'keeps nothing of it'],
    ] as const)
      expect([path, (await fenestra(home, 'trace', path, '--front')).out]).toEqual([
        path,
        expect.stringContaining(words),
      ]);
  });

  it('is counted with: what of a visit reaches the bucket', async () => {
    const page = PAGE.replace('<title>', '<link rel="icon" href="data:,"><title>');
    writeFiles(home, { 'site/index.html': page.replace('</html>', '<img src="/mill.svg" alt=""></html>') });
    await fenestra(home, 'publish', '--yes');
    const { out } = await fenestra(home, 'visit', '/', '--front', '--after', '0 seconds, 60 days', '--json');
    const { visits, front } = JSON.parse(out) as {
      visits: { requests: number }[];
      front: {
        visits: { requests: number; reached: number; confirmed: number }[];
        next: { reached: number; confirmed: number };
      };
    };
    // The front gets what browsers ask for; of it the page each time, and the picture once a month.
    expect(front.visits.map(({ requests }) => requests)).toEqual(visits.map(({ requests }) => requests));
    expect(front.visits.map(({ reached, confirmed }) => [reached, confirmed])).toEqual([
      [visits[0]?.requests, 0],
      [1, 1],
      [visits[2]?.requests, visits[2]?.requests],
    ]);
    expect([front.next.reached, front.next.confirmed]).toEqual([1, 1]);
  });

  it('is trusted by a browser that was told to, and by none that was not', async (context) => {
    need(context, 'Chromium', 'certutil');
    const profile = mkdtempSync(join(tmpdir(), 'fenestra-nss-'));
    const own = { ...process.env, HOME: profile };
    await promisify(execFile)('mkdir', ['-p', join(profile, '.pki/nssdb')]);
    await promisify(execFile)('certutil', ['-d', `sql:${profile}/.pki/nssdb`, '-N', '--empty-password'], {
      env: own,
    });
    const rules = `--host-resolver-rules=MAP *.example 127.0.0.1`;
    const open = async (home?: string): Promise<string> => {
      const before = process.env['HOME'];
      if (home !== undefined) process.env['HOME'] = home;
      const browser = await launchChromium(rules);
      process.env['HOME'] = before;
      try {
        const page = await browser.newPage();
        const response = await page
          .goto(`https://www.wendlemill.example:${port}/`)
          .catch((error: unknown) => String(error));
        return typeof response === 'string'
          ? response
          : `${response?.status() ?? 0} ${(await response?.headerValue('cache-status')) ?? ''}`;
      } finally {
        await browser.close();
      }
    };
    expect(await open(profile)).toContain('ERR_CERT_AUTHORITY_INVALID');
    const line = /certutil .*/.exec(server.log())?.[0].replace('$HOME', profile) ?? '';
    await promisify(execFile)('sh', ['-c', line], { env: own });
    expect(await open(profile)).toMatch(/^200 fenestra; /);
    rmSync(profile, { recursive: true, force: true });
  }, 120_000);
});

describe('the front by its parts', () => {
  let [origin, port]: [Server | undefined, number] = [undefined, 0];
  const seen: { method: string; headers: NodeJS.Dict<string | string[]> }[] = [];
  let answer: { status: number; headers: Record<string, string>; body: string } = {
    status: 200,
    headers: {},
    body: '',
  };
  beforeAll(async () => {
    const listening = createServer((request, response) => {
      request.resume();
      seen.push({ method: request.method ?? '', headers: request.headers });
      response.writeHead(answer.status, answer.headers).end(request.method === 'HEAD' ? '' : answer.body);
    });
    origin = listening;
    await new Promise<void>((done) => listening.listen(0, '127.0.0.1', done));
    port = (listening.address() as AddressInfo).port;
  });
  afterAll(async () => {
    origin?.closeAllConnections();
    await new Promise((done) => origin?.close(done));
  });

  const front = (clock: () => number, target = port): Front =>
    new Front({
      origin: createOrigin(`http://127.0.0.1:${target}`),
      shared: true,
      secureOnly: 0,
      secureHosts: new Set(),
      clock,
    });
  const url = 'https://www.mill.example/';
  const text = ({ body }: FrontAnswer): string => (Buffer.isBuffer(body) ? body.toString() : '');

  it('asks once for a copy that may be used a little longer, whoever else comes meanwhile', async () => {
    let now = Date.now();
    const own = front(() => now);
    answer = {
      status: 200,
      headers: { 'cache-control': 'max-age=10, stale-while-revalidate=60', etag: '"a"' },
      body: 'one',
    };
    await own.answer({ method: 'GET', url, headers: {} }, undefined);
    now += 20_000;
    seen.length = 0;
    answer = { ...answer, headers: { ...answer.headers, etag: '"b"' }, body: 'two' };
    const all = await Promise.all(
      Array.from({ length: 20 }, async () => own.answer({ method: 'GET', url, headers: {} }, undefined)),
    );
    expect(new Set(all.map(text))).toEqual(new Set(['one']));
    await expect
      .poll(async () => text(await own.answer({ method: 'GET', url, headers: {} }, undefined)))
      .toBe('two');
    expect(seen.map(({ method, headers }) => [method, headers['if-none-match']])).toEqual([['GET', '"a"']]);
  });

  it('answers 502 where nobody does, and what it has where that is allowed', async () => {
    let now = Date.now();
    const gone = createServer();
    await new Promise<void>((done) => gone.listen(0, '127.0.0.1', done));
    const { port: closed } = gone.address() as AddressInfo;
    await new Promise((done) => gone.close(done));
    const own = front(() => now, closed);
    expect((await own.answer({ method: 'GET', url, headers: {} }, undefined)).status).toBe(502);
    const between = createServer((_request, response) =>
      response.writeHead(200, { 'cache-control': 'max-age=10, stale-if-error=60' }).end('kept'),
    );
    await new Promise<void>((done) => between.listen(closed, '127.0.0.1', done));
    await own.answer({ method: 'GET', url, headers: {} }, undefined);
    between.closeAllConnections();
    await new Promise((done) => between.close(done));
    now += 30_000;
    const late = await own.answer({ method: 'GET', url, headers: {} }, undefined);
    expect([late.status, text(late)]).toEqual([200, 'kept']);
    now += 60_000;
    expect((await own.answer({ method: 'GET', url, headers: {} }, undefined)).status).toBe(502);
  });

  it('takes ten thousand odd requests without harm', async () => {
    const chance = chanceFor('front-fuzz');
    const pick = <T>(choices: readonly T[]): T => choices[Math.floor(chance() * choices.length)] as T;
    const own = front(Date.now);
    const odd = [
      '',
      '*',
      '"',
      '=',
      ',,,',
      'max-age',
      'max-age=-1',
      'bytes=',
      'bytes=9-1',
      'W/"',
      '\u00e9',
      'a'.repeat(3000),
    ];
    const names = [
      'range',
      'if-range',
      'if-none-match',
      'if-modified-since',
      'if-match',
      'cache-control',
      'pragma',
      'vary',
      'authorization',
      'x-kind',
    ];
    for (let round = 0; round < 100; round++) {
      answer = {
        status: pick([200, 200, 200, 204, 206, 301, 304, 404, 416, 500]),
        headers: Object.fromEntries(
          ['cache-control', 'etag', 'last-modified', 'vary', 'age', 'expires']
            .filter(() => chance() < 0.5)
            .map((name) => [
              name,
              pick([
                ...odd.filter((each) => /^[\x20-\x7e]*$/.test(each) && each.length < 100),
                'max-age=60',
                'x-kind',
              ]),
            ]),
        ),
        body: pick(['', 'x', 'body '.repeat(50)]),
      };
      const answers = await Promise.all(
        Array.from({ length: 100 }, async () => {
          const headers = Object.fromEntries(
            names.filter(() => chance() < 0.25).map((name) => [name, pick(odd)]),
          );
          return own.answer(
            {
              method: pick(['GET', 'GET', 'GET', 'HEAD', 'POST', 'DELETE', 'OPTIONS', 'PROPFIND']),
              url: `https://${pick(['www.mill.example', 'b.example:8443', '[::1]'])}${pick(['/', '/a?b', '//x', '/%zz', '/../..', '/\\'])}`,
              headers,
            },
            undefined,
          );
        }),
      );
      for (const each of answers) {
        expect(each.status).toBeGreaterThanOrEqual(200);
        expect(each.status).toBeLessThan(600);
        if (each.body && !Buffer.isBuffer(each.body)) each.body.destroy();
      }
    }
    // It is as it was.
    answer = { status: 200, headers: { 'cache-control': 'max-age=60' }, body: 'fine' };
    const after = await own.answer(
      { method: 'GET', url: 'https://www.mill.example/after', headers: {} },
      undefined,
    );
    expect([SEED, after.status, text(after)]).toEqual([SEED, 200, 'fine']);
  }, 120_000);
});
