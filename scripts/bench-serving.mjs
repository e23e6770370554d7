// Measurements of a running server. The load comes from wrk, a process of its own.
import { spawn, spawnSync } from 'node:child_process';
import { createWriteStream, mkdirSync, openSync, readFileSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { once } from 'node:events';
import { join } from 'node:path';
import { fenestra, measure, median, PROGRAM, scratch } from './bench-kit.mjs';

const BARE = `
const body = Buffer.alloc(4096, 'x');
const headers = ['Content-Type', 'text/plain; charset=utf-8', 'Cache-Control', 'max-age=3600', 'ETag', '"0123456789abcdef0123456789abcdef"', 'Last-Modified', new Date(0).toUTCString(), 'Accept-Ranges', 'bytes', 'Content-Length', '4096'];
const server = require('node:http').createServer((request, response) => { response.writeHead(200, headers); response.end(body); });
server.listen(0, '127.0.0.1', () => console.log('http://127.0.0.1:' + server.address().port + '/'));`;

/** What HTTP/2 over TLS takes in Node.js itself, with nothing behind it. */
const BARE_HTTP2 = `
const { readFileSync } = require('node:fs');
const body = Buffer.alloc(4096, 'x');
const headers = { ':status': 200, 'content-type': 'text/plain; charset=utf-8', 'cache-control': 'max-age=3600', etag: '"0123456789abcdef0123456789abcdef"', 'last-modified': new Date(0).toUTCString(), 'accept-ranges': 'bytes', 'content-length': '4096', age: '3', 'cache-status': 'fenestra; hit; ttl=3597' };
const [key, cert] = ['key.pem', 'cert.pem'].map((name) => readFileSync(name));
const server = require('node:http2').createSecureServer({ key, cert, settings: { maxConcurrentStreams: 128 } });
server.on('stream', (stream) => { stream.respond(headers); stream.end(body); });
server.listen(0, '127.0.0.1', () => console.log('https://127.0.0.1:' + server.address().port + '/'));`;

/** A key of the kind that the front has, for what is measured beside it. */
function makeCertificate(folder) {
  const words =
    'req -x509 -newkey ec -pkeyopt ec_paramgen_curve:P-256 -nodes -days 2 -subj /CN=bench.localhost';
  spawnSync('openssl', [...words.split(' '), '-keyout', 'key.pem', '-out', 'cert.pem'], { cwd: folder });
}

const startBareHttp2 = (folder) => {
  makeCertificate(folder);
  return start(['-e', BARE_HTTP2], folder);
};

/**
 * A general-purpose web server in C before the same bucket. Which one, the machine says: FENESTRA_SERVER_IN_C is its
 * program, which takes the directives below.
 */
async function startServerInC(folder, bucketPort) {
  const program = process.env.FENESTRA_SERVER_IN_C;
  if (program === undefined) return undefined;
  const port = 20_000 + (process.pid % 20_000);
  writeFileSync(
    join(folder, 'front.conf'),
    `${process.getuid?.() === 0 ? 'user root; ' : ''}worker_processes 1; daemon off; pid ${folder}/front.pid; error_log /dev/null;
events { worker_connections 1024; }
http { access_log off; proxy_cache_path ${folder}/front-cache keys_zone=kept:10m;
  server { listen 127.0.0.1:${port} ssl http2; keepalive_requests 100000000;
    ssl_certificate ${folder}/cert.pem; ssl_certificate_key ${folder}/key.pem;
    location / { proxy_pass http://127.0.0.1:${bucketPort}; proxy_set_header Host bench.localhost; proxy_cache kept; } } }`,
  );
  const child = spawn(program, ['-c', join(folder, 'front.conf')], { stdio: 'ignore' });
  for (let tries = 0; tries < 100; tries++) {
    const socket = connect(port, '127.0.0.1');
    const isThere = await new Promise((done) => {
      socket.once('connect', () => done(true)).once('error', () => done(false));
    });
    socket.destroy();
    if (isThere) return { child, port };
    await new Promise((done) => setTimeout(done, 50));
  }
  child.kill();
  return undefined;
}

async function start(args, cwd) {
  const child = spawn(process.execPath, args, {
    cwd,
    stdio: ['ignore', 'pipe', 'inherit'],
    env: { ...process.env, NODE_EXTRA_CA_CERTS: undefined },
  });
  let out = '';
  while (!/127\.0\.0\.1:(\d+)/.test(out)) out += (await once(child.stdout, 'data'))[0];
  child.stdout.resume();
  return { child, port: Number(/127\.0\.0\.1:(\d+)/.exec(out)[1]) };
}

export const startServing = (home, ...words) =>
  start([PROGRAM, 'serve', '--port', '0', '--quiet', ...words], home);
const serve = startServing;

/** With its log in a file, as `fenestra serve > log` has it. */
const serveLogged = async (home) => {
  const log = join(scratch, 'serve.log');
  const child = spawn(process.execPath, [PROGRAM, 'serve', '--port', '0'], {
    cwd: home,
    stdio: ['ignore', openSync(log, 'w'), 'inherit'],
    env: { ...process.env, NODE_EXTRA_CA_CERTS: undefined },
  });
  for (;;) {
    const port = /127\.0\.0\.1:(\d+)/.exec(readFileSync(log, 'utf8'))?.[1];
    if (port) return { child, port: Number(port) };
    await new Promise((done) => setTimeout(done, 50));
  }
};

/** Requests a second that a server answers; throws when any answer was not a success. */
function load(port, paths, seconds = 3) {
  const script = join(scratch, 'paths.lua');
  writeFileSync(
    script,
    `local paths = {${paths.map((path) => `"${path}"`).join(',')}}\nlocal n = 0\nrequest = function() n = n + 1; return wrk.format("GET", paths[n % #paths + 1]) end\n`,
  );
  const { stdout } = spawnSync(
    'wrk',
    [
      '-t1',
      '-c32',
      `-d${seconds}s`,
      '-H',
      'Host: bench.localhost',
      '-s',
      script,
      `http://127.0.0.1:${port}/`,
    ],
    { encoding: 'utf8' },
  );
  if (/Non-2xx/.test(stdout)) throw new Error(stdout);
  return Number(/Requests\/sec:\s+([\d.]+)/.exec(stdout)[1]);
}

const filler = (n) => `${n} `.padEnd(4096, 'abcdefghijklmnopqrstuvwxyz');

async function publishSmall(project, name, objects) {
  const site = join(scratch, `${name}-site`);
  mkdirSync(site);
  for (let n = 0; n < objects; n++) {
    if (n % 1000 === 0) mkdirSync(join(site, `d${n / 1000}`));
    writeFileSync(join(site, `d${Math.floor(n / 1000)}`, `o${n}.txt`), filler(n));
  }
  writeFileSync(join(site, 'index.html'), filler('index'));
  const home = project(name, site);
  fenestra(home, 'publish', '--yes');
  fenestra(home, 'access', 'open', '--sure', 'bench');
  return home;
}

export const serving = ({ report, ratio, project }) => ({
  async serve() {
    const home = await publishSmall(project, 'small', 100);
    const ours = await serve(home);
    const logged = await serveLogged(home);
    const bare = await start(['-e', BARE], scratch);
    load(ours.port, ['/d0/o7.txt'], 1);
    load(logged.port, ['/d0/o7.txt'], 1);
    load(bare.port, ['/'], 1);
    // Many short turns: what else the machine does then falls on both sides alike.
    const rounds = Array.from({ length: 15 }, () => [
      load(ours.port, ['/d0/o7.txt'], 1),
      load(bare.port, ['/'], 1),
      load(logged.port, ['/d0/o7.txt'], 1),
    ]);
    for (const [what, at, least] of [
      ['with its log in a file', 2, 0.7],
      ['with `--quiet`', 0, 0.85],
    ]) {
      const held = median(rounds.map((each) => each[at] / each[1]));
      report(
        `\`serve\`, 4 KiB object, ${what}`,
        `at least ${least} × a bare \`node:http\` server`,
        ratio(held),
        held >= least,
        `${median(rounds.map((each) => each[at])).toFixed(0)} beside ${median(rounds.map((each) => each[1])).toFixed(0)} requests a second`,
      );
    }
    logged.child.kill();

    const crowded = await serve(home, '--connections', '4000');
    const crowd = async () => {
      const idle = [];
      for (let n = 0; n < 1000; n++) {
        const socket = connect(crowded.port, '127.0.0.1');
        socket.on('error', () => undefined);
        socket.write('GET /d0/o7.txt HTTP/1.1\r\nHost: bench.localhost\r\n\r\n');
        idle.push(socket);
      }
      await new Promise((done) => setTimeout(done, 500));
      return idle;
    };
    const pairs = [];
    const rate = () => load(crowded.port, ['/d0/o7.txt'], 3);
    for (let round = 0; round < 6; round++) {
      // First and second in turn, so that neither side always has the warmer or the busier machine.
      const first = round % 2 ? await crowd() : [];
      const one = rate();
      for (const socket of first) socket.destroy();
      await new Promise((done) => setTimeout(done, 500));
      const second = round % 2 ? [] : await crowd();
      const two = rate();
      for (const socket of second) socket.destroy();
      await new Promise((done) => setTimeout(done, 500));
      pairs.push(round % 2 ? [one, two] : [two, one]);
    }
    const slowed = median(pairs.map(([a, b]) => a / b));
    report(
      'the same beside 1,000 idle connections',
      'at least 0.9 × without them',
      ratio(slowed),
      slowed >= 0.9,
      '',
    );
    ours.child.kill();
    crowded.child.kill();
    bare.child.kill();
  },
  /** A hit of the front over HTTP/2, beside the bucket over plain HTTP/1.1. */
  async front() {
    if (spawnSync('h2load', ['--version']).status !== 0)
      return console.log('left out: no h2load is installed (Debian: nghttp2-client)');
    const home = await publishSmall(project, 'fronted', 10);
    const plain = await serve(home);
    const child = spawn(
      process.execPath,
      [PROGRAM, 'serve', '--port', '0', '--quiet', '--front', '--front-port', '0', '--front-plain-port', '0'],
      { cwd: home, stdio: ['ignore', 'pipe', 'inherit'], env: { ...process.env, XDG_DATA_HOME: scratch } },
    );
    let out = '';
    while (!/https:\/\/bench\.localhost:\d+/.test(out)) out += (await once(child.stdout, 'data'))[0];
    child.stdout.resume();
    const address = /https:\/\/bench\.localhost:(\d+)/.exec(out)[1];
    const bareHttp2 = await startBareHttp2(scratch);
    const inC = await startServerInC(scratch, plain.port);
    const secure = (seconds = 1, at = address) => {
      const { stdout } = spawnSync(
        'h2load',
        [
          '-c16',
          '-m10',
          '-t1',
          `-D${seconds}`,
          `--connect-to=127.0.0.1:${at}`,
          `https://bench.localhost:${at}/d0/o7.txt`,
        ],
        { encoding: 'utf8' },
      );
      const [, done = 0, , failed = 1] =
        /requests: \d+ total, \d+ started, (\d+) done, (\d+) succeeded, (\d+) failed/.exec(stdout) ?? [];
      if (Number(failed) > 0 || Number(done) === 0) throw new Error(stdout);
      return Number(/, ([\d.]{1,20}) req\/s/.exec(stdout)[1]);
    };
    secure();
    load(plain.port, ['/d0/o7.txt'], 1);
    const rounds = Array.from({ length: 9 }, () => [secure(), load(plain.port, ['/d0/o7.txt'], 1)]);
    const held = median(rounds.map(([own, other]) => own / other));
    report(
      '`serve --front`, 4 KiB from its cache, HTTP/2 over TLS, 16 connections of 10 streams',
      'at least 0.5 × `serve` without it',
      ratio(held),
      held >= 0.5,
      `${median(rounds.map(([own]) => own)).toFixed(0)} beside ${median(rounds.map(([, other]) => other)).toFixed(0)} requests a second`,
    );
    const others = Array.from({ length: 9 }, () =>
      [address, bareHttp2.port, inC?.port].map((at) => (at === undefined ? NaN : secure(1, at))),
    );
    const beside = (at) => median(others.map((rates) => rates[0] / rates[at]));
    report(
      'the same beside a handler of node:http2 that sends one constant buffer',
      'at least 0.85 ×',
      ratio(beside(1)),
      beside(1) >= 0.85,
      `${median(others.map(([, rate]) => rate)).toFixed(0)} requests a second`,
    );
    if (inC)
      report(
        'the same beside a general-purpose web server in C with its cache on, one process',
        'at least 0.4 ×',
        ratio(beside(2)),
        beside(2) >= 0.4,
        `${median(others.map(([, , rate]) => rate)).toFixed(0)} requests a second`,
      );
    else console.log('left out: FENESTRA_SERVER_IN_C names no web server in C');
    inC?.child.kill();
    bareHttp2.child.kill();
    child.kill();
    plain.child.kill();
  },
  async manyObjects() {
    const few = await serve(await publishSmall(project, 'few', 100));
    const many = await serve(await publishSmall(project, 'many', 100_000));
    const paths = (count) =>
      Array.from({ length: 100 }, (_, n) => Math.floor((n * count) / 100)).map(
        (n) => `/d${Math.floor(n / 1000)}/o${n}.txt`,
      );
    load(few.port, paths(100), 1);
    load(many.port, paths(100_000), 1);
    const rounds = Array.from(
      { length: 5 },
      () => load(many.port, paths(100_000)) / load(few.port, paths(100)),
    );
    report(
      'a request to a bucket of 100,000 objects',
      'at least 0.9 × the rate of one of 100',
      ratio(median(rounds)),
      median(rounds) >= 0.9,
      '100 different objects in turn',
    );
    few.child.kill();
    many.child.kill();
  },
  async large() {
    const site = join(scratch, 'large-site');
    mkdirSync(site);
    writeFileSync(join(site, 'index.html'), 'index');
    const file = createWriteStream(join(site, 'film.mp4'));
    const piece = Buffer.alloc(16 * 2 ** 20, 'tide');
    for (let n = 0; n < 128; n++)
      if (!file.write(Buffer.concat([Buffer.from(String(n)), piece.subarray(3)]))) await once(file, 'drain');
    await new Promise((done) => file.end(done));
    const home = project('large', site);
    const publishing = measure(home, 'publish', '--yes').peak;
    report(
      'publishing one object of 2 GiB, peak memory',
      'under 200 MiB',
      `${publishing.toFixed(0)} MiB`,
      publishing < 200,
      '',
    );
    fenestra(home, 'access', 'open', '--sure', 'bench');
    const { child, port } = await serve(home);
    let peak = 0;
    const timer = setInterval(() => {
      peak = Math.max(
        peak,
        Number(/RssAnon:\s+(\d+)/.exec(readFileSync(`/proc/${child.pid}/status`, 'utf8'))[1]) / 1024,
      );
    }, 20);
    const fetch = spawn('curl', [
      '-s',
      '-o',
      '/dev/null',
      '-w',
      '%{size_download}',
      '-H',
      'Host: bench.localhost',
      `http://127.0.0.1:${port}/film.mp4`,
    ]);
    let size = '';
    fetch.stdout.on('data', (chunk) => (size += chunk));
    await once(fetch, 'close');
    clearInterval(timer);
    if (Number(size) < 2 * 2 ** 30 - 1000) throw new Error(`only ${size} bytes came`);
    report('serving it, peak memory', 'under 200 MiB', `${peak.toFixed(0)} MiB`, peak < 200, '');
    child.kill();
  },
});
