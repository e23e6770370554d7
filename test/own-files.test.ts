/** What is Fenestra's own, or private, never leaves by way of the site folder or an export. */
import { existsSync, linkSync, mkdirSync, readFileSync, renameSync, statSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import {
  CONFIG,
  fenestra,
  fenestraJson,
  makeFolder,
  makeProject,
  PAGE,
  writeFiles,
} from './helpers/program.js';

const POLICY = 'readable: { keys: ["**"], except: ["drafts/**"] }\n';

describe('a site that is the whole folder of its project', () => {
  const home = makeFolder({
    'fenestra.yaml': CONFIG.replace('site: site', 'site: .').replace(
      'documents',
      'stores: { cloud: { kind: swift, auth: "https://store.mill.example/v3", credentials: keys.txt } }\ndocuments',
    ),
    'fenestra.schema.json': '{}',
    'keys.txt': 'USER=miller\nKEY=secret\n',
    'card.yaml': '# ours\ncard: Quay\ncurrency: EUR\n',
    'other.yaml': 'site: .\ndestinations:\n  live: { store: here, bucket: other-mill }\n',
    'index.html': PAGE,
    'not-found.html': PAGE,
    'data/values.yaml': 'site: 3\nlevel: 4\n',
  });
  it('publishes neither the config nor what it names nor what was written, whatever the patterns and the links', async () => {
    linkSync(join(home, 'keys.txt'), join(home, 'data/hard.txt'));
    symlinkSync('../keys.txt', join(home, 'data/soft.txt'));
    symlinkSync('../.fenestra/store', join(home, 'data/kept'));
    await fenestra(home, 'publish', '--yes');
    await fenestra(home, 'check', '--save-baseline', 'known.json');
    await fenestra(home, 'bucket', 'export', join(makeFolder(), 'copy'));
    for (const links of ['inside', 'follow']) {
      writeFiles(home, {
        'fenestra.yaml': `${readFileSync(join(home, 'fenestra.yaml'), 'utf8').replace(/links: .*\n/, '')}links: ${links}\n`,
      });
      for (let times = 0; times < 2; times++) {
        const { objects, findings } = await fenestraJson<{
          objects: { key: string }[];
          findings: { rule: string; key: string }[];
        }>(home, 'survey');
        expect(objects.map(({ key }) => key)).toEqual(['data/values.yaml', 'index.html', 'not-found.html']);
        expect(
          findings
            .filter(({ rule }) => rule === 'own-file-left-out')
            .map(({ key }) => key)
            .sort(),
        ).toEqual([
          'card.yaml',
          'data/hard.txt',
          'data/kept',
          'data/soft.txt',
          'fenestra.schema.json',
          'fenestra.yaml',
          'keys.txt',
          'known.json',
          'other.yaml',
        ]);
      }
    }
  });
});

describe('an export', () => {
  const home = makeProject({ 'site/drafts/plan.html': PAGE, 'site/open.html': PAGE }, CONFIG + POLICY);

  it('is refused inside the site folder, by whatever way it is named', async () => {
    await fenestra(home, 'publish', '--yes');
    symlinkSync('site', join(home, 'link'));
    for (const folder of ['site/copy', 'site', 'link/a/b', 'site/../site/x']) {
      const { code, err } = await fenestra(home, 'bucket', 'export', folder);
      expect([folder, code, err]).toEqual([folder, 4, expect.stringMatching(/lies in the site folder/)]);
    }
    expect(existsSync(join(home, 'site/copy'))).toBe(false);
  });

  it('keeps what nobody may read to its owner, says so, and leaves it out when asked to', async () => {
    const before = process.umask(0o022);
    const { out } = await fenestra(home, 'bucket', 'export', 'copy');
    process.umask(before);
    expect(out).toContain('1 of them nobody may read');
    const modeOf = (name: string): string => (statSync(join(home, 'copy', name)).mode & 0o777).toString(8);
    expect(['drafts/plan.html', 'open.html', 'headers.jsonl'].map(modeOf)).toEqual(['600', '644', '600']);
    const lines = readFileSync(join(home, 'copy/headers.jsonl'), 'utf8').trim().split('\n');
    const list = lines.map((line) => JSON.parse(line) as { key: string; readable?: boolean });
    expect(list.filter(({ readable }) => readable === false).map(({ key }) => key)).toEqual([
      'drafts/plan.html',
    ]);
    const open = await fenestraJson(home, 'bucket', 'export', 'public', '--readable');
    expect(open).toMatchObject({ objects: 3, unreadable: 0 });
    expect(existsSync(join(home, 'public/drafts'))).toBe(false);
    // One that is moved into the site is left out whole.
    renameSync(join(home, 'copy'), join(home, 'site/copy'));
    const survey = await fenestraJson<{ objects: object[] }>(home, 'survey');
    expect(survey.objects).toHaveLength(4);
  });

  it('takes names of 255 bytes', async () => {
    const long = `${'n'.repeat(250)}.html`;
    const other = makeProject({ [`site/${long}`]: PAGE });
    await fenestra(other, 'publish', '--yes');
    mkdirSync(join(other, 'copy'));
    expect((await fenestra(other, 'bucket', 'export', 'copy')).code).toBe(0);
    expect(readFileSync(join(other, 'copy', long), 'utf8')).toBe(PAGE);
  });
});
