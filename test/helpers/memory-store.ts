/** A store in memory: for tests of the contract, and of jobs with stores that guarantee less. */
import { createHash } from 'node:crypto';
import { FenestraError } from '../../src/core/errors/catalogue.js';
import { NEW_BUCKET_SETTINGS, type Access } from '../../src/core/hosting/bucket-view.js';
import { bucketMissing, bucketTaken, assertBucketName } from '../../src/core/release/bucket-name.js';
import { applyPlan } from '../../src/core/release/apply-plan.js';
import { releaseUnknown, type ReleasePlan, type ReleaseRecord } from '../../src/core/release/release.js';
import { compareKeys } from '../../src/core/site/key.js';
import type { SiteObject, StoredObject } from '../../src/core/site/site-object.js';
import type {
  BodySource,
  BucketState,
  ByteRange,
  Guarantees,
  Pieces,
  Publication,
  Snapshot,
  Store,
} from '../../src/stores/port.js';

type Objects = ReadonlyMap<string, StoredObject>;

interface Bucket {
  state: BucketState;
  objects: Objects;
  readonly kept: Map<number, { readonly record: ReleaseRecord; readonly objects: Objects }>;
}

const ALL: Guarantees = { instant: true, history: true, staging: true, policyByKey: true };

/** @param less what it does not guarantee */
export function createMemoryStore(less: Partial<Guarantees> = {}, name = 'memory'): Store {
  const guarantees = { ...ALL, ...less };
  const buckets = new Map<string, Bucket>();
  const bodies = new Map<string, Buffer>();
  const need = (bucket: string): Bucket => {
    const found = buckets.get(bucket);
    if (!found) throw bucketMissing(name, bucket, [...buckets.keys()]);
    return found;
  };
  async function* read({ key, digest, size }: SiteObject, range?: ByteRange): Pieces {
    const bytes = size === 0 ? Buffer.alloc(0) : bodies.get(digest);
    if (!bytes) throw new FenestraError('BODY_DAMAGED', { key, reason: 'they are gone', path: name });
    if (size > 0) yield range ? bytes.subarray(range.start, range.end + 1) : bytes;
  }
  const snapshotOf = (state: BucketState, objects: Objects): Snapshot => ({
    state,
    async *objects() {
      yield* [...objects.values()].sort((a, b) => compareKeys(a.key, b.key));
    },
    find: async (key) => objects.get(key),
    read,
    close: async () => undefined,
  });
  const store: Store = {
    name,
    guarantees,
    buckets: async () => [...buckets.values()].map(({ state }) => state),
    bucket: async (bucket) => buckets.get(bucket)?.state,
    async create(bucket, created) {
      assertBucketName(bucket);
      if (buckets.has(bucket)) throw bucketTaken(bucket, (each) => buckets.has(each));
      const state = {
        name: bucket,
        access: 'closed' as const,
        created,
        release: 0,
        settings: NEW_BUCKET_SETTINGS,
      };
      buckets.set(bucket, { state, objects: new Map(), kept: new Map() });
    },
    async changeAccess(bucket, access: Access) {
      const found = need(bucket);
      found.state = { ...found.state, access };
    },
    async remove(bucket) {
      need(bucket);
      buckets.delete(bucket);
      return { bodies: 0, bytes: 0 };
    },
    async open(bucket, release) {
      const { state, objects, kept } = need(bucket);
      if (release === undefined || release === state.release) return snapshotOf(state, objects);
      if (release === 0) return snapshotOf({ ...state, release, settings: NEW_BUCKET_SETTINGS }, new Map());
      const then = kept.get(release);
      if (!then || !guarantees.history) throw releaseUnknown(bucket, release, [...kept.keys()]);
      const { settings, identity } = then.record;
      return snapshotOf({ ...state, release, settings, identity }, then.objects);
    },
    lacks: async (_bucket, digests) => new Set([...digests].filter((digest) => !bodies.has(digest))),
    async begin(bucket, plan) {
      need(bucket);
      return publicationOf(bucket, plan);
    },
    close: async () => undefined,
    ...(guarantees.history
      ? {
          releases: async (bucket: string) =>
            [...need(bucket).kept.values()].map(({ record }) => record).reverse(),
          async keepReleases(bucket: string, keep: number) {
            const { kept, state } = need(bucket);
            for (const release of kept.keys()) if (release <= state.release - keep) kept.delete(release);
            return { bodies: 0, bytes: 0 };
          },
        }
      : {}),
  };
  function publicationOf(bucket: string, plan: ReleasePlan): Publication {
    return {
      async put({ object, path, pieces }: BodySource) {
        const all: Buffer[] = [];
        for await (const piece of pieces()) all.push(Buffer.from(piece));
        const bytes = Buffer.concat(all);
        if (createHash('sha256').update(bytes).digest('hex') !== object.digest)
          throw new FenestraError('FILE_CHANGING', { path });
        bodies.set(object.digest, bytes);
      },
      settle: async () => undefined,
      ...(guarantees.staging ? { read } : {}),
      async commit(at) {
        const found = need(bucket);
        const { state } = found;
        if (state.release !== plan.base || (plan.bucket && plan.bucket.created !== state.created))
          throw new FenestraError('PUBLISHED_MEANWHILE', {
            bucket,
            base: plan.base,
            head: state.release,
            who: '',
          });
        if (state.access === 'open' && plan.bucket?.access !== 'open')
          throw new FenestraError('OPENED_MEANWHILE', { bucket });
        for (const { key, size, digest } of plan.put)
          if (size > 0 && !bodies.has(digest)) throw new FenestraError('BODIES_SWEPT', { bucket, key });
        const { objects, waiting } = applyPlan(found.objects, plan, at);
        const {
          put: _put,
          remove: _remove,
          stay: _stay,
          nextDue: _due,
          base,
          bucket: _bucket,
          ...said
        } = plan;
        const record: ReleaseRecord = { ...said, release: base + 1, at };
        found.objects = objects;
        found.state = {
          ...state,
          release: base + 1,
          settings: plan.settings,
          identity: plan.identity,
          waiting,
        };
        found.kept.set(base + 1, { record, objects });
        return record;
      },
      abandon: async () => undefined,
    };
  }
  return store;
}
