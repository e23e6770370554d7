import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { parsePattern } from '../src/core/assign/pattern.js';
import { patternUnder } from '../src/core/site/site-in-subfolder.js';
import type { CheckJson } from '../src/report/json/check-json.js';
import type { PublishJson } from '../src/report/json/publish-json.js';
import { fenestra, makeFolder, writeFiles } from './helpers/program.js';

const page = (title: string, body: string): string =>
  `<!doctype html><html lang="en"><meta charset="utf-8"><title>${title}</title>${body}</html>`;

const FILES = {
  'site/index.html': page(
    'Docs',
    '<link rel="stylesheet" href="/docs/styles/x.css"><p><a href="/docs/visit/">visit</a> <a href="/a/">root</a>',
  ),
  'site/visit/index.html': page('Visit', '<p><a href="../">up</a>'),
  'site/styles/x.css': 'p { color: teal }',
  'site/drafts/d.txt': 'a draft',
  'site/not-found.html': page('None', '<p>Nothing here. <a href="/docs/">Home</a>'),
  'root/index.html': page('Root', '<p><a href="/docs/">docs</a>'),
  'root/a/index.html': page('A', '<p>A <a href="/">home</a>'),
  'root/oops.html': page('Oops', '<p>Nothing here. <a href="/">Home</a>'),
  'docs.yaml': `site: site
destinations: { rehearsal: { store: here, bucket: shared, under: docs/ } }
documents: { index: index.html, error: not-found.html }
readable: { keys: ["**"], except: ["drafts/**"] }
assign: [{ to: "styles/**", cache: 3 days }]
moved: { permanently: { /old: /visit/, /away: "https://tickets.wendlemill.example/" } }
versioned: ["styles/**"]
keepPlain: false
`,
  'root.yaml': `site: root
destinations: { rehearsal: { store: here, bucket: shared } }
documents: { index: index.html, error: oops.html }
readable: { keys: ["**"] }
moved: { permanently: { /x: /a/ } }
`,
};

describe('a site in a subfolder', () => {
  const json = async <T>(home: string, site: 'docs' | 'root', ...words: string[]): Promise<T> => {
    const { code, out, err } = await fenestra(home, ...words, '--config', `${site}.yaml`, '--json');
    expect([site, words, code, err]).toEqual([site, words, 0, '']);
    return JSON.parse(out) as T;
  };
  const publish = (home: string, site: 'docs' | 'root'): Promise<PublishJson> =>
    json(home, site, 'publish', '--yes', '--sure', 'shared');

  it("shares its bucket with another, and neither touches what is the other one's", async () => {
    const home = makeFolder(FILES);
    const first = await publish(home, 'docs');
    expect([first.address, first.changes.map(({ key }) => key)]).toEqual([
      'http://shared.localhost:4680/docs/',
      [
        'docs/drafts/d.txt',
        'docs/index.html',
        'docs/not-found.html',
        expect.stringMatching(/^docs\/styles\/x\.[0-9a-f]{8}\.css$/),
        'docs/visit/index.html',
      ],
    ]);
    const second = await publish(home, 'root');
    expect([second.totals.add, second.totals.remove, second.totals.replace]).toEqual([3, 0, 0]);
    for (const site of ['docs', 'root'] as const) {
      const again = await publish(home, site);
      expect([site, again.changes, again.settings]).toEqual([site, [], []]);
    }
    await json(home, 'docs', 'access', 'open', '--sure', 'shared');
    for (const site of ['docs', 'root'] as const) {
      const checked = await json<CheckJson>(home, site, 'check');
      expect([site, checked.passed, checked.findings]).toEqual([site, true, []]);
    }
    const trace = async (path: string): Promise<{ status: number; headers: Record<string, string> }> =>
      json(home, 'docs', 'trace', path);
    expect(await trace('/docs/old')).toMatchObject({ status: 301, headers: { Location: '/docs/visit/' } });
    expect(await trace('/docs/away')).toMatchObject({
      headers: { Location: 'https://tickets.wendlemill.example/' },
    });
    expect(await trace('/x')).toMatchObject({ status: 301, headers: { Location: '/a/' } });
    expect((await trace('/docs/drafts/d.txt')).status).toBe(403);
    expect((await trace('/docs/visit/')).status).toBe(200);

    // A change of one, and going back of one, leave the other as it is.
    writeFiles(home, { 'root/a/index.html': page('A', '<p>Another A <a href="/">home</a>') });
    expect((await publish(home, 'root')).changes.map(({ key }) => key)).toEqual(['a/index.html']);
    writeFiles(home, { 'site/visit/index.html': page('Visit', '<p>Another <a href="../">up</a>') });
    const part = await json<PublishJson>(home, 'docs', 'publish', '--yes', '--matching', 'visit/**');
    expect(part.changes.map(({ key }) => key)).toEqual(['docs/visit/index.html']);
    const back = await json<PublishJson>(home, 'docs', 'restore', '2', '--yes', '--sure', 'shared');
    expect(back.changes.map(({ key }) => key)).toEqual(['docs/visit/index.html']);
    expect((await publish(home, 'root')).changes).toEqual([]);
  });

  it('takes no folder that holds something of another, and says so', async () => {
    const home = makeFolder(FILES);
    await publish(home, 'root');
    writeFileSync(join(home, 'docs.yaml'), FILES['docs.yaml'].replace('under: docs/', 'under: a'));
    const taken = await fenestra(home, 'publish', '--yes', '--config', 'docs.yaml');
    expect([taken.code, taken.err]).toEqual([
      4,
      expect.stringContaining('another site in a/, such as a/index.html'),
    ]);
    writeFileSync(join(home, 'docs.yaml'), FILES['docs.yaml']);
    await publish(home, 'docs');
    writeFiles(home, { 'root/docs/y.txt': 'mine' });
    const stray = await fenestra(home, 'publish', '--yes', '--config', 'root.yaml');
    expect([stray.code, stray.err]).toEqual([
      4,
      expect.stringContaining('another site in the folder that docs/y.txt would lie in'),
    ]);
    expect((await fenestra(home, 'config', 'check', '--config', 'docs.yaml')).code).toBe(0);
    writeFileSync(join(home, 'docs.yaml'), FILES['docs.yaml'].replace('under: docs/', 'under: "../docs"'));
    const wrong = await fenestra(home, 'config', 'check', '--config', 'docs.yaml');
    expect([wrong.code, wrong.err]).toEqual([2, expect.stringContaining('is no folder such as docs/')]);
  });
});

it('a pattern means the same of a site, wherever in a bucket that lies', () => {
  const segment = fc.constantFrom('a', 'b', 'x.css', 'index.html', '.well-known');
  const key = fc.array(segment, { minLength: 1, maxLength: 4 }).map((parts) => parts.join('/'));
  const pattern = fc.oneof(
    fc.constantFrom('**', '*', '*.css', 'a', 'a/**', '/b/*', '**/x.css', 'a/*/b', '{a,b}/**', 'a/**/x.css'),
    key,
  );
  fc.assert(
    fc.property(pattern, key, (written, name) => {
      expect([written, name, parsePattern(patternUnder(written, 'docs/'))(`docs/${name}`)]).toEqual([
        written,
        name,
        parsePattern(written)(name),
      ]);
      expect(parsePattern(patternUnder(written, 'docs/'))(`other/${name}`)).toBe(false);
    }),
  );
});
