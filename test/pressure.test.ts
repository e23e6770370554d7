/** Clients that hold what they can of the emulation: connections, memory, files, time. */
import { readdirSync, readFileSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { connect, type Socket } from 'node:net';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { execa } from 'execa';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { ask } from './helpers/ask.js';
import { fenestraJson, makeProject, serve, type Serving } from './helpers/program.js';

const LARGE = Buffer.alloc(300_000, 'the wheel turns ');
const SMALL = 'a small text\n';
let home: string;
let server: Serving;
const sockets: Socket[] = [];

beforeAll(async () => {
  home = makeProject({ 'site/large.bin': LARGE, 'site/small.txt': SMALL });
  await fenestraJson(home, 'publish', '--yes');
  await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
  server = await serve(home, '--quiet');
});
afterAll(async () => {
  for (const socket of sockets) socket.destroy();
  await server.stop('SIGKILL');
});

const openFiles = (): number => readdirSync(`/proc/${server.process.pid}/fd`).length;
/** Bytes of memory that are the process's own. */
function memory(): number {
  const status = readFileSync(`/proc/${server.process.pid}/status`, 'utf8');
  return Number(/RssAnon:\s+(\d+)/.exec(status)?.[1] ?? 0) * 1024;
}

function hold(write = ''): Promise<Socket> {
  return new Promise((done) => {
    const socket = connect(server.port, '127.0.0.1');
    sockets.push(socket);
    socket.on('error', () => undefined);
    socket.once('connect', () => {
      if (write !== '') socket.write(write);
      socket.pause();
      done(socket);
    });
    socket.once('close', () => done(socket));
  });
}

const get = (target: string): string =>
  `GET ${target} HTTP/1.1\r\nHost: test-mill.localhost:${server.port}\r\n\r\n`;

describe('a client that reads none of its answers', () => {
  it('and many that say nothing hold bounded memory and files, and others are answered at once', async () => {
    const before = openFiles();
    for (let n = 0; n < 4; n++) await hold(get('/large.bin').repeat(1500));
    for (let n = 0; n < 3000; n += 100) await Promise.all(Array.from({ length: 100 }, () => hold()));
    const began = performance.now();
    expect((await ask(server.port, '/small.txt')).body.toString()).toBe(SMALL);
    expect(performance.now() - began).toBeLessThan(1000);
    expect([openFiles() < 300, openFiles() >= before, memory() < 200 * 2 ** 20]).toEqual([true, true, true]);
    for (const socket of sockets.splice(0)) socket.destroy();
    await expect.poll(openFiles, { timeout: 5000 }).toBeLessThanOrEqual(before + 8);
  });
});

describe('requests sent without waiting', () => {
  it('are answered one after the other, whole and in order', async () => {
    const asked = Array.from({ length: 3000 }, (_, n) => (n % 50 === 7 ? '/large.bin' : '/small.txt'));
    const expected = asked.reduce(
      (sum, each) => sum + (each === '/small.txt' ? SMALL.length : LARGE.length),
      0,
    );
    const socket = connect(server.port, '127.0.0.1');
    const pieces: Buffer[] = [];
    socket.on('data', (piece: Buffer) => pieces.push(piece));
    const ended = new Promise((done) => socket.once('close', done));
    const text = asked.map(get);
    socket.write(text.slice(0, -1).join(''));
    socket.write(text.slice(-1).join('').replace('\r\n\r\n', '\r\nConnection: close\r\n\r\n'));
    await ended;
    let rest = Buffer.concat(pieces);
    let bytes = 0;
    for (const target of asked) {
      const end = rest.indexOf('\r\n\r\n') + 4;
      const head = rest.subarray(0, end).toString();
      const length = Number(/content-length: (\d+)/i.exec(head)?.[1]);
      expect([head.slice(0, 15), length]).toEqual([
        'HTTP/1.1 200 OK',
        target === '/small.txt' ? SMALL.length : LARGE.length,
      ]);
      bytes += length;
      rest = rest.subarray(end + length);
    }
    expect([bytes, rest.length]).toEqual([expected, 0]);
  });

  it('that end in something that is no request get their answers first', async () => {
    const socket = connect(server.port, '127.0.0.1');
    const pieces: Buffer[] = [];
    socket.on('data', (piece: Buffer) => pieces.push(piece));
    const ended = new Promise((done) => socket.once('close', done));
    socket.write(`${get('/large.bin')}${get('/small.txt').repeat(3)}NO REQUEST AT ALL\r\n\r\n`);
    await ended;
    const all = Buffer.concat(pieces);
    const statuses = all.toString('latin1').match(/HTTP\/1\.1 \d+/g);
    expect(statuses).toEqual([...Array.from({ length: 4 }, () => 'HTTP/1.1 200'), 'HTTP/1.1 400']);
    expect(all.indexOf(LARGE)).toBeGreaterThan(0);
  });
});

describe('connections', () => {
  it('that wait give way to new ones, and those that are being answered do not', async () => {
    const own = await serve(home, '--quiet', '--connections', '10');
    try {
      const busy = connect(own.port, '127.0.0.1');
      busy.write(get('/large.bin').repeat(40));
      busy.pause();
      let isOpen = true;
      busy.once('close', () => (isOpen = false));
      await wait(200);
      const waiting = Array.from({ length: 30 }, () => connect(own.port, '127.0.0.1'));
      for (const socket of waiting) socket.on('error', () => undefined);
      const closed = waiting.map(async (socket) => new Promise((done) => socket.once('close', done)));
      await Promise.all(closed.slice(0, 20));
      expect((await ask(own.port, '/small.txt')).status).toBe(200);
      expect(isOpen).toBe(true);
      for (const socket of [busy, ...waiting]) socket.destroy();
    } finally {
      await own.stop();
    }
  });
});

describe('a log that nobody reads', () => {
  it('is left out and counted, in the terminal and in a file, and does not gather in memory', async () => {
    const pipe = join(home, 'log.pipe');
    await execa('mkfifo', [pipe]);
    // Whoever opens it takes nothing.
    const taker = await open(pipe, 'r+');
    const logging = await serve(home, '--log', 'log.pipe');
    const { stdout } = logging.process;
    stdout?.pause();
    const before = logging.log().length;
    const REQUESTS = 3000;
    const target = (n: number): string => `/small.txt?${n}-${'x'.repeat(4000)}`;
    for (let n = 0; n < REQUESTS; n += 50)
      await Promise.all(Array.from({ length: 50 }, (_, at) => ask(logging.port, target(n + at))));
    stdout?.resume();
    // Once it is read again, what comes next is logged again, behind how much is missing.
    await expect
      .poll(async () => {
        await ask(logging.port, '/small.txt?last');
        return logging.log();
      })
      .toMatch(/lines left out: nobody took them\.\n.*last/);
    const shown = logging.log().slice(before);
    const [, left = ''] = /([\d,]+) lines left out/.exec(shown) ?? [];
    expect(shown.length).toBeLessThan(3 * 2 ** 20);
    expect(shown.match(/\?\d+-x/g)).toHaveLength(REQUESTS - Number(left.replaceAll(',', '')));
    const { buffer, bytesRead } = await taker.read({ buffer: Buffer.alloc(2 ** 16) });
    expect(JSON.parse(buffer.toString('utf8', 0, bytesRead).split('\n')[0] ?? '')).toMatchObject({
      status: 200,
    });
    await logging.stop('SIGKILL');
    await taker.close();
  });
});
