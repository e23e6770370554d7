import { gzipSync } from 'node:zlib';
import {
  lstatSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  renameSync,
  rmSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it, test, vi } from 'vitest';
import { datesFolders, KnownFolders } from './folder-rows.js';
import { fingerprintFile } from './fingerprint.js';
import { NameTable } from './name-table.js';
import { surveySite, type SurveyedSite } from './survey-site.js';
import { walkSite } from './walk.js';

let root: string;
beforeAll(() => {
  root = mkdtempSync(join(tmpdir(), 'fenestra-disk-'));
});
afterAll(() => rmSync(root, { recursive: true, force: true }));

function makeSite(name: string, files: Readonly<Record<string, string | Buffer>>): string {
  const site = join(root, name);
  for (const [path, content] of Object.entries(files)) {
    mkdirSync(dirname(join(site, path)), { recursive: true });
    writeFileSync(join(site, path), content);
  }
  return site;
}

describe('what a file gives away', () => {
  const png = Buffer.concat([
    Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]),
    Buffer.alloc(60),
  ]);
  const jpeg = Buffer.concat([
    Buffer.from([0xff, 0xd8, 0xff, 0xe0, 0, 16]),
    Buffer.from('JFIF'),
    Buffer.alloc(60),
  ]);
  const latin = Buffer.from('<!doctype html><meta charset="ISO-8859-1">caf\xe9', 'latin1');
  test.each<[string, string | Buffer, string, object]>([
    ['a PNG', png, 'image/png', { sniffed: '' }],
    ['a JPEG called PNG', jpeg, 'image/png', { sniffed: 'image/jpeg' }],
    ['text called PNG', 'no picture', 'image/png', { sniffed: 'text/plain' }],
    ['a page called PNG', '<!doctype html><p>404', 'image/png', { sniffed: 'text/html' }],
    ['gzip called CSS', gzipSync('a{}'), 'text/css', { sniffed: 'application/gzip', utf8: false }],
    ['a page in Latin-1', latin, 'text/html', { charset: 'iso-8859-1', utf8: false }],
    ['a page whose charset is in a comment', '<!-- <meta charset=x> --><p>', 'text/html', { charset: '' }],
    ['a style with a charset', '@charset "utf-8"; a{}', 'text/css', { charset: 'utf-8' }],
    ['JSON with an address', '{"m":"ada@mill.example"}', 'application/json', { emails: true }],
    ['JSON with an at sign', '{"m":"@media (x)"}', 'application/json', { emails: false }],
    ['nothing', '', 'image/png', { sniffed: '' }],
    ['large UTF-8', 'ü'.repeat(200_000), 'text/plain', { utf8: true }],
    ['large Latin-1', Buffer.alloc(400_000, 0xe9), 'text/plain', { utf8: false }],
  ])('%s', async (name, content, type, facts) => {
    const site = makeSite('facts', { [`${name}.x`]: content });
    expect(
      (await fingerprintFile(join(site, `${name}.x`), Buffer.byteLength(content), type, undefined)).facts,
    ).toMatchObject(facts);
  });
});

describe('what is remembered', () => {
  const survey = (site: string, memory?: string): Promise<SurveyedSite> =>
    surveySite({
      site,
      links: 'inside',
      assignments: { file: 'fenestra.yaml', rules: [] },
      readable: null,
      build: 'test',
      inspect: () => [],
      inspectBasis: 0,
      ...(memory === undefined ? {} : { memory }),
    });
  const plain = ({ objects }: SurveyedSite): unknown =>
    objects.map(({ key, size, digest, headers, facts, public: open }) => ({
      key,
      size,
      digest,
      headers,
      facts,
      open,
    }));

  it('gives the same survey as reading everything, however the memo is damaged', async () => {
    const site = makeSite('remembered', {
      'a.html': '<p>',
      'b/c.css': 'a{}',
      'b/d.txt': 'ü',
      'e.png': 'text',
    });
    for (const path of ['a.html', 'b/c.css', 'b/d.txt', 'e.png'])
      utimesSync(join(site, path), 1_700_000_000, 1_700_000_000);
    await new Promise((done) => setTimeout(done, 2100));
    const memory = join(root, 'memory');
    const fresh = await survey(site);
    expect(plain(await survey(site, memory))).toEqual(plain(fresh));
    const again = await survey(site, memory);
    expect([again.read, plain(again), again.identity]).toEqual([0, plain(fresh), fresh.identity]);
    const file = join(memory, readdirSync(memory)[0] ?? '');
    const good = readFileSync(file);
    await fc.assert(
      fc.asyncProperty(fc.nat(good.length - 1), fc.nat(7), async (at, bit) => {
        const turned = Buffer.from(good);
        turned[at] = (turned[at] ?? 0) ^ (1 << bit);
        writeFileSync(file, turned);
        expect(plain(await survey(site, memory))).toEqual(plain(fresh));
      }),
      { numRuns: 80 },
    );
    await fc.assert(
      fc.asyncProperty(fc.integer({ min: 0, max: good.length }), async (length) => {
        writeFileSync(file, good.subarray(0, length));
        expect(plain(await survey(site, memory))).toEqual(plain(fresh));
      }),
      { numRuns: 20 },
    );
    for (const junk of [Buffer.alloc(0), Buffer.alloc(5000, 1), Buffer.from('{}')]) {
      writeFileSync(file, junk);
      expect(plain(await survey(site, memory))).toEqual(plain(fresh));
    }
  });
  it('notices files that are added, removed and changed, and reads only those', async () => {
    const site = makeSite(
      'changing',
      Object.fromEntries(
        Array.from({ length: 20 }, (_, n) => [`f${String(n).padStart(2, '0')}.txt`, `file ${n}`]),
      ),
    );
    await new Promise((done) => setTimeout(done, 2100));
    const memory = join(root, 'memory-2');
    const first = await survey(site, memory);
    writeFileSync(join(site, 'f05.txt'), 'changed');
    rmSync(join(site, 'f07.txt'));
    writeFileSync(join(site, 'f10b.txt'), 'added');
    const second = await survey(site, memory);
    expect([second.read, second.count, second.identity === first.identity]).toEqual([2, 20, false]);
    expect(plain(second)).toEqual(plain(await survey(site)));
    rmSync(join(site, 'f19.txt'));
    expect((await survey(site, memory)).count).toBe(19);
  });

  const name = fc.constantFrom('a', 'b', 'b.txt', 'c', 'ä', '.DS_Store', '.well-known');
  const path = fc.array(name, { minLength: 1, maxLength: 3 }).map((names) => names.join('/'));
  const edit = fc.oneof(
    fc.record({ what: fc.constantFrom('write', 'add a folder', 'remove', 'touch'), path }),
    fc.record({ what: fc.constantFrom('rename', 'link'), path, to: path }),
  );
  let written = 0;
  const EDITS: Readonly<Record<string, (at: string, to: string) => void>> = {
    write: (at) => {
      mkdirSync(dirname(at), { recursive: true });
      writeFileSync(at, `text ${++written}`);
    },
    'add a folder': (at) => mkdirSync(at, { recursive: true }),
    remove: (at) => rmSync(at, { recursive: true }),
    touch: (at) => utimesSync(at, 1_700_000_000, 1_700_000_000),
    rename: (at, to) => renameSync(at, to),
    link: (at, to) => symlinkSync(at, to),
  };

  it('gives the same survey as reading everything, whatever was done in between', async () => {
    // A walk far later than all edits, so that what is remembered of files and folders is believed.
    const now = Date.now.bind(Date);
    const clock = vi.spyOn(Date, 'now').mockImplementation(() => now() + 60_000);
    let runs = 0;
    await fc.assert(
      fc.asyncProperty(fc.array(fc.array(edit, { maxLength: 4 }), { maxLength: 5 }), async (rounds) => {
        const site = makeSite(`edited-${++runs}`, { 'b/c/a': 'x', 'b/index.html': '<p>', 'keep.txt': 'x' });
        const memory = join(root, `edited-memory-${runs}`);
        for (const edits of [[], ...rounds]) {
          for (const each of edits) {
            try {
              EDITS[each.what]?.(join(site, each.path), 'to' in each ? join(site, each.to) : '');
            } catch {
              // Nothing there to remove, a folder in the way: as when people edit.
            }
          }
          const [again, fresh] = [await survey(site, memory), await survey(site)];
          expect(plain(again)).toEqual(plain(fresh));
          expect([again.identity, again.walked.leftOut, again.walked.links]).toEqual([
            fresh.identity,
            fresh.walked.leftOut,
            fresh.walked.links,
          ]);
          expect((await survey(site, memory)).read).toBe(0);
          // Longer than the step in which a file system counts time.
          await new Promise((done) => setTimeout(done, 12));
        }
      }),
      { numRuns: 60 },
    );
    clock.mockRestore();
  });

  it('reads a folder again only when something in it came or went', () => {
    const site = makeSite('folders', { 'a/1': '', 'a/b/2': '', 'a/b/.DS_Store': '', 'a/c/d/3': '', z: '' });
    mkdirSync(join(site, 'a/e'));
    const { folders, files } = walkSite(site);
    const known = new KnownFolders(
      folders,
      new NameTable(files.map((file) => file.path).join('\0')),
      Date.now() + 60_000,
    );
    const meet = (folder: string): string[] | undefined => {
      const met: string[] = [];
      const found = known.findUnchanged(folder, lstatSync(join(site, folder)));
      found?.meet(
        (file) => met.push(file),
        (inner) => met.push(inner),
      );
      return found && [...met, `${found.leftOut} left out`];
    };
    const was = ['', 'a/', 'a/b/', 'a/e/'].map(meet);
    if (!datesFolders(site)) return expect(was).toEqual([undefined, undefined, undefined, undefined]);
    expect(was).toEqual([
      ['a/', 'z', '0 left out'],
      ['a/1', 'a/b/', 'a/c/', 'a/e/', '0 left out'],
      ['a/b/2', '1 left out'],
      ['0 left out'],
    ]);
    writeFileSync(join(site, 'a/b/2'), 'changed');
    rmSync(join(site, 'a/c/d/3'));
    writeFileSync(join(site, 'a/e/new'), '');
    expect(['', 'a/', 'a/b/', 'a/c/', 'a/c/d/', 'a/e/'].map((folder) => meet(folder) !== undefined)).toEqual([
      true,
      true,
      true,
      true,
      false,
      false,
    ]);
  });
});

it('walks in key order, whatever the names', () => {
  const names = [
    'a.txt',
    'a/b.txt',
    'a-b/c.txt',
    'a/b/c.txt',
    'ä.txt',
    '\u{1F30A}.txt',
    '\uFFEE.txt',
    'Z.txt',
    'a!/x.txt',
    '0',
  ];
  const { files } = walkSite(makeSite('order', Object.fromEntries(names.map((name) => [name, 'x']))));
  const keys = files.map(({ key }) => key);
  expect(keys).toEqual([...keys].sort((a, b) => Buffer.compare(Buffer.from(a), Buffer.from(b))));
  expect(new Set(keys)).toEqual(new Set(names));
});
