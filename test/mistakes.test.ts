/**
 * Every mistake of `mistakes.md` with the whole of what is said about it. FENESTRA_WRITE=1 writes what is said now, to be
 * read before it is kept.
 */
import { execFileSync } from 'node:child_process';
import { cpSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import pMap from 'p-map';
import { expect, test } from 'vitest';
import { execa } from 'execa';
import { ERROR_PAGE, makeFolder, PAGE } from './helpers/program.js';

const BOOK = resolve('test/mistakes.md');
const CONFIG = `site: site
destinations:
  rehearsal: { store: here, bucket: mill }
  live: { store: here, bucket: mill-live, domains: [www.mill.example] }
documents: { index: index.html, error: not-found.html }
`;

interface Mistake {
  /** Lines put at the end of the config. */
  readonly config: readonly string[];
  /** Commands of a shell, run before. */
  readonly before: readonly string[];
  readonly command: string;
  readonly said: string;
}

/** The parts of the book: text as it is, and mistakes. */
function parseBook(book: string): (string | Mistake)[] {
  return book.split(/^```$/m).map((part, at) => {
    if (at % 2 === 0) return part;
    const lines = part.trim().split('\n');
    const starting = (sign: string): string[] =>
      lines.filter((line) => line.startsWith(sign)).map((line) => line.slice(2));
    const [command = ''] = starting('$ ');
    const from = lines.findIndex((line) => line.startsWith('$ ')) + 1;
    return { config: starting('~ '), before: starting('! '), command, said: lines.slice(from).join('\n') };
  });
}

const printMistake = ({ config, before, command }: Mistake, said: string): string =>
  [
    '',
    ...config.map((line) => `~ ${line}`),
    ...before.map((line) => `! ${line}`),
    `$ ${command}`,
    said,
    '',
  ].join('\n');

const whole = makeFolder({
  'fenestra.yaml': CONFIG,
  'site/index.html': PAGE,
  'site/not-found.html': ERROR_PAGE,
  'site/posters/owl.html': PAGE,
  'site/drafts/plan.html': PAGE,
});
const run = (home: string, words: readonly string[]) =>
  execa(process.execPath, [resolve('dist/fenestra.js'), ...words], {
    cwd: home,
    reject: false,
    stdin: 'ignore',
    env: { NO_COLOR: '1', COLUMNS: '100' },
  });

/** Words as a shell parts them; quotes hold them together. */
const wordsOf = (command: string): string[] =>
  [...command.matchAll(/'([^']*)'|(\S+)/g)].map(([, quoted, plain]) => quoted ?? plain ?? '');

async function makeMistake({ config, before, command }: Mistake): Promise<string> {
  const home = makeFolder();
  cpSync(whole, home, { recursive: true, preserveTimestamps: true });
  if (config.length > 0) writeFileSync(join(home, 'fenestra.yaml'), `${CONFIG}${config.join('\n')}\n`);
  for (const line of before) execFileSync('sh', ['-c', line], { cwd: home, stdio: 'ignore' });
  const [, ...words] = wordsOf(command);
  const { exitCode, stderr } = await run(home, words);
  rmSync(home, { recursive: true, force: true });
  return `${exitCode}\n${stderr}`.replaceAll(home, 'HOME').trim();
}

test('each mistake is answered as the book says', { timeout: 300_000 }, async () => {
  await run(whole, ['publish', '--yes']);
  await run(whole, ['publish', '--yes', '--to', 'live']);
  const parts = parseBook(readFileSync(BOOK, 'utf8'));
  const said = await pMap(
    parts,
    async (part) => (typeof part === 'string' ? part : printMistake(part, await makeMistake(part))),
    { concurrency: 4 },
  );
  const now = said.join('```');
  if (process.env['FENESTRA_WRITE'] !== undefined) writeFileSync(BOOK, now);
  else expect(now).toBe(readFileSync(BOOK, 'utf8'));
  const mistakes = parts.filter((part) => typeof part !== 'string');
  expect(mistakes.length).toBeGreaterThan(150);
  for (const text of parseBook(now)) {
    if (typeof text === 'string') continue;
    const [code, ...lines] = text.said.split('\n');
    expect([text.command, code]).not.toEqual([text.command, '70']);
    expect([text.command, lines.length <= 4]).toEqual([text.command, true]);
  }
});
