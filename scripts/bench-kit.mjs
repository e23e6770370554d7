// Measuring: whole commands in turn (A B A B), the median of the ratios pair by pair, since the machine's speed drifts.
import { spawnSync } from 'node:child_process';
import {
  closeSync,
  mkdirSync,
  mkdtempSync,
  openSync,
  readFileSync,
  rmSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const env = { ...process.env };
// With it set, Node itself starts two to three times slower: it would flatter every ratio.
delete env.NODE_EXTRA_CA_CERTS;
env.NO_COLOR = '1';

export const PROGRAM = join(import.meta.dirname, '..', 'dist', 'fenestra.js');
export const scratch = mkdtempSync(join(process.env.FENESTRA_BENCH_DIR ?? tmpdir(), 'fenestra-bench-'));
process.on('exit', () => rmSync(scratch, { recursive: true, force: true }));

export function run(command, args, options = {}) {
  const began = process.hrtime.bigint();
  const { status, stderr, error } = spawnSync(command, args, {
    env,
    encoding: 'utf8',
    stdio: ['ignore', 'ignore', 'pipe'],
    maxBuffer: 1 << 28,
    ...options,
  });
  const seconds = Number(process.hrtime.bigint() - began) / 1e9;
  if (error) throw error;
  // 1 is what a check ends with that has found something.
  if (status !== 0 && !(status === 1 && args.includes('check')))
    throw new Error(`${command} ${args.join(' ')} ended with ${status}\n${stderr}`);
  return seconds;
}

export const fenestra = (cwd, ...words) => run(process.execPath, [PROGRAM, ...words], { cwd });
export const shell = (script, cwd = scratch) => run('sh', ['-c', script], { cwd });

/** Peak anonymous memory of one run in MiB, and the bytes that it wrote. */
export function measure(cwd, ...words) {
  const file = join(scratch, 'peak');
  run(process.execPath, ['--import', join(import.meta.dirname, 'peak-memory.mjs'), PROGRAM, ...words], {
    cwd,
    env: { ...env, FENESTRA_PEAK_FILE: file },
  });
  const [peak = 0, written = 0] = readFileSync(file, 'utf8').split(' ').map(Number);
  return { peak: peak / 1024, written };
}

/** The same with something more in the environment, and how long it took in seconds. */
export function measureWith(more, cwd, ...words) {
  const file = join(scratch, 'peak');
  const seconds = run(
    process.execPath,
    ['--import', join(import.meta.dirname, 'peak-memory.mjs'), PROGRAM, ...words],
    { cwd, env: { ...env, ...more, FENESTRA_PEAK_FILE: file } },
  );
  const [peak = 0] = readFileSync(file, 'utf8').split(' ').map(Number);
  return { peak: peak / 1024, seconds };
}

/** The same of a script with its arguments, and how long it took in seconds. */
export function measureScript(script, ...words) {
  const file = join(scratch, 'peak');
  const seconds = run(
    process.execPath,
    ['--import', join(import.meta.dirname, 'peak-memory.mjs'), script, ...words],
    { cwd: join(import.meta.dirname, '..'), env: { ...env, FENESTRA_PEAK_FILE: file } },
  );
  const [peak = 0] = readFileSync(file, 'utf8').split(' ').map(Number);
  return { peak: peak / 1024, seconds };
}

export const median = (list) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)];

/** Runs two pieces of work in turn and returns the medians and the median of the ratios. */
export function pair(rounds, a, b) {
  const rows = Array.from({ length: rounds }, () => {
    const one = a();
    return [one, b()];
  });
  return {
    a: median(rows.map(([x]) => x)),
    b: median(rows.map(([, y]) => y)),
    ratio: median(rows.map(([x, y]) => x / y)),
  };
}

const MAGIC = {
  png: Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]),
  jpg: Buffer.from([0xff, 0xd8, 0xff, 0xe0]),
};

/** A site of many small text files and some larger ones, in folders, the same for the same arguments. */
export function makeSite(folder, files, bytes) {
  let seed = 1794;
  const next = () => (seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0) / 2 ** 32;
  const words = Array.from({ length: 4096 }, () => Math.floor(next() * 2 ** 32).toString(36)).join(' ');
  const filler = Buffer.from(words.repeat(Math.ceil((4 * 2 ** 20) / words.length)));
  const average = bytes / files;
  const endings = ['html', 'html', 'html', 'css', 'js', 'svg', 'json', 'txt', 'png', 'jpg'];
  for (let n = 0; n < files; n++) {
    const at = join(folder, `part-${n % 97}`, `section-${n % 13}`);
    if (n < 97 * 13) mkdirSync(at, { recursive: true });
    // Long-tailed sizes, as real sites have: most are small, a few are large.
    const size = Math.max(
      64,
      Math.min(3_900_000, Math.round((average / 2.6) * Math.exp(next() * 3.4 - 1.2))),
    );
    const file = openSync(join(at, `item-${n}.${endings[n % endings.length]}`), 'w');
    const ending = endings[n % endings.length];
    if (MAGIC[ending]) writeSync(file, MAGIC[ending]);
    writeSync(file, `${n} `);
    writeSync(file, filler, Math.floor(next() * 100_000), size);
    closeSync(file);
  }
  writeFileSync(join(folder, 'index.html'), '<!doctype html><meta charset="utf-8"><title>Bench</title>');
  writeFileSync(join(folder, 'not-found.html'), '<!doctype html><meta charset="utf-8"><title>None</title>');
}

/** A site of text files of one size, five hundred in a folder. */
export function manyFiles(folder, files, bytes) {
  for (let n = 0; n < files; n++) {
    const at = join(folder, `d${Math.floor(n / 500)}`);
    if (n % 500 === 0) mkdirSync(at, { recursive: true });
    writeFileSync(join(at, `o${n}.txt`), `object ${n} `.padEnd(bytes, 'tide '));
  }
  writeFileSync(join(folder, 'index.html'), '<!doctype html><meta charset="utf-8"><title>Bench</title>');
}

export const CONFIG = (site) =>
  `site: ${site}\ndestinations:\n  rehearsal: { store: here, bucket: bench }\ndocuments: { index: index.html, error: not-found.html }\n`;

/** A script that parses every page of a folder and prints how long that took in seconds. */
export const PARSE_ALONE = `
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'parse5';
const pages = readdirSync(process.argv[2], { recursive: true }).filter((name) => name.endsWith('.html'));
const began = performance.now();
for (const page of pages) parse(readFileSync(join(process.argv[2], page), 'utf8'), { sourceCodeLocationInfo: true });
console.log((performance.now() - began) / 1000);
`;

/** Runs a Node.js program that prints JSON and may end with 1. */
export function json(cwd, ...args) {
  const { stdout, status, stderr } = spawnSync(process.execPath, args, {
    cwd,
    env,
    encoding: 'utf8',
    maxBuffer: 1 << 28,
  });
  if (status > 1) throw new Error(`${args.join(' ')} ended with ${status}\n${stderr}`);
  return JSON.parse(stdout);
}
