import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { createMemoryStore } from '../../../test/helpers/memory-store.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { EmbeddedStore } from '../embedded/embedded-store.js';
import { sweepBodies } from '../embedded/sweep.js';
import type { BodySource, Publication, Snapshot, Store } from '../port.js';
import { storeContract } from './contract.js';
import { BUCKET, expectSite, publish, type Site } from './kit.js';

const folders: string[] = [];
afterAll(() => {
  for (const folder of folders) rmSync(folder, { recursive: true, force: true });
});
const makeEmbedded = (): EmbeddedStore => {
  const folder = mkdtempSync(join(tmpdir(), 'fenestra-store-'));
  folders.push(folder);
  return EmbeddedStore.open(join(folder, 'store'));
};
const seed = Number(process.env['FENESTRA_SEED'] ?? 20_261_126);

const STORES: readonly (readonly [string, () => Store])[] = [
  ['embedded', makeEmbedded],
  ['in-memory', () => createMemoryStore()],
  [
    'in-memory one that guarantees nothing',
    () => createMemoryStore({ instant: false, history: false, staging: false, policyByKey: false }),
  ],
];
for (const [name, make] of STORES) {
  const cases = await storeContract(make, { seed });
  describe(`the ${name} store (FENESTRA_SEED=${seed})`, () => {
    it.each(cases.map((each) => [each.name, each.run] as const))('%s', (_name, run) => run());
  });
}

it('the embedded store knows every kept state, however much was swept', async () => {
  const store = makeEmbedded();
  await store.create(BUCKET, 0);
  const sites: Site[] = Array.from({ length: 6 }, (_, at) => ({
    'a.txt': `text ${at % 3}`,
    [`only-${at}.txt`]: 'x'.repeat(at * 60_000),
  }));
  for (const site of sites) await publish(store, site);
  await store.keepReleases(BUCKET, 3);
  sweepBodies(store.layout, store.rows, Date.now() + 1e6);
  for (const release of [4, 5, 6]) await expectSite(store, sites[release - 1] ?? {}, release);
  expect(await store.remove(BUCKET)).toMatchObject({ bodies: 6 });
  await store.close();
});

type Publish = (publication: Publication, plan: Parameters<Store['begin']>[1]) => Partial<Publication>;
type Look = (snapshot: Snapshot) => Partial<Snapshot>;

/** A store of which single members are replaced. */
function cheating(changes: Partial<Store>, onPublish?: Publish, onLook?: Look): () => Store {
  return () => {
    const honest = createMemoryStore();
    return {
      ...honest,
      ...(onPublish
        ? {
            begin: async (bucket, plan) => {
              const publication = await honest.begin(bucket, plan);
              return { ...publication, ...onPublish(publication, plan) };
            },
          }
        : {}),
      ...(onLook
        ? {
            open: async (bucket, release) => {
              const snapshot = await honest.open(bucket, release);
              return { ...snapshot, ...onLook(snapshot) };
            },
          }
        : {}),
      ...changes,
    };
  };
}

/** What is read of a body that went through somebody's hands. */
async function* changed(
  pieces: AsyncIterable<Uint8Array>,
  by: (bytes: Buffer) => Buffer,
): AsyncGenerator<Buffer> {
  for await (const piece of pieces) yield by(Buffer.from(piece));
}

const CHEATS: readonly (readonly [name: string, make: () => Store, caught: RegExp])[] = [
  [
    'commits what was abandoned, as after a proof that failed',
    cheating({}, (publication) => ({
      abandon: async () => void (await publication.commit(1).catch(() => undefined)),
    })),
    /abandoned/,
  ],
  [
    'forgets bodies after a failure, and says that it has them',
    () => {
      const store = createMemoryStore();
      const forgotten = new Set<string>();
      return {
        ...store,
        lacks: async (bucket, digests) =>
          new Set([...(await store.lacks(bucket, digests))].filter((digest) => !forgotten.has(digest))),
        begin: async (bucket, plan) => {
          const publication = await store.begin(bucket, plan);
          // Held back until the commit, so that they are gone where there is none.
          const held: BodySource[] = [];
          return {
            ...publication,
            put: async (body) => {
              if (body.path === 'd.txt') await publication.put(body);
              else held.push(body);
            },
            commit: async (at) => {
              for (const body of held.splice(0)) await publication.put(body);
              return publication.commit(at);
            },
            abandon: async () => {
              for (const { object } of held) forgotten.add(object.digest);
            },
          };
        },
      };
    },
    /can be relied on for every body.*BODIES_SWEPT|can be relied on.*swept/,
  ],
  [
    'lists out of order',
    cheating({}, undefined, (snapshot) => ({
      async *objects() {
        const all: StoredObject[] = [];
        for await (const object of snapshot.objects()) all.push(object);
        // As a comparison by UTF-16 would have it.
        yield* all.sort((a, b) => (a.key < b.key ? -1 : 1));
      },
    })),
    /order of their UTF-8 bytes/,
  ],
  [
    'lists an object twice',
    cheating({}, undefined, (snapshot) => ({
      async *objects() {
        for await (const object of snapshot.objects()) {
          yield object;
          if (object.key === 'a.txt') yield object;
        }
      },
    })),
    /every key once/,
  ],
  [
    'shows half a release',
    () => {
      const store = createMemoryStore();
      return {
        ...store,
        begin: async (bucket, plan) => {
          const publication = await store.begin(bucket, plan);
          return {
            ...publication,
            commit: async (at) => {
              // The first half becomes visible a moment before the rest.
              const half = plan.put.slice(0, plan.put.length / 2);
              const early = await store.begin(bucket, { ...plan, put: half, remove: [] });
              await early.commit(at);
              await new Promise(setImmediate);
              const state = await store.bucket(bucket);
              const late = await store.begin(bucket, { ...plan, bucket: state, base: plan.base + 1 });
              return { ...(await late.commit(at)), release: plan.base + 1 };
            },
          };
        },
      };
    },
    /published|numbered|gives?|must/,
  ],
  [
    'loses a header',
    cheating({}, undefined, (snapshot) => ({
      async *objects() {
        for await (const object of snapshot.objects()) {
          const { 'Content-Language': _lost, ...headers } = object.headers;
          yield { ...object, headers };
        }
      },
    })),
    /as it was published/,
  ],
  [
    'finds another object than it lists',
    cheating({}, undefined, (snapshot) => ({
      find: async (key) => snapshot.find(key.toLowerCase()),
    })),
    /must know no "A\.txt"/,
  ],
  [
    'reads other bytes',
    cheating({}, undefined, (snapshot) => ({
      read: (object, range) =>
        changed(snapshot.read(object, range), (bytes) => Buffer.from(bytes.toString().replace('two', 'owt'))),
    })),
    /bytes of folder\/b\.txt/,
  ],
  [
    'leaves out the last byte of a part',
    cheating({}, undefined, (snapshot) => ({
      read: (object, range) =>
        snapshot.read(object, range && { ...range, end: Math.max(range.start, range.end - 1) }),
    })),
    /equal/,
  ],
  [
    'takes any bytes',
    cheating({}, (publication) => ({
      put: async (body) => {
        await publication.put(body).catch(() => undefined);
      },
    })),
    /BODIES_SWEPT|did not fail/,
  ],
  [
    'lets the last publisher win',
    cheating({}, (publication, plan) => ({
      commit: async (at) =>
        publication.commit(at).catch(async () => ({ ...plan, release: plan.base + 1, at })),
    })),
    /did not fail/,
  ],
  [
    'opens a bucket by publishing to it',
    () => {
      const store = createMemoryStore();
      return {
        ...store,
        create: async (name, at) =>
          void (await store.create(name, at), await store.changeAccess(name, 'open')),
      };
    },
    /closed|open/,
  ],
  [
    'keeps a snapshot that moves on',
    () => {
      const store = createMemoryStore();
      return {
        ...store,
        open: async (bucket, release) => {
          const snapshot = await store.open(bucket, release);
          return release === undefined
            ? {
                ...snapshot,
                async *objects() {
                  yield* (await store.open(bucket)).objects();
                },
                find: async (key) => (await store.open(bucket)).find(key),
              }
            : snapshot;
        },
      };
    },
    /as it was published|must/,
  ],
  [
    'announces a history that it does not have',
    () => ({ ...createMemoryStore({ history: false }), guarantees: createMemoryStore().guarantees }),
    /history/,
  ],
];

describe('the contract catches a store that', () => {
  it.each(CHEATS)('%s', async (_name, make, caught) => {
    const cases = await storeContract(make, { seed });
    const failures: string[] = [];
    for (const { name, run } of cases)
      await run().catch((error: unknown) => failures.push(`${name}: ${(error as Error).message}`));
    expect(failures.join('\n')).toMatch(caught);
  });
});
