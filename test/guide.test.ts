/** The guide, followed word for word: every command in it is run, in its order, on the demo's site. */
import { appendFileSync, chmodSync, cpSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { once } from 'node:events';
import { join, resolve } from 'node:path';
import { execa } from 'execa';
import { afterAll, expect, it } from 'vitest';
import { parse, parseDocument } from 'yaml';
import { DEMO, makeFolder, run as runWords, serve, type Serving } from './helpers/program.js';
import { lacks } from './helpers/machine.js';

/** What a reader answers where the program asks. */
const ANSWERS: readonly (readonly [RegExp, string])[] = [
  [/^fenestra (?:publish(?!.*--dry-run)|restore)/, '--yes --sure wendle-mill'],
  [/^fenestra (?:access open|bucket (?:empty|remove))/, '--sure wendle-mill'],
];
/** What goes on until it is stopped. */
const GOES_ON = /^fenestra (?:serve|publish --watch|domain check .*--wait)/;
/** What does not end with 0, and why. */
const ENDS_OTHERWISE: readonly (readonly [RegExp, number, string])[] = [
  [/^fenestra publish --dry-run --exit-code/, 1, 'something would change'],
  [/^fenestra domain check/, 1, 'nobody has entered the names'],
];

const guide = readFileSync('docs/guide.md', 'utf8');
interface Block {
  readonly kind: string;
  readonly title: string;
  readonly text: string;
}
const blocks: Block[] = [];
let title = '';
for (const [, heading, kind = '', text = ''] of guide.matchAll(/^#+ (.*)$|^```(\w+)\n([^]*?)^```$/gm)) {
  if (heading !== undefined) title = heading;
  else blocks.push({ kind, title, text });
}

/** The words of a command after its first, as a shell parts them. */
const wordsOf = (line: string): string[] =>
  [...line.matchAll(/'([^']*)'|"([^"]*)"|(\S+)/g)]
    .slice(1)
    .map(([, single, double, plain]) => single ?? double ?? plain ?? '');

let server: Serving | undefined;
afterAll(() => server?.stop());

it('every command in it does what it says, in its order', { timeout: 900_000 }, async () => {
  const home = join(makeFolder(), 'wendle-mill');
  mkdirSync(home);
  cpSync(join(DEMO, 'site'), join(home, 'site'), { recursive: true });
  cpSync(resolve('demo/cards'), join(home, 'demo/cards'), { recursive: true });
  const bin = join(makeFolder(), 'bin');
  mkdirSync(bin);
  const program = join(bin, 'fenestra');
  writeFileSync(program, `#!/bin/sh\nexec "${process.execPath}" "${resolve('dist/fenestra.js')}" "$@"\n`);
  chmodSync(program, 0o755);
  const config = join(home, 'fenestra.yaml');
  const run = (line: string) =>
    execa('sh', ['-c', `exec ${line}`], {
      cwd: home,
      reject: false,
      all: true,
      stdin: 'ignore',
      env: { PATH: `${bin}:${process.env['PATH'] ?? ''}`, NO_COLOR: '1', COLUMNS: '100' },
    });
  const done = async (line: string): Promise<string> => {
    const { code, out, err } = await runWords(home, wordsOf(line), 100);
    const [, expected = 0] = ENDS_OTHERWISE.find(([pattern]) => pattern.test(line)) ?? [];
    expect({ line, code, out, err }).toEqual({ line, code: expected, out, err });
    return out;
  };
  /** Starts what goes on, and stops it once it has said something. */
  const begin = async (line: string): Promise<void> => {
    const running = run(
      /serve/.test(line) && !/--port/.test(line) ? line.replace('serve', 'serve --port 0') : line,
    );
    await new Promise((said) => {
      running.all.once('data', said);
    });
    running.kill('SIGTERM');
    const { all } = await running;
    expect({ line, all }).toEqual({ line, all: expect.not.stringContaining('fenestra: ') as string });
  };
  const set = (text: string): void => {
    const document = parseDocument(readFileSync(config, 'utf8'));
    for (const [name, value] of Object.entries(parse(text) as Record<string, unknown>))
      document.set(name, value);
    writeFileSync(config, document.toString());
  };
  let edits = 0;
  const edit = (): void => appendFileSync(join(home, 'site/visit/index.html'), `<!-- ${++edits} -->\n`);
  let ran = 0;
  let agreed = '';
  for (const { kind, title: section, text } of blocks) {
    if (kind === 'yaml') {
      const before = readFileSync(config, 'utf8');
      set(text);
      await done('fenestra config check');
      // Other sites than this one.
      if (/subfolder|application/.test(section)) writeFileSync(config, before);
      continue;
    }
    if (section.startsWith('You have')) {
      const elsewhere = join(makeFolder(), 'wendle-mill');
      cpSync(join(home, 'site'), join(elsewhere, 'site'), { recursive: true });
      const old = execa(process.execPath, [resolve('scripts/old-server.mjs'), join(home, 'site')], {
        stdin: 'pipe',
      });
      const [address] = (await once(old.stdout, 'data')) as [Buffer];
      const line = text.trim().replace(/https:\S+/, address.toString().trim());
      const { code, out, err } = await runWords(elsewhere, wordsOf(line), 100);
      expect({ code, out, err }).toEqual({
        code: 0,
        out: expect.stringContaining('Wrote fenestra.yaml') as string,
        err: '',
      });
      old.stdin.end();
      await old;
      continue;
    }
    if (section.startsWith('6.')) {
      const document = parseDocument(readFileSync(config, 'utf8'));
      const live = (
        parse(readFileSync(join(DEMO, 'fenestra.yaml'), 'utf8')) as { destinations: { live: object } }
      ).destinations.live;
      document.setIn(['destinations', 'live'], { ...live, front: undefined });
      writeFileSync(config, document.toString());
      await done('fenestra publish --to live --yes --sure wendle-mill-live');
      await done('fenestra access open --to live --sure wendle-mill-live');
      server = await serve(home);
    }
    for (const written of text.trim().split('\n')) {
      let line = written.replace(/\s+# .*$/, '').trim();
      if (line.includes('--browser ') || line.endsWith('--browser'))
        if (lacks('Chromium') !== undefined) continue;
      line = line.replaceAll(
        'https://www.wendlemill.example/',
        `http://wendle-mill-live.localhost:${server?.port ?? 0}/`,
      );
      if (/ --agreed wendle-mill-/.test(line)) line = line.replace(/--agreed \S+/, `--agreed ${agreed}`);
      ran++;
      if (GOES_ON.test(line)) {
        await begin(line);
        continue;
      }
      if (/^fenestra publish --(?:dry-run|diff|prove)/.test(line)) edit();
      const [, more] = ANSWERS.find(([pattern]) => pattern.test(line)) ?? [];
      const all = await done(more === undefined ? line : `${line} ${more}`);
      agreed = /--agreed (wendle-mill-\S+)/.exec(all)?.[1] ?? agreed;
    }
  }
  expect(ran).toBeGreaterThan(50);
});
