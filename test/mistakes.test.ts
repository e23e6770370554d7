/**
 * Every mistake of `mistakes.md` with the whole of what is said about it. FENESTRA_WRITE=1 writes what is said now, to be
 * read before it is kept.
 */
import { execFileSync } from 'node:child_process';
import { cpSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { ERROR_PAGE, makeFolder, PAGE, run } from './helpers/program.js';

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
/** Words as a shell parts them; quotes hold them together. */
const wordsOf = (command: string): string[] =>
  [...command.matchAll(/'([^']*)'|(\S+)/g)].map(([, quoted, plain]) => quoted ?? plain ?? '');

async function makeMistake({ config, before, command }: Mistake): Promise<string> {
  const home = makeFolder();
  cpSync(whole, home, { recursive: true, preserveTimestamps: true });
  if (config.length > 0) writeFileSync(join(home, 'fenestra.yaml'), `${CONFIG}${config.join('\n')}\n`);
  for (const line of before) execFileSync('sh', ['-c', line], { cwd: home, stdio: 'ignore' });
  const [, ...words] = wordsOf(command);
  const { code, err } = await run(home, words, 100);
  rmSync(home, { recursive: true, force: true });
  return `${code}\n${err}`.replaceAll(home, 'HOME').trim();
}

const book = readFileSync(BOOK, 'utf8');
const parts = parseBook(book);
const mistakes = parts.flatMap((part) => (typeof part === 'string' ? [] : [part]));
const saidNow = new Map<Mistake, string>();
const isWriting = process.env['FENESTRA_WRITE'] !== undefined;

beforeAll(async () => {
  await run(whole, ['publish', '--yes']);
  await run(whole, ['publish', '--yes', '--to', 'live']);
});

test('the book is long, and printed as it is read', () => {
  expect(mistakes.length).toBeGreaterThanOrEqual(330);
  const printed = parts.map((part) => (typeof part === 'string' ? part : printMistake(part, part.said)));
  expect(printed.join('```')).toBe(book);
});

test.each(mistakes.map((mistake) => [mistake.command, mistake] as const))('%s', async (_, mistake) => {
  const said = await makeMistake(mistake);
  saidNow.set(mistake, said);
  if (!isWriting) expect(said).toBe(mistake.said);
  const [code, ...lines] = said.split('\n');
  expect(code).not.toBe('70');
  expect(lines.length).toBeLessThanOrEqual(4);
});

afterAll(() => {
  if (!isWriting) return;
  const written = parts.map((part) =>
    typeof part === 'string' ? part : printMistake(part, saidNow.get(part) ?? part.said),
  );
  writeFileSync(BOOK, written.join('```'));
});
