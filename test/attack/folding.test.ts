/** Exports of keys that file systems may take for one. Real ones that do are mounted by `npm run attack` alone. */
import { existsSync, mkdirSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { LONGER } from '../helpers/chance.js';
import { lacks } from '../helpers/machine.js';
import { CONFIG, fenestra, makeFolder, writeFiles } from '../helpers/program.js';
import { Attack } from './attack-kit.js';

/** Makes a file a file system, and a folder of it. */
type Make = (image: string, folder: string) => void;
/** What tells all names apart needs nothing. */
const SYSTEMS: Readonly<Record<string, Make | undefined>> = { 'the usual file system': undefined };
const FOLDING: Readonly<Record<string, Make>> = {
  'NTFS without case': (image, folder) => {
    execFileSync('mkntfs', ['-F', '-Q', image], { stdio: 'ignore' });
    execFileSync('lowntfs-3g', ['-o', 'ignore_case', image, folder], { stdio: 'ignore' });
  },
  exFAT: (image, folder) => {
    execFileSync('mkfs.exfat', [image], { stdio: 'ignore' });
    execFileSync('mount.exfat-fuse', [loopOf(image), folder], { stdio: 'ignore' });
  },
};
const NEED = 'file systems that fold case';
const loops: string[] = [];
function loopOf(image: string): string {
  const loop = execFileSync('losetup', ['-f', '--show', image], { encoding: 'utf8' }).trim();
  loops.push(loop);
  return loop;
}

const PARTS = [
  'a',
  'A',
  'map',
  'Map',
  'MAP',
  'k',
  '\u212a',
  's',
  '\u017f',
  '\u0131',
  'I',
  'stra\u00dfe',
  'STRASSE',
]
  .concat([
    'caf\u00e9',
    'cafe\u0301',
    'CAF\u00c9',
    'headers.jsonl',
    'HEADERS.jsonl',
    '\u03c3',
    '\u03c2',
    '\u03a3',
  ])
  .concat(['x', 'y', 'z', '\u01c4', '\u01c5', '\u01c6', '\u{10428}', '\u{10400}']);

const mounted: string[] = [];
afterAll(() => {
  for (const folder of mounted) execFileSync('umount', [folder]);
  for (const loop of loops) execFileSync('losetup', ['-d', loop]);
});

it.each(Object.entries(LONGER > 1 ? { ...SYSTEMS, ...FOLDING } : SYSTEMS))(
  'onto %s an export writes each object under its own name, or nothing',
  async (system, make) => {
    if (make) expect(lacks(NEED)).toBeUndefined();
    const attack = new Attack(`exports onto ${system}`, 4);
    const place = makeFolder();
    const folder = join(place, 'mounted');
    mkdirSync(folder);
    if (make) {
      const image = join(place, 'image');
      writeFileSync(image, '');
      truncateSync(image, 64 * 2 ** 20);
      make(image, folder);
      mounted.push(folder);
    }
    const home = makeFolder({ 'fenestra.yaml': CONFIG });
    for (let round = 0; round < attack.rounds; round++) {
      const keys = new Set<string>();
      for (let at = 1 + attack.below(7); at > 0; at--)
        keys.add(Array.from({ length: 1 + attack.below(2) }, () => attack.pick(PARTS)).join('/'));
      // A name is a file or a folder, also where the two are spelled with other letters of Unicode: as keys they are one.
      const asKey = (name: string): string => name.normalize('NFC');
      const apart = [...keys].filter(
        (key) => ![...keys].some((other) => key !== other && asKey(key).startsWith(`${asKey(other)}/`)),
      );
      rmSync(join(home, 'site'), { recursive: true, force: true });
      writeFiles(home, Object.fromEntries(apart.map((key) => [`site/${key}`, `of ${key}`])));
      const published = await fenestra(home, 'publish', '--yes', '--sure', 'test-mill');
      if (published.err.includes('become one key')) {
        attack.note('no site');
        continue;
      }
      const copy = join(folder, `copy-${round}`);
      const { code, err } = await fenestra(home, 'bucket', 'export', copy);
      if (code === 4) {
        attack.note('refused');
        if (!make && !apart.some((key) => key.startsWith('headers.jsonl')))
          attack.harm(`refused ${JSON.stringify(apart)}`);
        if (existsSync(copy)) attack.harm(`refused, and left ${JSON.stringify(apart)}`);
        continue;
      }
      if (code !== 0) attack.harm(`${code} for ${JSON.stringify(apart)}: ${err}`);
      attack.note('written');
      for (const line of readFileSync(join(copy, 'headers.jsonl'), 'utf8').trim().split('\n')) {
        const { key, digest } = JSON.parse(line) as { key: string; digest: string };
        const bytes = readFileSync(join(copy, key));
        if (createHash('sha256').update(bytes).digest('hex') !== digest)
          attack.harm(`${JSON.stringify(key)} has other bytes`);
      }
    }
    attack.finish();
    expect(existsSync(folder)).toBe(true);
  },
  3_600_000,
);
