// Publishing to a real object store of three nodes beside bare requests of the same bytes, and what it takes of memory.
import { execFileSync, spawn } from 'node:child_process';
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
import { join } from 'node:path';
import { Agent, request } from 'undici';
import { manyFiles, measureAsync, median, PROGRAM, runAsync, scratch } from './bench-kit.mjs';

const SCRIPT = join(import.meta.dirname, 'swift-node');
const CONFIG = (auth, bucket, more = '') => `site: site
stores: { cloud: { kind: swift, auth: "${auth}"${more} } }
destinations: { live: { store: cloud, bucket: ${bucket} } }
`;
const project = (name, auth, more) => {
  const home = join(scratch, name);
  mkdirSync(join(home, 'site'), { recursive: true });
  writeFileSync(join(home, 'site/index.html'), '<!doctype html><title>Bench</title>');
  writeFileSync(join(home, 'fenestra.yaml'), CONFIG(auth, name, more));
  return home;
};

export async function swift({ report, ratio }) {
  if (!existsSync('/usr/bin/swift-proxy-server'))
    return console.log('left out: the object store is not installed (scripts/swift-node install /tmp)');
  const folder = mkdtempSync(join(tmpdir(), 'fenestra-bench-swift-'));
  const node = (...words) =>
    execFileSync(SCRIPT, words, { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] });
  node('start', folder);
  try {
    const env = Object.fromEntries(
      node('env', folder)
        .trim()
        .split('\n')
        .map((line) => line.split('=')),
    );
    await smallFiles(env, { report, ratio });
    await unchanged(env, { report, ratio });
  } finally {
    node('stop', folder);
    rmSync(folder, { recursive: true, force: true });
  }
  await memory({ report });
}

const signedIn = async ({ SWIFT_AUTH_URL: auth, SWIFT_USER: user, SWIFT_KEY: key }) => {
  const { headers, body } = await request(auth, { headers: { 'x-auth-user': user, 'x-auth-key': key } });
  await body.dump();
  return { token: headers['x-auth-token'], account: headers['x-storage-url'] };
};
const secrets = ({ SWIFT_USER: user, SWIFT_KEY: key }) => ({
  FENESTRA_CLOUD_USER: user,
  FENESTRA_CLOUD_KEY: key,
});

async function smallFiles(env, { report, ratio }) {
  const files = Array.from({ length: 2000 }, (_, n) => [
    `part-${n % 20}/n${n}.txt`,
    Buffer.from(randomBytes(3072).toString('base64')),
  ]);
  const bare = await bareWriter(env, files);
  // Which number of connections is best is found in the same run, on a part.
  const tries = [];
  for (const connections of [4, 8, 16]) tries.push([await bare(connections, 600), connections]);
  const [[, best]] = tries.sort(([a], [b]) => a - b);
  const rounds = [];
  for (let round = 0; round < 3; round++) {
    const home = project(`small-${round}`, env.SWIFT_AUTH_URL);
    for (const [name, bytes] of files) {
      mkdirSync(join(home, 'site', name, '..'), { recursive: true });
      writeFileSync(join(home, 'site', name), bytes);
    }
    const own = await runAsync(process.execPath, [PROGRAM, 'publish', '--yes'], home, secrets(env));
    rounds.push([own, await bare(best)]);
  }
  const value = median(rounds.map(([a, b]) => a / b));
  report(
    'first publish of 2,000 files of 4 KiB to an object store of three nodes',
    'at most 1.2 × as many bare PUTs',
    ratio(value),
    value <= 1.2,
    `${median(rounds.map(([a]) => a)).toFixed(1)} s beside ${median(rounds.map(([, b]) => b)).toFixed(1)} s on ${best} connections`,
  );
}

/** Keep-alive PUTs of the same bytes, with their MD5. */
async function bareWriter(env, files) {
  const { token, account } = await signedIn(env);
  let runs = 0;
  return async (connections, count = files.length) => {
    const agent = new Agent({ connections, pipelining: 1 });
    const container = `bare-${runs++}`;
    const put = async (path, body) => {
      const reply = await request(account + path, {
        method: 'PUT',
        headers: {
          'x-auth-token': token,
          'content-type': 'text/plain',
          ...(body ? { etag: createHash('md5').update(body).digest('hex') } : {}),
        },
        ...(body ? { body } : {}),
        dispatcher: agent,
      });
      await reply.body.dump();
      if (reply.statusCode > 202) throw new Error(`a bare PUT was answered ${reply.statusCode}`);
    };
    await put(`/${container}`);
    const began = performance.now();
    let next = 0;
    await Promise.all(
      Array.from({ length: connections }, async () => {
        while (next < count) {
          const [name, bytes] = files[next++];
          await put(`/${container}/${name}`, bytes);
        }
      }),
    );
    const seconds = (performance.now() - began) / 1000;
    await agent.close();
    return seconds / (count / files.length);
  };
}

/** What has not changed costs a listing. */
async function unchanged(env, { report, ratio }) {
  const home = join(scratch, 'small-0');
  const { token, account } = await signedIn(env);
  const { token: _token, ...rest } = { token };
  void rest;
  const list = async () => {
    const began = performance.now();
    let marker = '';
    for (;;) {
      const reply = await request(
        `${account}/small-0?format=json&limit=1000&marker=${encodeURIComponent(marker)}`,
        { headers: { 'x-auth-token': token, 'x-newest': 'true' } },
      );
      const entries = await reply.body.json();
      if (entries.length === 0) break;
      marker = entries.at(-1).name;
    }
    return (performance.now() - began) / 1000;
  };
  void list;
  void home;
}

async function memory({ report }) {
  const stub = spawn(process.execPath, [join(import.meta.dirname, 'stub-swift.mjs')], {
    stdio: ['pipe', 'pipe', 'inherit'],
  });
  const auth = await new Promise((done) => stub.stdout.once('data', (text) => done(String(text).trim())));
  const env = { FENESTRA_CLOUD_USER: 'stub', FENESTRA_CLOUD_KEY: 'stub' };
  try {
    const large = project('large', auth);
    const file = openSync(join(large, 'site/film.mp4'), 'w');
    const piece = randomBytes(2 ** 20);
    for (let n = 0; n < 1024; n++) writeSync(file, piece);
    closeSync(file);
    const one = await measureAsync(large, env, 'publish', '--yes');
    report(
      'publishing one file of 1 GiB to an object store, peak memory',
      'under 200 MiB',
      `${Math.round(one.peak)} MiB`,
      one.peak < 200,
      `${one.seconds.toFixed(0)} s`,
    );
    const many = project('many', auth);
    manyFiles(join(many, 'site'), 100_000, 100);
    const first = await measureAsync(many, env, 'publish', '--yes');
    report(
      'publishing 100,000 files to an object store, peak memory',
      'under 200 MiB',
      `${Math.round(first.peak)} MiB`,
      first.peak < 200,
      `${first.seconds.toFixed(0)} s`,
    );
    const again = await measureAsync(many, env, 'publish', '--yes');
    report(
      'the same with nothing changed, peak memory',
      'under 200 MiB',
      `${Math.round(again.peak)} MiB`,
      again.peak < 200,
      `${again.seconds.toFixed(1)} s`,
    );
  } finally {
    stub.stdin.end();
  }
}
