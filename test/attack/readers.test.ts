/**
 * Random edits, policies, publishes, parts and restores of an open bucket: no key that nobody could read when it was last
 * published is ever answered with 200 without somebody having typed the bucket's name.
 */
import { rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { it } from 'vitest';
import { FenestraError } from '../../src/core/errors/catalogue.js';
import { exportRelease } from '../../src/jobs/bucket/export-bucket.js';
import { openProject, type Project } from '../../src/jobs/project/open-project.js';
import { withStore, withStoreThere } from '../../src/jobs/project/open-store.js';
import { readMatching } from '../../src/jobs/project/matching.js';
import { SILENT } from '../../src/jobs/progress.js';
import { carryOut, preparePublish } from '../../src/jobs/publish/publish.js';
import { carryOutRestore, prepareRestore } from '../../src/jobs/restore/restore.js';
import type { Questions } from '../../src/jobs/questions.js';
import { openProject as openLibrary, type Served } from '../../src/library/index.js';
import { SEED } from '../helpers/chance.js';
import { makeFolder, PAGE, writeFiles } from '../helpers/program.js';
import { Attack } from './attack-kit.js';

const KEYS = ['drafts/a.html', 'drafts/b.txt', 'members/list.json', 'open/c.html', 'open/d.txt', 'e.css'];
/** Policies, and what each keeps from the public, in the test's own words. */
const POLICIES: readonly (readonly [line: string, keeps: (key: string) => boolean])[] = [
  ['', () => false],
  ['readable: { keys: ["**"], except: ["drafts/**"] }', (key) => key.startsWith('drafts/')],
  [
    'readable: { keys: ["**"], except: ["drafts/**", "members/**"] }',
    (key) => !/^(?:open|e|index)/.test(key),
  ],
  ['readable: { keys: ["index.html", "open/**"] }', (key) => !/^(?:open|index)/.test(key)],
  ['readable: { keys: ["**"], except: ["*.txt"] }', (key) => key.endsWith('.txt')],
];

const RELEASES = 60;
const configOf = (policy: string): string =>
  `site: site\ndestinations: { rehearsal: { store: here, bucket: open-mill } }\ndocuments: { index: index.html }\nhistoryDepth: ${RELEASES + 10}\n${policy}\n`;

/** Types the name, or nothing. @returns what it was asked for, and the questions */
function asked(types: boolean): { readonly names: string[]; readonly questions: Questions } {
  const names: string[] = [];
  return {
    names,
    questions: {
      agree: async () => undefined,
      async typeName({ about, bucket }) {
        if (!types)
          throw new FenestraError('CONFIRMATION_NEEDED', { question: about, option: `--sure ${bucket}` });
        names.push(about);
      },
    },
  };
}

class Bucket {
  readonly home = makeFolder({ 'fenestra.yaml': configOf(''), 'site/index.html': PAGE });
  /** Keys whose last published state nobody could read. */
  readonly veiled = new Set<string>();
  /** What the policies of releases keep from the public. */
  readonly releases: { readonly keys: readonly string[]; readonly keeps: (key: string) => boolean }[] = [];
  keeps: (key: string) => boolean = () => false;

  open(): Promise<Project> {
    return openProject({ config: join(this.home, 'fenestra.yaml') });
  }

  /** A release was made. */
  note(keys: readonly string[], keeps: (key: string) => boolean): void {
    this.releases.push({ keys, keeps });
    for (const key of keys)
      if (keeps(key)) this.veiled.add(key);
      else this.veiled.delete(key);
  }
}

async function listKeys(bucket: Bucket): Promise<string[]> {
  return withStoreThere(await bucket.open(), async (store) => {
    const snapshot = await store.open('open-mill');
    const keys: string[] = [];
    try {
      for await (const { key, waits } of snapshot.objects()) if (!waits) keys.push(key);
    } finally {
      await snapshot.close();
    }
    return keys;
  });
}

it(`nothing private comes out unasked (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async () => {
  const attack = new Attack('who may read what, over random publishes and restores', 60);
  let [bucket, served] = await begin();
  for (let round = 0; round < attack.rounds; round++) {
    if (bucket.releases.length >= RELEASES) {
      await served.close();
      [bucket, served] = await begin();
    }
    const before = new Set(bucket.veiled);
    const { names, questions } = asked(attack.below(3) === 0);
    const count = bucket.releases.length;
    const kind = attack.below(4);
    try {
      if (kind === 0) await restore(bucket, 1 + attack.below(count), questions);
      else
        await publish(
          bucket,
          attack,
          questions,
          kind === 1 ? attack.pick(['drafts/**', '*.txt', 'open/**']) : undefined,
        );
    } catch (error) {
      if (!(error instanceof FenestraError)) throw error;
      attack.note(`refused: ${error.code}`);
    }
    if (bucket.releases.length > count) attack.note(names.length > 0 ? 'published by name' : 'published');
    else attack.note('nothing was published');
    if (round % 6 === 0) await exportBucket(bucket, attack, round);
    for (const key of KEYS) {
      const { status } = await served.fetch(`/${key}`);
      if (status === 200 && before.has(key) && !names.includes('widen'))
        attack.harm(`round ${round}: ${key} was private and is answered, after ${JSON.stringify(names)}`);
    }
  }
  await served.close();
  attack.finish();
});

/** What nobody may read is its owner's alone in an export, and left out of one for the public. */
async function exportBucket(bucket: Bucket, attack: Attack, round: number): Promise<void> {
  const { config } = await bucket.open();
  for (const readableAlone of [false, true]) {
    const folder = join(makeFolder(), 'copy');
    const isReadable = (key: string): boolean => !bucket.keeps(key);
    const input = { folder, site: config.site, isReadable, readableAlone };
    await withStoreThere(await bucket.open(), async (store) => {
      const snapshot = await store.open('open-mill');
      await exportRelease(snapshot, input, SILENT).finally(() => snapshot.close());
    });
    for (const key of await listKeys(bucket)) {
      const stats = statSync(join(folder, key), { throwIfNoEntry: false });
      const isHidden = bucket.keeps(key);
      if (!stats !== (isHidden && readableAlone))
        attack.harm(`round ${round}: ${key} is in the wrong export`);
      if (stats && isHidden && (stats.mode & 0o077) !== 0)
        attack.harm(`round ${round}: others can read ${key}`);
    }
    rmSync(folder, { recursive: true });
  }
  attack.note('exported');
}

async function begin(): Promise<readonly [Bucket, Served]> {
  const bucket = new Bucket();
  const project = await openLibrary({ config: join(bucket.home, 'fenestra.yaml') });
  await project.publish();
  await project.access('open', 'open-mill');
  bucket.note(['index.html'], () => false);
  return [bucket, await project.serve()];
}

async function publish(
  bucket: Bucket,
  attack: Attack,
  questions: Questions,
  part: string | undefined,
): Promise<void> {
  const [line, keeps] = attack.pick(POLICIES);
  const files: Record<string, string> = { 'fenestra.yaml': configOf(line) };
  for (const key of KEYS) {
    if (attack.below(2) === 0) rmSync(join(bucket.home, 'site', key), { force: true });
    else files[`site/${key}`] = `${key} ${attack.below(1000)}`;
  }
  writeFiles(bucket.home, files);
  const project = await bucket.open();
  const prepared = await preparePublish(project, { look: false, matching: readMatching(part) }, SILENT);
  try {
    const { release } = await carryOut(prepared, { note: '', yes: true }, SILENT, questions);
    // A part leaves the policy as it is.
    if (part === undefined) bucket.keeps = keeps;
    if (release !== null) bucket.note(await listKeys(bucket), bucket.keeps);
  } finally {
    await prepared.close();
  }
}

async function restore(bucket: Bucket, release: number, questions: Questions): Promise<void> {
  const project = await bucket.open();
  await withStore(project, async (store) => {
    const restoring = await prepareRestore(project, store, release, SILENT);
    await carryOutRestore(project, store, restoring, { release, note: '', yes: true }, SILENT, questions);
  });
  bucket.note(await listKeys(bucket), bucket.keeps);
}
