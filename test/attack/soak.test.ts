/**
 * Mixed load for a long time: everything that `serve` does at once, with memory, files, the delay of its event loop and
 * the answers looked at throughout. Where the loop stands still the program is stopped by its debugger, and says where.
 */
import { spawn } from 'node:child_process';
import { createSocket } from 'node:dgram';
import { mkdtempSync, readdirSync, readFileSync } from 'node:fs';
import { connect as connectHttp2, type ClientHttp2Session } from 'node:http2';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { connect as connectTls } from 'node:tls';
import * as packet from 'dns-packet';
import { expect, it } from 'vitest';
import { WebSocket } from 'undici';
import { ask } from '../helpers/ask.js';
import { SEED } from '../helpers/chance.js';
import { fenestra, makeProject, PAGE, serve, writeFiles, type Serving } from '../helpers/program.js';
import { Attack } from './attack-kit.js';

const HOST = 'test-mill.localhost';
const CONFIG = `site: site
destinations:
  live: { store: here, bucket: test-mill, domains: [www.wendlemill.example], front: { https: true, shared: true } }
assign:
  - { to: "*.svg", cache: { fresh: 1 second, whileRevalidating: 2 seconds } }
  - { to: "large/**", cache: never }
`;
/** Milliseconds in which the program has to answer something. */
const STANDS_STILL = 30_000;
const QUERY = packet.encode({
  type: 'query',
  id: 9,
  flags: packet.RECURSION_DESIRED,
  questions: [{ type: 'A', name: 'www.wendlemill.example' }],
});

interface Ports {
  readonly plain: number;
  readonly secure: number;
  readonly names: number;
}

function connect({ secure }: Ports): ClientHttp2Session {
  const session = connectHttp2(`https://${HOST}:${secure}`, {
    createConnection: () =>
      connectTls({
        port: secure,
        host: '127.0.0.1',
        rejectUnauthorized: false,
        servername: HOST,
        ALPNProtocols: ['h2'],
      }),
  });
  session.on('error', () => undefined);
  return session;
}

/** One request; it may be given up half-way. @returns its status; 0 where there was none */
function get(session: ClientHttp2Session, path: string, giveUp: boolean, headers = {}): Promise<number> {
  return new Promise((done) => {
    if (session.destroyed || session.closed) return done(0);
    const stream = session.request({ ':path': path, ':authority': HOST, ...headers });
    let status = 0;
    stream.on('response', (head) => {
      status = Number(head[':status']);
      if (giveUp) stream.close();
    });
    stream
      .on('error', () => undefined)
      .on('close', () => done(status))
      .resume();
    stream.setTimeout(STANDS_STILL, () => stream.close());
  });
}

/** Where a program is that does not answer: its debugger can stop it even then. */
async function whereIs({ process: child }: Serving): Promise<string> {
  let said = '';
  child.stderr?.on('data', (chunk: Buffer) => (said += chunk.toString()));
  child.kill('SIGUSR1');
  for (let tries = 0; tries < 50 && !/ws:\/\/\S+/.test(said); tries++) await wait(100);
  const url = /ws:\/\/\S+/.exec(said)?.[0];
  if (url === undefined) return 'its debugger does not answer';
  const socket = new WebSocket(url);
  return new Promise((done) => {
    const timer = setTimeout(() => done('it does not stop'), 5000);
    socket.addEventListener('message', ({ data }) => {
      const { method, params } = JSON.parse(String(data)) as {
        method?: string;
        params?: { callFrames: { functionName: string; url: string; location: { lineNumber: number } }[] };
      };
      if (method !== 'Debugger.paused') return;
      clearTimeout(timer);
      socket.close();
      done(
        (params?.callFrames ?? [])
          .map(({ functionName, url: file, location }) => `${functionName} ${file}:${location.lineNumber}`)
          .join(' < '),
      );
    });
    socket.addEventListener('open', () => {
      socket.send(JSON.stringify({ id: 1, method: 'Debugger.enable' }));
      socket.send(JSON.stringify({ id: 2, method: 'Debugger.pause' }));
    });
  });
}

const held = (pid: number): { readonly megabytes: number; readonly files: number } => ({
  megabytes: Number(/RssAnon:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1]) / 1024,
  files: readdirSync(`/proc/${pid}/fd`).length,
});

it(`serve goes on for long (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async () => {
  // In `npm test` for ten seconds, in `npm run attack` for minutes.
  const attack = new Attack('serve with a front and names, by mixed load: seconds', 10);
  process.env['XDG_DATA_HOME'] = mkdtempSync(join(tmpdir(), 'fenestra-data-'));
  const home = makeProject(
    {
      'site/index.html': PAGE.replace('</html>', '<img src="/a.svg" alt=""></html>'),
      'site/a.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>',
      'site/large/film.bin': Buffer.alloc(12_000_000, 5),
    },
    CONFIG,
  );
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  const server = await serve(
    home,
    ...['--front', '--front-port', '0', '--front-plain-port', '0', '--names', '--names-port', '0'],
    ...['--log', join(home, 'log.jsonl')],
  );
  const find = (what: RegExp): number => Number(what.exec(server.log())?.[1] ?? NaN);
  await expect.poll(() => find(/127\.0\.0\.1 port (\d+)/), { timeout: 20_000 }).toBeGreaterThan(0);
  const ports: Ports = {
    plain: server.port,
    secure: find(new RegExp(`https://${HOST}:(\\d+)`)),
    names: find(/127\.0\.0\.1 port (\d+)/),
  };
  const pid = server.process.pid ?? 0;
  const seconds = Math.min(attack.rounds, 600);
  const ends = Date.now() + seconds * 1000;
  let [megabytes, files, slowest] = [0, 0, 0];
  let isOver = false;

  const visitors = Array.from({ length: 6 }, async () => {
    while (!isOver) {
      const session = connect(ports);
      for (let n = attack.below(30); n >= 0 && !isOver; n--) {
        const path = attack.pick(['/', '/a.svg', '/none', '/large/film.bin', `/?${attack.below(1e6)}`]);
        const headers = attack.pick([
          {},
          { range: 'bytes=5-9' },
          { 'cache-control': 'no-cache' },
          { ':method': 'POST' },
        ]);
        await get(session, path, attack.below(3) === 0, headers);
      }
      if (attack.below(2) === 0) session.destroy();
      else session.close();
    }
  });
  const plainVisitors = Array.from({ length: 3 }, async () => {
    while (!isOver)
      await ask(ports.plain, attack.pick(['/', '/a.svg', '/none', '/large/film.bin'])).catch(() => undefined);
  });
  const names = (async () => {
    const socket = createSocket('udp4').on('error', () => undefined);
    while (!isOver) {
      socket.send(QUERY, ports.names, '127.0.0.1');
      await wait(20);
    }
    socket.close();
  })();
  const publisher = (async () => {
    for (let n = 0; !isOver; n++) {
      writeFiles(home, { 'site/a.svg': `<svg xmlns="http://www.w3.org/2000/svg"><!-- ${n} --></svg>` });
      const words = [resolve('dist/fenestra.js'), 'publish', '--yes'];
      const child = spawn(process.execPath, words, { cwd: home, stdio: 'ignore' });
      await new Promise((done) => child.once('exit', done));
      await wait(500);
    }
  })();

  for (let visits = 0; Date.now() < ends || visits < attack.rounds; visits++) {
    const began = performance.now();
    const session = connect(ports);
    const status = await get(session, '/', false);
    session.destroy();
    const took = performance.now() - began;
    slowest = Math.max(slowest, took);
    if (took >= STANDS_STILL) {
      attack.harm(`it stands still at: ${await whereIs(server)}`);
      break;
    }
    if (status !== 200) attack.harm(`a visitor got ${status} after ${took.toFixed(0)} ms`);
    else attack.note('answered');
    const now = held(pid);
    megabytes = Math.max(megabytes, now.megabytes);
    files = Math.max(files, now.files);
    await wait(200);
  }
  isOver = true;
  await Promise.all([...visitors, ...plainVisitors, names, publisher]);
  // Once everybody has gone, what they held has gone too.
  await expect.poll(() => held(pid).files, { timeout: 60_000 }).toBeLessThan(60);
  if (megabytes > attack.room(350)) attack.harm(`${megabytes.toFixed(0)} MB were held`);
  expect(await server.stop()).toBe(0);
  attack.finish({
    seconds: String(seconds),
    memory: `${megabytes.toFixed(0)} MB`,
    files: String(files),
    'slowest page': `${slowest.toFixed(0)} ms`,
  });
});
