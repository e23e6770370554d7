/** Site folders with names and files of every kind: published byte for byte or refused, and what is private stays so. */
import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { it } from 'vitest';
import { FenestraError } from '../../src/core/errors/catalogue.js';
import { createReadPolicy } from '../../src/core/access/read-policy.js';
import { openProject } from '../../src/library/index.js';
import { EmbeddedStore } from '../../src/stores/embedded/embedded-store.js';
import { SEED } from '../helpers/chance.js';
import { CONFIG, makeProject } from '../helpers/program.js';
import { Attack } from './attack-kit.js';

const PARTS = [
  ...[
    'a',
    'index.html',
    'mill.css',
    'x.__proto__',
    'constructor',
    'A',
    'é.html',
    'e\u0301.html',
    'ﬁ.txt',
    '\u{1f3a1}.svg',
  ],
  ...[
    '%41.txt',
    'a b.txt',
    'a#b?c.html',
    '.hidden',
    '.well-known',
    'a\\b.txt',
    '\u202etxt.exe',
    "a'b.txt",
    '$(x).txt',
    '-rf',
  ],
  ...[
    '\u0001.txt',
    'a\nb.txt',
    'x'.repeat(120),
    'index.html.txt',
    'app.3f9c2a7b.js',
    'server.pem',
    'film.mp4',
    '*',
    '[a]',
    '{a}',
  ],
];
const FOLDERS = ['', 'private', 'privé', 'prive\u0301', 'open', 'deep/er/and/deeper', 'a', '__proto__'];
const TEXTS = [
  '',
  'x',
  '<!doctype html><a href="/">',
  '<svg onload=x>',
  '\ufeffbody{}',
  '\0\0\0',
  '{"a":1}',
  '<a href="',
  '@import "',
];

it(`site folders do no harm (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async () => {
  const attack = new Attack('site folders', 12);
  for (let round = 0; round < attack.rounds; round++) {
    const home = makeProject(
      {},
      `${CONFIG}readable: { keys: ["**"], except: ["private/**", "privé/**"] }\nassign: [{ to: "*.gz", encoding: gzip }]\n`,
    );
    const beside = join(home, 'beside');
    writeFileSync(beside, BESIDE);
    for (let n = attack.below(14) + 1; n > 0; n--) makeEntry(join(home, 'site'), beside, attack);
    try {
      const project = await openProject({ config: join(home, 'fenestra.yaml') });
      await project.survey();
      await project.publish({ sure: 'test-mill' });
      attack.note('published');
      await assertSame(home, attack);
    } catch (error) {
      if (error instanceof FenestraError && error.code !== 'DEFECT') attack.note(`refused: ${error.code}`);
      else attack.harm(error instanceof Error ? (error.stack ?? '') : String(error));
    }
    if (readFileSync(beside, 'utf8') !== BESIDE) attack.harm('a file beside the site is another one');
    rmSync(home, { recursive: true });
  }
  attack.finish();
});

/** Never through a link that is there already, wherever it leads. */
const ANEW = { flag: 'wx' };
/** What links lead to outside the site. */
const BESIDE = 'nobody’s business';

/** @param beside a file that links may lead to */
function makeEntry(site: string, beside: string, attack: Attack): void {
  const path = join(site, attack.pick(FOLDERS), attack.pick(PARTS));
  try {
    mkdirSync(dirname(path), { recursive: true });
    const kind = attack.below(12);
    if (kind === 0) mkdirSync(path);
    else if (kind === 1) symlinkSync(attack.pick([beside, '..', 'a', 'nowhere', '.']), path);
    else if (kind === 2)
      writeFileSync(path, createHash('shake256', { outputLength: 300_000 }).update(path).digest(), ANEW);
    else writeFileSync(path, attack.pick(TEXTS), ANEW);
  } catch {
    // Something else is there already, or cannot be.
  }
}

/** Every stored object has the bytes of its digest, and nobody may read what is private. */
async function assertSame(home: string, attack: Attack): Promise<void> {
  const store = EmbeddedStore.open(join(home, '.fenestra/store'));
  try {
    const snapshot = await store.open('test-mill');
    const policy = createReadPolicy(snapshot.state.settings);
    for await (const object of snapshot.objects()) {
      const hash = createHash('sha256');
      for await (const piece of snapshot.read(object)) hash.update(piece);
      if (hash.digest('hex') !== object.digest) attack.harm(`other bytes under ${object.key}`);
      if (/^priv(?:ate|é)\//.test(object.key) && policy.isReadable(object.key))
        attack.harm(`${object.key} can be read`);
      if (object.key.includes('..') || object.key.startsWith('/')) attack.harm(`the key ${object.key}`);
    }
    await snapshot.close();
  } finally {
    await store.close();
  }
}
