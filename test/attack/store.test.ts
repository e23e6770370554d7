/** Every file of a store is damaged in many places: what is said is true, or that it is damaged is said. */
import { spawn, type ChildProcessByStdio } from 'node:child_process';
import { createHash } from 'node:crypto';
import { cpSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline';
import type { Readable, Writable } from 'node:stream';
import { build } from 'esbuild';
import { expect, it } from 'vitest';
import { SEED } from '../helpers/chance.js';
import { fenestraJson, makeFolder, makeProject, writeFiles } from '../helpers/program.js';
import { Attack } from './attack-kit.js';

interface Said {
  readonly code?: string;
  readonly message?: string;
  readonly state?: string;
  readonly bodies?: readonly string[];
}

it(`damaged stores do no harm (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async () => {
  const attack = new Attack('damaged stores', 24);
  const whole = await makeStore();
  const scratch = makeFolder();
  const reader = new Reader(await buildReader());
  const good = await reader.read(fresh(whole, scratch));
  expect(good).toMatchObject({ bodies: [] });
  const files = readdirSync(whole, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name).slice(whole.length + 1));
  // The database is most of what can be harmed; the others are small.
  const targets = [...files, ...Array.from({ length: files.length }, () => 'rows.lmdb')];
  for (let round = 0; round < attack.rounds; round++) {
    const store = fresh(whole, scratch);
    const name = attack.pick(targets);
    const how = damage(join(store, name), attack);
    const said = await reader.read(store);
    const where = `${how} in ${name}: ${JSON.stringify(said).slice(0, 400)}`;
    if (said.code === 'ABORT' || said.code === 'DEFECT') attack.harm(where);
    else if (said.code !== undefined) attack.note(`said: ${said.code}`);
    else if (said.state !== good.state) attack.harm(`another state; ${where}`);
    else if (said.bodies?.some((body) => body.startsWith('WRONG'))) attack.harm(`wrong bytes; ${where}`);
    else attack.note(said.bodies?.length === 0 ? 'nothing was hurt' : 'said: BODY_DAMAGED');
  }
  reader.end();
  attack.finish();
});

async function makeStore(): Promise<string> {
  const noise = (name: string, length: number): Buffer =>
    createHash('shake256', { outputLength: length }).update(name).digest();
  const home = makeProject({
    'site/film.bin': noise('film', 700_000),
    ...Object.fromEntries(
      Array.from({ length: 90 }, (_, n) => [`site/d${n % 7}/page-${n}.html`, `page ${n}`]),
    ),
  });
  await fenestraJson(home, 'publish', '--yes');
  for (let release = 2; release < 5; release++) {
    const text = Object.fromEntries(
      Array.from({ length: 20 }, (_, n) => [
        `site/d${n % 7}/page-${n * release}.html`,
        `page ${n} of ${release}`,
      ]),
    );
    writeFiles(home, { ...text, 'site/film.bin': noise(`film ${release}`, 600_000) });
    await fenestraJson(home, 'publish', '--yes');
  }
  await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
  return join(home, '.fenestra/store');
}

function fresh(whole: string, scratch: string): string {
  const store = join(scratch, 'store');
  rmSync(store, { recursive: true, force: true });
  cpSync(whole, store, { recursive: true, preserveTimestamps: true });
  return store;
}

/** @returns what was done */
function damage(path: string, attack: Attack): string {
  const bytes = readFileSync(path);
  const at = attack.below(Math.max(1, bytes.length));
  const length = Math.min(bytes.length - at, 1 + attack.below(5000));
  const kinds: readonly (readonly [string, () => Buffer | undefined])[] = [
    ['a turned bit', () => flip(bytes, at, attack)],
    ['a turned bit', () => flip(bytes, at, attack)],
    ['a turned bit', () => flip(bytes, at, attack)],
    [
      'zeroes',
      () => Buffer.concat([bytes.subarray(0, at), Buffer.alloc(length), bytes.subarray(at + length)]),
    ],
    ['a cut', () => bytes.subarray(0, at)],
    ['a hole', () => Buffer.concat([bytes.subarray(0, at), bytes.subarray(at + length)])],
    ['a part twice', () => Buffer.concat([bytes.subarray(0, at + length), bytes.subarray(at)])],
    ['nothing left', () => Buffer.alloc(0)],
    ['gone', () => undefined],
  ];
  const [what, make] = attack.pick(kinds);
  const harmed = make();
  if (harmed) writeFileSync(path, harmed);
  else rmSync(path);
  return `${what} at ${at} of ${bytes.length}`;
}

function flip(bytes: Buffer, at: number, attack: Attack): Buffer {
  const turned = Buffer.from(bytes);
  if (turned.length > 0) turned[at] = (turned[at] ?? 0) ^ (1 << attack.below(8));
  return turned;
}

async function buildReader(): Promise<string> {
  const folder = resolve('node_modules/.cache/fenestra-attack');
  mkdirSync(folder, { recursive: true });
  const outfile = join(folder, 'store-reader.mjs');
  await build({
    entryPoints: ['test/attack/store-reader.ts'],
    bundle: true,
    platform: 'node',
    format: 'esm',
    outfile,
    external: ['lmdb', 'msgpackr', 'ordered-binary', 'mime-types'],
    banner: { js: 'const require = (id) => process.getBuiltinModule(id);' },
  });
  expect(statSync(outfile).size).toBeGreaterThan(0);
  return outfile;
}

/** Reads stores in another process, which a damaged one may end. */
class Reader {
  readonly #script: string;
  #child: ChildProcessByStdio<Writable, Readable, null> | undefined;
  #lines: AsyncIterator<string> | undefined;

  constructor(script: string) {
    this.#script = script;
  }

  async read(store: string): Promise<Said> {
    if (!this.#child || !this.#lines) {
      this.#child = spawn(process.execPath, [this.#script], { stdio: ['pipe', 'pipe', 'ignore'] });
      this.#lines = createInterface({ input: this.#child.stdout })[Symbol.asyncIterator]();
    }
    this.#child.stdin.write(`${store}\n`);
    const line = await this.#lines.next();
    if (line.done !== true) return JSON.parse(line.value) as Said;
    this.#child = undefined;
    return { code: 'ABORT' };
  }

  end(): void {
    this.#child?.kill();
  }
}
