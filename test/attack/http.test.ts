/** Anything at all is sent to the emulation. No private byte, no wrong byte, no failure of its own, and it goes on. */
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { connect } from 'node:net';
import { expect, it } from 'vitest';
import { ask } from '../helpers/ask.js';
import { SEED } from '../helpers/chance.js';
import { CONFIG, fenestraJson, makeProject, serve } from '../helpers/program.js';
import { Attack, mutate } from './attack-kit.js';

const PRIVATE = 'the private words of the miller';
const TARGETS = [
  ...[
    '/',
    '/a.txt',
    '/film.bin',
    '/drafts/plan.txt',
    '/drafts/',
    '/folder',
    '/folder/',
    '/none',
    '/moved',
    '/index.html',
  ],
  ...[
    '/drafts%2fplan.txt',
    '//drafts/plan.txt',
    '/./drafts/plan.txt',
    '/a/../drafts/plan.txt',
    '/drafts/plan.txt?a=b',
  ],
  ...[
    '/drafts\\plan.txt',
    '/%64rafts/plan.txt',
    '/DRAFTS/PLAN.TXT',
    '/%00',
    '/%',
    '*',
    'http://test-mill.localhost/a.txt',
  ],
];
const HEADERS = [
  ...[
    'Range: bytes=0-99',
    'Range: bytes=-5',
    'Range: bytes=5-',
    'Range: bytes=0-0,5-9',
    'Range: bytes=,,,, x',
    'Range: lines=1-2',
  ],
  ...[
    'If-None-Match: *',
    'If-None-Match: "a", W/"b"',
    'If-Match: "a"',
    'If-Modified-Since: Sun, 06 Nov 1994 08:49:37 GMT',
  ],
  ...[
    'If-Range: "a"',
    'Transfer-Encoding: chunked',
    'Content-Length: 5',
    'Content-Length: -1',
    'Expect: 100-continue',
  ],
  ...[
    'Connection: close',
    'Connection: Upgrade',
    'Upgrade: websocket',
    'Accept-Encoding: gzip',
    'Host: other.localhost',
  ],
  ...[
    'Host: ',
    'X: \u00e9',
    `X-Long: ${'x'.repeat(3000)}`,
    'Cookie: a=b',
    'TE: trailers',
    ': no name',
    'no colon',
  ],
];
const STRANGE = [
  '\r\n',
  '\r\n\r\n',
  '\n',
  '\0',
  '%',
  '..',
  '/',
  '\\',
  ' ',
  ':',
  '\u00ff',
  '0\r\n\r\n',
  'HTTP/1.1',
  'GET ',
];

it(`raw requests do no harm (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async () => {
  const attack = new Attack('raw HTTP', 250);
  const home = makeProject(
    {
      'site/a.txt': 'a text of the mill',
      'site/film.bin': createHash('shake256', { outputLength: 400_000 }).update('film').digest(),
      'site/drafts/plan.txt': PRIVATE,
      'site/folder/index.html': 'folder',
    },
    `${CONFIG}readable: { keys: ["**"], except: ["drafts/**"] }\nmoved: { permanently: { /moved: /a.txt } }\n`,
  );
  await fenestraJson(home, 'publish', '--yes');
  await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
  const server = await serve(home, '--quiet');
  const { pid } = server.process;
  const openFiles = (): number => readdirSync(`/proc/${pid}/fd`).length;
  const before = openFiles();
  const [mostFiles, mostMemory, longest] = [[0], [0], [0]];
  const one = async (): Promise<void> => {
    const requests = Array.from({ length: 1 + (attack.below(4) === 0 ? attack.below(5) : 0) }, () =>
      request(attack),
    );
    const plain = Buffer.from(requests.join(''), 'latin1');
    const sent = attack.below(2) === 0 ? plain : mutate(plain, attack, STRANGE);
    const began = performance.now();
    const got = await send(server.port, sent);
    longest[0] = Math.max(longest[0] ?? 0, performance.now() - began);
    const text = got.toString('latin1');
    const status = /^HTTP\/1\.1 (\d{3})/.exec(text)?.[1];
    attack.note(status ?? (got.length === 0 ? 'no answer' : 'no status'));
    const harm = (what: string): void => attack.harm(`${what}: ${JSON.stringify(sent.toString('latin1'))}`);
    if (text.includes(PRIVATE)) harm('private bytes');
    if (status !== undefined && status >= '500') harm(`a ${status}`);
    if (status === '200' && sent.subarray(0, 4).toString() === 'GET ') assertWhole(got, harm);
  };
  const workers = Array.from({ length: 16 }, async (_, worker) => {
    for (let round = worker; round < attack.rounds; round += 16) {
      await one();
      if (round % 160 !== 0) continue;
      mostFiles[0] = Math.max(mostFiles[0] ?? 0, openFiles());
      mostMemory[0] = Math.max(mostMemory[0] ?? 0, memoryOf(pid));
    }
  });
  await Promise.all(workers);
  expect((await ask(server.port, '/a.txt')).body.toString()).toBe('a text of the mill');
  const told = await compareTimes(server.port, attack.rounds);
  // Whether a private key exists is not to be told by how long its refusal takes.
  if (told > 1.5 || told < 1 / 1.5) attack.harm(`a private key is refused in ${told} of the time of none`);
  if ((mostFiles[0] ?? 0) > 300) attack.harm(`${mostFiles[0]} open files`);
  if ((mostMemory[0] ?? 0) > 200) attack.harm(`${mostMemory[0]} MiB`);
  await expect.poll(openFiles, { timeout: 15_000 }).toBeLessThanOrEqual(before + 8);
  await server.stop();
  attack.finish({
    'most open files': String(mostFiles[0]),
    'most memory': `${mostMemory[0]} MiB`,
    'refusing a private key, beside a key that is not there': `${told.toFixed(2)} of the time`,
    'longest answer': `${((longest[0] ?? 0) / 1000).toFixed(1)} s`,
  });
});

function request(attack: Attack): string {
  const method = attack.pick([
    'GET',
    'GET',
    'GET',
    'HEAD',
    'POST',
    'OPTIONS',
    'PUT',
    'TRACE',
    'CONNECT',
    'get',
  ]);
  const headers = Array.from({ length: attack.below(4) }, () => attack.pick(HEADERS));
  const host = attack.below(20) === 0 ? [] : ['Host: test-mill.localhost'];
  const body = attack.below(6) === 0 ? 'hello' : '';
  return [`${method} ${attack.pick(TARGETS)} HTTP/1.1`, ...host, ...headers, '', body].join('\r\n');
}

/** Sends bytes, closes its side, and returns all that comes back. */
function send(port: number, bytes: Buffer): Promise<Buffer> {
  return new Promise((done) => {
    const pieces: Buffer[] = [];
    const socket = connect({ port, host: '127.0.0.1', allowHalfOpen: true }, () => socket.end(bytes));
    socket.setTimeout(2000, () => socket.destroy());
    socket.on('data', (piece: Buffer) => pieces.push(piece));
    socket.on('error', () => socket.destroy());
    socket.on('close', () => done(Buffer.concat(pieces)));
  });
}

/** The first answer, where it has a tag and came whole, has the bytes that the tag is of. */
function assertWhole(got: Buffer, harm: (what: string) => void): void {
  const end = got.indexOf('\r\n\r\n') + 4;
  const head = got.subarray(0, end).toString('latin1');
  const tag = /^etag: "([0-9a-f]{32})"/im.exec(head)?.[1];
  const length = Number(/^content-length: (\d+)/im.exec(head)?.[1]);
  const body = got.subarray(end, end + length);
  if (tag === undefined || body.length < length) return;
  const digest = createHash('sha256').update(body).digest('hex');
  if (!digest.startsWith(tag)) harm('other bytes than its tag is of');
}

/** How long a private key is refused, beside one that is not there: medians of requests in turn. */
async function compareTimes(port: number, rounds: number): Promise<number> {
  const times: [number[], number[]] = [[], []];
  for (let round = 0; round < Math.min(rounds, 2000); round++) {
    for (const [which, name] of ['plan', 'none'].entries()) {
      const began = performance.now();
      const { status } = await ask(port, `/drafts/${name}.txt`);
      times[which]?.push(performance.now() - began);
      expect(status).toBe(403);
    }
  }
  const [refused = 0, none = 1] = times.map((all) => all.sort((a, b) => a - b)[all.length >> 1]);
  return refused / none;
}

/** MiB of memory that are a process's own. */
const memoryOf = (pid: number | undefined): number =>
  Math.round(Number(/RssAnon:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1024);
