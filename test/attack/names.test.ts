/** Name servers of a rehearsal under attack: datagrams of any kind and from nowhere, connections that are never read. */
import { execFile } from 'node:child_process';
import { createSocket } from 'node:dgram';
import { connect } from 'node:net';
import { readFileSync } from 'node:fs';
import { setTimeout as wait } from 'node:timers/promises';
import { promisify } from 'node:util';
import * as packet from 'dns-packet';
import { expect, it } from 'vitest';
import { SEED } from '../helpers/chance.js';
import { need } from '../helpers/machine.js';
import { fenestra, makeProject, serve, type Serving } from '../helpers/program.js';
import { Attack, mutate } from './attack-kit.js';

const CONFIG = `site: site
destinations: { live: { store: here, bucket: test-mill, domains: [www.wendlemill.example] } }
`;
const QUERY = packet.encode({
  type: 'query',
  id: 7,
  flags: packet.RECURSION_DESIRED,
  questions: [{ type: 'A', name: 'www.wendlemill.example' }],
});
const FROM_NOWHERE = `
import socket, struct, sys
port = int(sys.argv[1])
raw = socket.socket(socket.AF_INET, socket.SOCK_RAW, socket.IPPROTO_UDP)
query = bytes.fromhex(sys.argv[2])
for _ in range(20):
    raw.sendto(struct.pack('!HHHH', 0, port, 8 + len(query), 0) + query, ('127.0.0.1', 0))
`;

async function start(): Promise<{ server: Serving; port: number }> {
  const home = makeProject({}, CONFIG);
  await fenestra(home, 'publish', '--yes');
  const server = await serve(home, '--names', '--names-port', '0', '--quiet');
  const find = (): number => Number(/127\.0\.0\.1 port (\d+)/.exec(server.log())?.[1] ?? NaN);
  await expect.poll(find, { timeout: 20_000 }).toBeGreaterThan(0);
  return { server, port: find() };
}

/** One look-up, as a resolver of an honest visitor makes it. */
function ask(port: number, within: number): Promise<string> {
  return new Promise((done) => {
    const socket = createSocket('udp4');
    const end = (said: string): void => {
      clearTimeout(timer);
      socket.close();
      done(said);
    };
    const timer = setTimeout(() => end('nothing in time'), within);
    socket.on('message', (bytes) => end(packet.decode(bytes).answers?.[0]?.type ?? 'no answer'));
    socket.send(QUERY, port, '127.0.0.1');
  });
}

it(`name servers hold (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async (context) => {
  need(context, 'raw sockets');
  const attack = new Attack('name servers: odd datagrams, and connections that are never read', 2000);
  const { server, port } = await start();
  await promisify(execFile)('python3', ['-c', FROM_NOWHERE, String(port), QUERY.toString('hex')]);
  const odd = createSocket('udp4');
  for (let round = 0; round < attack.rounds; round++) {
    odd.send(mutate(QUERY, attack, ['\0', '\xc0\x0c', '\xff\xff', 'www']), port, '127.0.0.1');
    attack.note('datagram');
    if (round % 200 === 0) {
      const said = await ask(port, attack.patience(1000));
      if (said !== 'A') attack.harm(`an honest visitor got ${said}`);
    }
  }
  odd.close();
  // Whoever asks a great many times and never reads has its answers wait in the system, not in the process.
  const framed = Buffer.concat([Buffer.from([0, QUERY.length]), QUERY]);
  const many = Buffer.concat(Array.from({ length: 2000 }, () => framed));
  const unread = Array.from({ length: 8 }, () => {
    const socket = connect(port, '127.0.0.1');
    socket.on('error', () => undefined).pause();
    return socket;
  });
  let isOver = false;
  const flooding = unread.map(async (socket) => {
    while (!isOver && !socket.destroyed) {
      if (!socket.write(many))
        await Promise.race([new Promise((done) => socket.once('drain', done)), wait(500)]);
      await wait(1);
    }
  });
  let megabytes = 0;
  for (let look = 0; look < 10; look++) {
    await wait(200);
    const status = readFileSync(`/proc/${server.process.pid ?? 0}/status`, 'utf8');
    megabytes = Math.max(megabytes, Number(/RssAnon:\s+(\d+)/.exec(status)?.[1]) / 1024);
    const said = await ask(port, attack.patience(1000));
    if (said !== 'A') attack.harm(`beside connections that are never read an honest visitor got ${said}`);
  }
  isOver = true;
  for (const socket of unread) socket.destroy();
  await Promise.all(flooding);
  if (megabytes > attack.room(200)) attack.harm(`${megabytes.toFixed(0)} MB were held`);
  expect(await server.stop()).toBe(0);
  attack.finish({ memory: `${megabytes.toFixed(0)} MB` });
});
