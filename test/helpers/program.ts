import { spawn, type ChildProcess } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { execa } from 'execa';
import { afterAll, expect } from 'vitest';

const PROGRAM = resolve('dist/fenestra.js');
const IN_PROCESS = pathToFileURL(resolve('dist/in-process.js')).href;
/** With further authorities to read Node.js starts two to three times as slowly, and nothing here needs them. */
const PLAIN_START = { NODE_EXTRA_CA_CERTS: undefined };
const environment = (columns: number) => ({ NO_COLOR: '1', COLUMNS: String(columns) });
export const DEMO = resolve('demo/wendle-mill');

const folders: string[] = [];
afterAll(() => {
  for (const folder of folders.splice(0)) rmSync(folder, { recursive: true, force: true });
});

/** A temporary folder with some files in it, removed after the file's tests. */
export function makeFolder(files: Readonly<Record<string, string | Buffer>> = {}): string {
  const folder = mkdtempSync(join(tmpdir(), 'fenestra-test-'));
  folders.push(folder);
  writeFiles(folder, files);
  return folder;
}

export function writeFiles(folder: string, files: Readonly<Record<string, string | Buffer>>): void {
  for (const [name, content] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), content);
  }
}

export const CONFIG =
  'site: site\ndestinations:\n  rehearsal: { store: here, bucket: test-mill }\ndocuments: { index: index.html, error: not-found.html }\n';
export const PAGE =
  '<!doctype html><html lang="en"><meta charset="utf-8"><title>Mill</title><h1>Mill</h1></html>\n';

/** An error document: it says what has happened and leads back. */
export const ERROR_PAGE = PAGE.replace('</html>', '<p>Nothing here. <a href="/">Home</a></p></html>');

/** A project with a config and a few pages, and whatever else is given. */
export const makeProject = (files: Readonly<Record<string, string | Buffer>> = {}, config = CONFIG): string =>
  makeFolder({
    'fenestra.yaml': config,
    'site/index.html': PAGE,
    'site/not-found.html': ERROR_PAGE,
    ...files,
  });

export interface Outcome {
  readonly code: number;
  readonly out: string;
  readonly err: string;
}

/** So many starts of a file of tests are processes of their own; what comes then runs in this one, which takes a tenth. */
const REAL_STARTS = 5;
let starts = 0;
let isRunning = false;

/** Runs the built program as a user without a terminal does. */
export const fenestra = (cwd: string, ...words: string[]): Promise<Outcome> => run(cwd, words);

/** @param columns of the terminal that is made believe */
export function run(cwd: string, words: readonly string[], columns = 140): Promise<Outcome> {
  const isForEntry = words[0] === undefined || /^-|^help$/.test(words[0]);
  // What runs beside another run is another process.
  if (++starts <= REAL_STARTS || isRunning || isForEntry) return runAlone(cwd, words, columns);
  return runHere(cwd, words, columns);
}

async function runHere(cwd: string, words: readonly string[], columns: number): Promise<Outcome> {
  isRunning = true;
  const { runInProcess } = (await import(IN_PROCESS)) as {
    runInProcess(words: readonly string[]): Promise<number>;
  };
  const [from, env] = [process.cwd(), { ...process.env }];
  const [out, err] = [capture(process.stdout), capture(process.stderr)];
  // Help is written to the console, past the terminal.
  const { log } = console;
  console.log = (...all: unknown[]) => void process.stdout.write(`${all.join(' ')}\n`);
  try {
    process.chdir(cwd);
    Object.assign(process.env, environment(columns));
    const code = await runInProcess(words);
    return { code, out: out.end(), err: err.end() };
  } finally {
    out.end();
    err.end();
    console.log = log;
    process.chdir(from);
    for (const name of Object.keys(environment(columns)))
      if (env[name] === undefined) Reflect.deleteProperty(process.env, name);
      else process.env[name] = env[name];
    isRunning = false;
  }
}

/** Takes what is written, until its end, which gives it without its last line break. */
function capture(stream: NodeJS.WriteStream): { end(): string } {
  let text = '';
  const { write } = stream;
  stream.write = ((chunk: string | Uint8Array) => {
    text += typeof chunk === 'string' ? chunk : Buffer.from(chunk).toString();
    return true;
  }) as typeof stream.write;
  return {
    end: () => {
      stream.write = write;
      return text.replace(/\n$/, '');
    },
  };
}

/** The same in a process of its own, however many there were. */
export const fenestraAlone = (cwd: string, ...words: string[]): Promise<Outcome> => runAlone(cwd, words);

async function runAlone(cwd: string, words: readonly string[], columns = 140): Promise<Outcome> {
  const { exitCode, stdout, stderr } = await execa(process.execPath, [PROGRAM, ...words], {
    cwd,
    reject: false,
    stdin: 'ignore',
    env: { ...environment(columns), ...PLAIN_START },
  });
  return { code: exitCode ?? -1, out: stdout, err: stderr };
}

/** Runs the program as if it were later. @param seconds by how much */
export async function fenestraLater(cwd: string, seconds: number, ...words: string[]): Promise<Outcome> {
  const shift = `const then = Date; globalThis.Date = class extends then {
    constructor(...given) { given.length === 0 ? super(then.now() + ${seconds * 1000}) : super(...given); }
    static now() { return then.now() + ${seconds * 1000}; }
  };`;
  const { exitCode, stdout, stderr } = await execa(
    process.execPath,
    ['--import', `data:text/javascript,${encodeURIComponent(shift)}`, PROGRAM, ...words],
    { cwd, reject: false, stdin: 'ignore', env: { ...environment(140), ...PLAIN_START } },
  );
  return { code: exitCode ?? -1, out: stdout, err: stderr };
}

/** Runs the program, expects exit code 0, and returns its one JSON document. */
export async function fenestraJson<T = Record<string, unknown>>(cwd: string, ...words: string[]): Promise<T> {
  const { code, out, err } = await fenestra(cwd, ...words, '--json');
  expect({ code, err }).toEqual({ code: 0, err: '' });
  return JSON.parse(out) as T;
}

export interface Serving {
  readonly port: number;
  readonly process: ChildProcess;
  /** What it has printed so far, without the announcement. */
  log(): string;
  /** Sends a signal and waits for the end. @returns the exit code */
  stop(signal?: NodeJS.Signals): Promise<number | null>;
}

/** Starts `fenestra serve` on a free port and waits until it listens. */
export async function serve(cwd: string, ...words: string[]): Promise<Serving> {
  const child = spawn(process.execPath, [PROGRAM, 'serve', '--port', '0', ...words], {
    cwd,
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { ...process.env, NO_COLOR: '1', ...PLAIN_START },
  });
  let out = '';
  let err = '';
  child.stderr.on('data', (chunk: Buffer) => (err += chunk.toString()));
  const ended = new Promise<number | null>((done) => child.once('exit', (code) => done(code)));
  const port = await new Promise<number>((found, failed) => {
    child.stdout.on('data', (chunk: Buffer) => {
      out += chunk.toString();
      const match = /(?:127\.0\.0\.1|\[::1\]):(\d+)/.exec(out);
      if (match) found(Number(match[1]));
    });
    child.once('exit', (code) => failed(new Error(`serve ended with ${code}: ${err}`)));
  });
  return {
    port,
    process: child,
    log: () => out + err,
    stop: (signal = 'SIGTERM') => {
      child.kill(signal);
      return ended;
    },
  };
}

/** Runs any program in a folder. @returns its exit code, and all that it printed, without colours */
export async function runIn(
  folder: string,
  command: string,
  ...words: readonly string[]
): Promise<{ readonly code: number; readonly text: string }> {
  const { exitCode, all } = await execa(command, words, {
    cwd: folder,
    all: true,
    reject: false,
    env: { NO_COLOR: '1', FORCE_COLOR: undefined },
  });
  return { code: exitCode ?? -1, text: all };
}
