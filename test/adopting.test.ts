import { cpSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { execFileSync } from 'node:child_process';
import { join, relative, resolve } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { ask, type Asked } from './helpers/ask.js';
import { describeWith } from './helpers/machine.js';
import { RULES_WRITTEN, startPlainServer } from './helpers/plain-servers.js';
import { DEMO, fenestra, fenestraJson, makeFolder, serve } from './helpers/program.js';

const BUILT = resolve('node_modules/playwright-core/lib/vite');
/** Sites that others wrote, and the one of the demo. */
const SITES: readonly (readonly [name: string, folder: string, server: 'first' | 'second'])[] = [
  ['the demo', join(DEMO, 'site'), 'first'],
  ['the demo', join(DEMO, 'site'), 'second'],
  ['documentation of a language', '/usr/share/doc/python3.11/html', 'first'],
  ['manual pages', '/usr/share/doc/git-doc', 'second'],
  ['a policy', '/usr/share/doc/debian-policy/policy.html', 'first'],
  ['a reference', '/usr/share/developers-reference', 'second'],
  ['questions and answers', '/usr/share/doc/debian/FAQ', 'first'],
  ['a shell', '/usr/share/doc/bash', 'second'],
  ['a viewer of screens', '/usr/share/novnc', 'first'],
  ['a viewer of traces', join(BUILT, 'traceViewer'), 'second'],
  ['a recorder', join(BUILT, 'recorder'), 'first'],
  ['a dashboard', join(BUILT, 'dashboard'), 'second'],
  ['a guide', '/usr/share/doc/maint-guide', 'first'],
];

interface Said {
  readonly lines: number;
  readonly objects: number;
  readonly differences: readonly { readonly aspect: string; readonly of: readonly string[] }[];
  readonly passedOver: Readonly<Record<string, readonly string[]>>;
  readonly moved: {
    readonly permanently: Record<string, string>;
    readonly temporarily: Record<string, string>;
  };
}

const LOG = ['/feed', '/aktuell/index.html', '/aktuell/tides/a.html', '/eintritt', '/no/such/page']
  .map((path) => `127.0.0.1 - - [01/Dec/2026:10:00:00 +0000] "GET ${path} HTTP/1.1" 200 100 "-" "-"\n`)
  .join('');

/** What a cache makes of an answer, by the words of the standard alone. */
function caching({ headers }: Asked): string {
  const words = (headers['cache-control'] ?? '')
    .toLowerCase()
    .split(/\s*,\s*/)
    .filter(Boolean)
    .sort();
  if (words.length > 0) return words.join();
  if (headers.expires === undefined) return 'unsaid';
  const seconds = (Date.parse(headers.expires) - Date.parse(headers.date ?? '')) / 1000;
  return `max-age=${Math.max(0, seconds || 0)}`;
}

const STATUS: Readonly<Record<number, number>> = { 303: 302, 307: 302, 308: 301 };
const HEADERS = {
  type: 'content-type',
  encoding: 'content-encoding',
  language: 'content-language',
  disposition: 'content-disposition',
};
const plain = (value: unknown): string =>
  String(value ?? 'none')
    .toLowerCase()
    .replace(/\s+/g, '');
const pathOf = (path: string, location: string | undefined): string => {
  const { pathname, search, origin } = new URL(location ?? '', `http://place.invalid${path}`);
  return `${/place|127\.0\.0\.1|localhost/.test(origin) ? '' : origin}${pathname}${search}`;
};

/** In what two answers differ. */
function differ(path: string, old: Asked, now: Asked): string[] {
  if ((STATUS[old.status] ?? old.status) !== now.status) return ['status'];
  if (old.status >= 300 && old.status < 400)
    return pathOf(path, old.headers.location) === pathOf(path, now.headers.location) ? [] : ['location'];
  if (old.status !== 200) return [];
  const found = Object.entries(HEADERS).flatMap(([aspect, name]) =>
    plain(old.headers[name]) === plain(now.headers[name]) ? [] : [aspect],
  );
  return [
    ...found,
    ...(caching(old) === caching(now) ? [] : ['caching']),
    ...(old.body.equals(now.body) ? [] : ['bytes']),
  ];
}

function listFiles(folder: string): string[] {
  return readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((name) => statSync(join(folder, name)).isFile())
    .map((name) => relative('.', name));
}

const PAGE = 'docs/adopting.md';

/** The page on it shows some of the configs: with FENESTRA_WRITE they are written, else compared. */
function holdPage(title: string, config: string): void {
  const lines = /^assign:\n[^]*/m.exec(config)?.[0] ?? '';
  const page = readFileSync(PAGE, 'utf8');
  const block = new RegExp(`(^### ${title}\\n\\n\`\`\`yaml\\n)([^]*?)(^\`\`\`$)`, 'im');
  const [, , shown] = block.exec(page) ?? [];
  if (shown === undefined) return;
  if (process.env['FENESTRA_WRITE'] === '1')
    writeFileSync(
      PAGE,
      page.replace(block, (_, before: string, __, after: string) => before + lines + after),
    );
  else expect(shown).toBe(lines);
}

const counted: string[] = [];
afterAll(() => {
  console.log(counted.join('\n'));
});

describeWith(['two plain web servers', 'sites that others wrote'], 'a site that a plain server has', () => {
  it.each(SITES)('%s (%s, the %s server) is adopted as it is', async (name, from, which) => {
    const home = makeFolder({ 'access.log': LOG });
    const site = join(home, 'site');
    cpSync(from, site, { recursive: true, dereference: true });
    execFileSync('chmod', ['-R', 'a+rX', home]);
    const server = await startPlainServer(which, site);
    try {
      const said = await fenestraJson<Said>(
        home,
        'init',
        'site',
        '--at',
        server.at,
        '--bucket',
        'adopted',
        '--mine',
        '--log',
        'access.log',
      );
      counted.push(
        `${name}: ${said.lines} lines for ${said.objects} objects, ${RULES_WRITTEN[which]} were written`,
      );
      await fenestraJson(home, 'publish', '--yes', '--sure', 'adopted');
      await fenestraJson(home, 'access', 'open', '--sure', 'adopted');
      const files = listFiles(site).filter(
        (file) => !/(?:^|\/)\./.test(file) || file.startsWith('.well-known/'),
      );
      const folders = [
        ...new Set(
          files.flatMap((file) =>
            file
              .split('/')
              .slice(0, -1)
              .map((_, at, all) => all.slice(0, at + 1).join('/')),
          ),
        ),
      ];
      const withIndex = folders.filter((folder) => files.includes(`${folder}/index.html`));
      const paths = [
        ...['', ...files, ...folders.map((folder) => `${folder}/`), ...withIndex],
        ...['feed', 'aktuell/index.html', 'aktuell/tides/a.html', 'eintritt', 'wrong', 'wrong/page.html'],
      ].map((path) => `/${path.split('/').map(encodeURIComponent).join('/')}`);
      const named = new Set(
        said.differences.flatMap(({ aspect, of }) => of.map((path) => `${aspect} ${path}`)),
      );
      const over = new Set(Object.values(said.passedOver).flat());
      const running = await serve(home);
      try {
        const wrong: string[] = [];
        for (const path of new Set(paths)) {
          if (over.has(path)) continue;
          const old = await ask(Number(new URL(server.at).port), path, { host: new URL(server.at).host });
          const now = await ask(running.port, path, { host: `adopted.localhost:${running.port}` });
          for (const aspect of differ(path, old, now))
            if (!named.has(`${aspect} ${path}`))
              wrong.push(`${aspect} ${path} ${old.status} ${now.status} ${caching(old)} ${caching(now)}`);
        }
        expect(wrong).toEqual([]);
      } finally {
        await running.stop();
      }
      expect(said.lines).toBeLessThanOrEqual(RULES_WRITTEN[which]);
      expect(said.moved).toEqual({
        permanently: { '/aktuell/*': '/news/*', '/feed': '/feed.atom' },
        temporarily: { '/eintritt': '/visit/' },
      });
      holdPage(`${name}, behind the ${which}`, readFileSync(join(home, 'fenestra.yaml'), 'utf8'));
      expect((await fenestra(home, 'config', 'check')).code).toBe(0);
    } finally {
      await server.end();
    }
  });
});
