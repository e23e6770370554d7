// Attackers of the front, in a process of their own: node front-attackers.mjs KIND PORT PLAIN_PORT SECONDS SEED HOST
// Each goes on until its time is over, whatever is done to it, and prints a line with what it did.
import { connect as connectHttp2 } from 'node:http2';
import { connect as connectTcp } from 'node:net';
import { connect as connectTls } from 'node:tls';

const [kind, portWord, plainWord, secondsWord, seedWord, host] = process.argv.slice(2);
const [port, plainPort, seconds] = [portWord, plainWord, secondsWord].map(Number);
const ends = Date.now() + seconds * 1000;
let state = Number(seedWord) >>> 0;
const chance = () => {
  state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
  return state / 2 ** 32;
};
const below = (bound) => Math.floor(chance() * bound);
const wait = (ms) => new Promise((done) => setTimeout(done, ms));
const counts = {};
const count = (what, by = 1) => (counts[what] = (counts[what] ?? 0) + by);
const tls = (more = {}) => ({
  port,
  host: '127.0.0.1',
  rejectUnauthorized: false,
  servername: host,
  ...more,
});
const authority = `${host}:${port}`;

function session(settings = {}) {
  const opened = connectHttp2(`https://${authority}`, {
    createConnection: () => connectTls(tls({ ALPNProtocols: ['h2'] })),
    settings,
  });
  count('connections');
  opened.on('error', () => undefined);
  return opened;
}

/** Until it is closed, or the time is over. */
const closed = (emitter) =>
  Promise.race([new Promise((done) => emitter.once('close', done)), wait(Math.max(0, ends - Date.now()))]);

const ATTACKS = {
  /** Opens no window, and asks for as much as it may. */
  async window() {
    const opened = session({ initialWindowSize: 0 });
    for (let n = 0; n < 250; n++) {
      const stream = opened.request({
        ':path': `/big/${n % 40}.bin?${below(1000)}`,
        ':authority': authority,
      });
      stream.on('error', () => undefined);
      count('streams');
    }
    await closed(opened);
  },
  /** Sends nearly all of its bodies. */
  async bodies() {
    const opened = session();
    const piece = Buffer.alloc(64 * 1024, 1);
    for (let n = 0; n < 100 && !opened.destroyed; n++) {
      const stream = opened.request(
        { ':method': 'POST', ':path': '/', ':authority': authority, 'content-length': 1_000_000 },
        { endStream: false },
      );
      stream.on('error', () => undefined);
      for (let sent = 0; sent < 14; sent++) stream.write(piece);
      count('unfinished bodies');
    }
    await closed(opened);
  },
  /** Connects and says nothing, or half of something. */
  async silent() {
    const sockets = Array.from({ length: 60 }, () => {
      const at = chance() < 0.5 ? port : plainPort;
      const socket = connectTcp({ host: '127.0.0.1', port: at });
      socket.on('error', () => undefined);
      if (at === plainPort && chance() < 0.5) socket.write('GET / HTTP/1.1\r\nHo');
      count('silent connections');
      return socket;
    });
    await wait(250);
    if (chance() < 0.02) for (const socket of sockets) socket.destroy();
  },
  /** Asks for what is large over HTTP/1.1 and takes nothing of it. */
  async stalled() {
    const sockets = Array.from({ length: 10 }, (_, n) => {
      const socket = connectTls(tls({ ALPNProtocols: ['http/1.1'] }), () => {
        socket.write(`GET /large/${n % 4}.bin HTTP/1.1\r\nHost: ${authority}\r\n\r\n`);
        socket.pause();
      });
      socket.on('error', () => undefined);
      count('stalled downloads');
      return socket;
    });
    await Promise.race([Promise.all(sockets.map(closed)), wait(2000)]);
  },
  /** Asks for ever other addresses. */
  async addresses() {
    const opened = session();
    for (let n = 0; n < 200 && !opened.destroyed && Date.now() < ends; n++) {
      await new Promise((done) => {
        const path = `/kept.svg?${n}-${below(1e9)}-${'q'.repeat(1000 + below(6000))}`;
        const stream = opened.request({ ':path': path, ':authority': authority });
        stream.on('error', done).on('close', done).resume();
        count('addresses');
      });
    }
    opened.destroy();
  },
  /** Frames of any kind, with any flags, on any stream. */
  async frames() {
    const socket = connectTls(tls({ ALPNProtocols: ['h2'] }));
    socket.on('error', () => undefined).resume();
    socket.write('PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n');
    socket.write(Buffer.from([0, 0, 0, 4, 0, 0, 0, 0, 0]));
    for (let n = 0; n < 60 && !socket.destroyed; n++) {
      const payload = Buffer.from(Array.from({ length: below(40) }, () => below(256)));
      const head = Buffer.from([0, 0, payload.length, below(11), below(256), 0, 0, 0, 1 + 2 * below(20)]);
      socket.write(Buffer.concat([head, payload]));
      count('frames');
      await wait(1);
    }
    socket.destroy();
  },
};

while (Date.now() < ends) await ATTACKS[kind]();
process.stdout.write(`${JSON.stringify(counts)}\n`);
process.exit(0);
