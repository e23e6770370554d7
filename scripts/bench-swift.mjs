// Publishing to a real object store of three nodes beside bare requests of the same bytes, and what it takes of memory.
import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import {
  closeSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  openSync,
  rmSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { Agent, request } from 'undici';
import { manyFiles, measureWith, median, scratch } from './bench-kit.mjs';

const here = import.meta.dirname;
const SCRIPT = join(here, 'swift-node');
const MANY = 100_000;

const setUp = (name, auth) => {
  const home = join(scratch, name);
  mkdirSync(join(home, 'site'), { recursive: true });
  writeFileSync(join(home, 'site/index.html'), '<!doctype html><title>Bench</title>');
  pointAt(home, name, auth);
  return home;
};
const pointAt = (home, name, auth) =>
  writeFileSync(
    join(home, 'fenestra.yaml'),
    `site: site\nstores: { cloud: { kind: swift, auth: "${auth}" } }\ndestinations: { live: { store: cloud, bucket: ${name} } }\n`,
  );

/** @param report takes a row of the table */
export async function swift(report, ratio) {
  if (!existsSync('/usr/bin/swift-proxy-server'))
    return console.log('left out: no object store is installed (scripts/swift-node install /tmp)');
  const many = await measureMemory(report);
  const folder = mkdtempSync(join(tmpdir(), 'fenestra-bench-swift-'));
  const node = (...words) =>
    execFileSync(SCRIPT, words, { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] });
  node('start', folder);
  try {
    const cluster = Object.fromEntries(
      node('env', folder)
        .trim()
        .split('\n')
        .map((line) => line.split('=')),
    );
    const session = await signIn(cluster.SWIFT_AUTH_URL, cluster.SWIFT_USER, cluster.SWIFT_KEY);
    await measureSmall(cluster, session, report, ratio);
    await measureUnchanged(cluster, session, folder, many, report, ratio);
  } finally {
    node('stop', folder);
    rmSync(folder, { recursive: true, force: true });
  }
}

async function signIn(auth, user, key) {
  const { headers, body } = await request(auth, { headers: { 'x-auth-user': user, 'x-auth-key': key } });
  await body.dump();
  const [token, account] = [headers['x-auth-token'], headers['x-storage-url']];
  const ask = async (method, path, { bytes, newest, ...more } = {}) => {
    const reply = await request(account + path, {
      method,
      headers: {
        'x-auth-token': token,
        ...(newest ? { 'x-newest': 'true' } : {}),
        ...(bytes
          ? { etag: createHash('md5').update(bytes).digest('hex'), 'content-type': 'text/plain' }
          : {}),
      },
      ...(bytes ? { body: bytes } : {}),
      ...more,
    });
    if (reply.statusCode >= 300) throw new Error(`${method} ${path} was answered ${reply.statusCode}`);
    return reply.body;
  };
  return { ask, env: { FENESTRA_CLOUD_USER: user, FENESTRA_CLOUD_KEY: key } };
}

/** Many small files, beside keep-alive PUTs of the same bytes with their MD5. */
async function measureSmall(cluster, { ask, env }, report, ratio) {
  const files = Array.from({ length: 2000 }, (_, n) => [
    `part-${n % 20}/n${n}.txt`,
    Buffer.from(randomBytes(3072).toString('base64')),
  ]);
  let runs = 0;
  const bare = async (connections, count = files.length) => {
    const dispatcher = new Agent({ connections, pipelining: 1 });
    const container = `/bare-${runs++}`;
    await (await ask('PUT', container)).dump();
    const began = performance.now();
    let next = 0;
    const work = async () => {
      while (next < count) {
        const [name, bytes] = files[next++];
        await (await ask('PUT', `${container}/${name}`, { bytes, dispatcher })).dump();
      }
    };
    await Promise.all(Array.from({ length: connections }, work));
    const seconds = (performance.now() - began) / 1000;
    await dispatcher.close();
    return (seconds * files.length) / count;
  };
  // Which number of connections is best is found in the same run, on a part.
  const tries = [];
  for (const connections of [4, 8, 16]) tries.push([await bare(connections, 500), connections]);
  const [[, best]] = tries.sort(([a], [b]) => a - b);
  const rounds = [];
  for (let round = 0; round < 3; round++) {
    const home = setUp(`small-${round}`, cluster.SWIFT_AUTH_URL);
    for (const [name, bytes] of files) {
      mkdirSync(dirname(join(home, 'site', name)), { recursive: true });
      writeFileSync(join(home, 'site', name), bytes);
    }
    const { seconds } = measureWith(env, home, 'publish', '--yes');
    rounds.push([seconds, await bare(best)]);
  }
  const value = median(rounds.map(([own, other]) => own / other));
  const [own, other] = [0, 1].map((at) => median(rounds.map((round) => round[at])));
  report(
    'first publish of 2,000 files of 4 KiB to an object store of three nodes',
    'at most 1.1 × as many bare PUTs',
    ratio(value),
    value <= 1.1,
    `${own.toFixed(1)} s beside ${other.toFixed(1)} s on ${best} connections`,
  );
}

/** The ledger of a bucket is put there, and its listing filled, without sending every object. */
async function measureUnchanged(cluster, { ask, env }, folder, { home, listed, ledger }, report, ratio) {
  for (const container of ['/many', '/many.ledger']) await (await ask('PUT', container)).dump();
  for (const [name, bytes] of ledger) await (await ask('PUT', `/many.ledger/${name}`, { bytes })).dump();
  const filled = spawnSync(
    '/usr/bin/python3',
    [join(here, 'fill-container.py'), folder, 'AUTH_test', 'many'],
    {
      input: listed
        .map(({ name, bytes, hash, last_modified: when }) => `${name}\t${bytes}\t${hash}\t${when}\n`)
        .join(''),
      encoding: 'utf8',
      maxBuffer: 1 << 28,
    },
  );
  if (filled.stdout.trim() !== '3') throw new Error(`the listings were not filled: ${filled.stderr}`);
  pointAt(home, 'many', cluster.SWIFT_AUTH_URL);
  // The newest of all copies: another listing may be a node's that was away.
  const list = async () => {
    const began = performance.now();
    for (let marker = '', count = 0; ;) {
      const entries = await (
        await ask('GET', `/many?format=json&marker=${encodeURIComponent(marker)}`, { newest: true })
      ).json();
      count += entries.length;
      if (entries.length === 0) {
        if (count < MANY) throw new Error(`only ${count} were listed`);
        return (performance.now() - began) / 1000;
      }
      marker = entries.at(-1).name;
    }
  };
  const rounds = [];
  let peak = 0;
  for (let round = 0; round < 5; round++) {
    const own = measureWith(env, home, 'publish', '--yes');
    peak = Math.max(peak, own.peak);
    rounds.push([own.seconds, await list()]);
  }
  const value = median(rounds.map(([own, other]) => own / other));
  const [own, other] = [0, 1].map((at) => median(rounds.map((round) => round[at])));
  report(
    'publish to it with nothing changed, 100,000 objects',
    'at most 1.3 × one full listing',
    ratio(value),
    value <= 1.3,
    `${own.toFixed(1)} s beside ${other.toFixed(1)} s`,
  );
  report('its peak memory', 'under 200 MiB', `${Math.round(peak)} MiB`, peak < 200, '');
}

/** Against a store that keeps only names and digests, since it is our memory that is asked for. */
async function measureMemory(report) {
  const stub = spawn(process.execPath, [join(here, 'stub-swift.mjs')], {
    stdio: ['pipe', 'pipe', 'inherit'],
  });
  const auth = await new Promise((done) => stub.stdout.once('data', (text) => done(String(text).trim())));
  const { ask, env } = await signIn(auth, 'stub', 'stub');
  try {
    const large = setUp('large', auth);
    const file = openSync(join(large, 'site/film.bin'), 'w');
    const piece = randomBytes(2 ** 20);
    for (let n = 0; n < 1024; n++) writeSync(file, piece);
    closeSync(file);
    const one = measureWith(env, large, 'publish', '--yes');
    report(
      'publishing one file of 1 GiB to an object store, peak memory',
      'under 200 MiB',
      `${Math.round(one.peak)} MiB`,
      one.peak < 200,
      `${one.seconds.toFixed(0)} s`,
    );
    const home = setUp('many', auth);
    manyFiles(join(home, 'site'), MANY, 100);
    const first = measureWith(env, home, 'publish', '--yes');
    report(
      'publishing 100,000 files to an object store, peak memory',
      'under 200 MiB',
      `${Math.round(first.peak)} MiB`,
      first.peak < 200,
      `${first.seconds.toFixed(0)} s`,
    );
    const list = async (container) => {
      const all = [];
      for (let marker = ''; ; marker = all.at(-1).name) {
        const page = await (
          await ask('GET', `/${container}?format=json&marker=${encodeURIComponent(marker)}`)
        ).json();
        if (page.length === 0) return all;
        all.push(...page);
      }
    };
    const ledger = [];
    for (const { name } of await list('many.ledger'))
      ledger.push([name, Buffer.from(await (await ask('GET', `/many.ledger/${name}`)).arrayBuffer())]);
    return { home, listed: await list('many'), ledger };
  } finally {
    stub.stdin.end();
  }
}
