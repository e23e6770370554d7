/** The front under attack: an honest visitor gets every page within a second, and what is held stays within bounds. */
import { spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync } from 'node:fs';
import { connect as connectHttp2 } from 'node:http2';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { connect as connectTls } from 'node:tls';
import { expect, it } from 'vitest';
import { SEED } from '../helpers/chance.js';
import { fenestra, makeProject, PAGE, serve, type Serving } from '../helpers/program.js';
import { Attack } from './attack-kit.js';

const HOST = 'test-mill.localhost';
const CONFIG = `site: site
destinations: { live: { store: here, bucket: test-mill, front: { https: true, shared: true } } }
assign:
  - { to: "kept.svg", cache: 30 days }
  - { to: "big/**", cache: 1 hour }
  - { to: "large/**", cache: never }
`;
const SITE = {
  'site/index.html': PAGE.replace(
    '</html>',
    '<link rel="stylesheet" href="/a.css"><img src="/p.png"></html>',
  ),
  'site/a.css': 'p { color: teal }',
  'site/p.png': Buffer.alloc(150_000, 9),
  'site/kept.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>',
  ...Object.fromEntries(
    Array.from({ length: 40 }, (_, n) => [`site/big/${n}.bin`, Buffer.alloc(4_000_000, n)]),
  ),
  ...Object.fromEntries(
    Array.from({ length: 4 }, (_, n) => [`site/large/${n}.bin`, Buffer.alloc(20_000_000, n)]),
  ),
};
const KINDS = ['window', 'bodies', 'silent', 'stalled', 'addresses', 'frames'] as const;

interface Ports {
  readonly port: number;
  readonly plainPort: number;
}

async function start(): Promise<{ server: Serving; ports: Ports }> {
  process.env['XDG_DATA_HOME'] = mkdtempSync(join(tmpdir(), 'fenestra-data-'));
  const home = makeProject(SITE, CONFIG);
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  const server = await serve(home, '--front', '--front-port', '0', '--front-plain-port', '0', '--quiet');
  const find = (what: RegExp): number => Number(what.exec(server.log())?.[1]);
  const secure = new RegExp(`https://${HOST}:(\\d+)`);
  await expect.poll(() => find(secure), { timeout: 20_000 }).toBeGreaterThan(0);
  const [port, plainPort] = [find(secure), find(/http at port (\d+)/)];
  return { server, ports: { port, plainPort } };
}

function attackWith(kind: string, { port, plainPort }: Ports, seconds: number): Promise<string> {
  const words = [resolve('test/attack/front-attackers.mjs'), kind, port, plainPort, seconds, SEED, HOST].map(
    String,
  );
  const child = spawn(process.execPath, words, { stdio: ['ignore', 'pipe', 'inherit'] });
  let out = '';
  child.stdout.on('data', (chunk: Buffer) => (out += chunk.toString()));
  return new Promise((done) => child.once('exit', () => done(out.trim())));
}

/** A page with what it shows; as browsers do, a connection that was cut is made anew. @returns milliseconds, or what went wrong */
async function visit(ports: Ports, within: number): Promise<number | string> {
  const began = performance.now();
  let said = '';
  while (performance.now() - began < within) {
    said = await load(ports);
    if (!/cut|RESET/.test(said)) break;
    await wait(50);
  }
  return /^200 \d+, 200 17, 200 150000$/.test(said) ? performance.now() - began : said;
}

/** Over a connection of its own. */
async function load({ port }: Ports): Promise<string> {
  const session = connectHttp2(`https://${HOST}:${port}`, {
    createConnection: () =>
      connectTls({
        port,
        host: '127.0.0.1',
        rejectUnauthorized: false,
        servername: HOST,
        ALPNProtocols: ['h2'],
      }),
  });
  session.on('error', () => undefined);
  const get = (path: string): Promise<string> =>
    new Promise((done) => {
      if (session.destroyed) return done('the connection was cut');
      const stream = session.request({ ':path': path });
      let [status, bytes] = [0, 0];
      stream.on('response', (headers) => (status = Number(headers[':status'])));
      stream.on('data', (chunk: Buffer) => (bytes += chunk.length));
      stream.on('error', (error) => done(String(error))).on('close', () => done(`${status} ${bytes}`));
      stream.setTimeout(20_000, () => stream.close());
    });
  const page = await get('/');
  const parts = await Promise.all([get('/a.css'), get('/p.png')]);
  session.destroy();
  return [page, ...parts].join(', ');
}

const held = (pid: number): { readonly megabytes: number; readonly files: number } => ({
  megabytes: Number(/RssAnon:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1]) / 1024,
  files: readdirSync(`/proc/${pid}/fd`).length,
});

it(`the front holds (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async () => {
  const attack = new Attack('the front, by six attackers at once', 12);
  const { server, ports } = await start();
  const pid = server.process.pid ?? 0;
  const seconds = attack.rounds;
  const patience = attack.patience(1000);
  let [slowest, megabytes, files] = [0, 0, 0];
  const look = (): void => {
    const now = held(pid);
    megabytes = Math.max(megabytes, now.megabytes);
    files = Math.max(files, now.files);
  };
  const attacking = KINDS.map((kind) => attackWith(kind, ports, seconds));
  const ends = Date.now() + seconds * 1000;
  for (let visits = 0; Date.now() < ends || visits < attack.rounds; visits++) {
    const came = await visit(ports, patience);
    look();
    if (typeof came === 'string') attack.harm(`an honest visitor got ${came}`);
    else if (came > patience) attack.harm(`an honest visitor waited ${came.toFixed(0)} ms`);
    else attack.note('an honest visitor got the page');
    if (typeof came === 'number') slowest = Math.max(slowest, came);
    await wait(100);
  }
  const done = await Promise.all(attacking);
  if (megabytes > attack.room(250)) attack.harm(`${megabytes.toFixed(0)} MB were held`);
  if (files > 400) attack.harm(`${files} files were open`);
  const calm = await visit(ports, patience);
  if (typeof calm === 'string') attack.harm(`afterwards an honest visitor got ${calm}`);
  await server.stop();
  attack.finish({
    'slowest page': `${slowest.toFixed(0)} ms`,
    memory: `${megabytes.toFixed(0)} MB`,
    files: String(files),
    attackers: done.join(' ').replace(/[{}"]/g, ''),
  });
});
