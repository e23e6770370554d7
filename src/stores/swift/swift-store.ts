/** Buckets in an OpenStack Swift, through its public HTTP interface. */
import { randomBytes } from 'node:crypto';
import pMap from 'p-map';
import { NEW_BUCKET_SETTINGS, type Access } from '../../core/hosting/bucket-view.js';
import { bucketMissing, bucketTaken, assertBucketName } from '../../core/release/bucket-name.js';
import { releaseUnknown, type ReleasePlan, type ReleaseRecord } from '../../core/release/release.js';
import type {
  BodyAbilities,
  BucketState,
  Guarantees,
  Publication,
  Removed,
  Snapshot,
  Store,
} from '../port.js';
import { claim } from './claims.js';
import { SwiftClient, type ClientOptions } from './client.js';
import { makeContainer, mendContainer, readAccess, setAccess } from './container.js';
import { listWrongCopies, mendCopies } from './document-copies.js';
import { pruneReleases, removeContainer } from './sweep.js';
import { tryBodies } from './try-bodies.js';
import { decideTurn } from './turn.js';
import { isDocumentCopy, plainNames, type WebNames } from './web-names.js';
import {
  aboutOf,
  findInterrupted,
  joinIntents,
  readIntent,
  reconcile,
  reconcileSeen,
  writeIntent,
  type Intent,
} from './intent.js';
import { readLedger, readRelease, readReleases, readRows, writeNewLedger, type Ledger } from './ledger.js';
import { listContainers, listNames } from './listing.js';
import { BODIES, bucketOfLedger, containerPath, ledgerOf } from './names.js';
import { SwiftPublication } from './publication.js';
import { SwiftSnapshot } from './snapshot.js';

const SIDE_BY_SIDE = 8;

/** A bucket that somebody else has made, before anything was published to it. */
const ADOPTED = {
  created: 0,
  release: 0,
  settings: NEW_BUCKET_SETTINGS,
  isAdopted: true,
} as const;

/** Bytes above which a body goes in segments of that size. */
const SEGMENTS_ABOVE = 1e9;

export interface SwiftStoreOptions extends ClientOptions {
  readonly segments?: number | undefined;
  /** Whether all pages of folders are seen at once, by one setting of the container. */
  readonly turns?: boolean | undefined;
}

export class SwiftStore implements Store {
  readonly guarantees: Guarantees = {
    instant: false,
    history: true,
    staging: true,
    policyByKey: false,
    moved: false,
  };
  readonly name: string;
  readonly #client: SwiftClient;
  readonly #segments: number;
  readonly #turns: boolean;

  constructor(options: SwiftStoreOptions) {
    this.#segments = options.segments ?? SEGMENTS_ABOVE;
    this.#turns = options.turns ?? false;
    this.name = options.store;
    this.#client = new SwiftClient(options);
  }

  tellWaiting(tell: (text: string) => void): void {
    this.#client.tell = tell;
  }

  get requests(): number {
    return this.#client.requests;
  }

  async buckets(): Promise<readonly BucketState[]> {
    const names: string[] = [];
    for await (const container of listContainers(this.#client)) {
      const bucket = bucketOfLedger(container);
      if (bucket !== undefined) names.push(bucket);
    }
    const states = await pMap(names, (bucket) => this.bucket(bucket), { concurrency: SIDE_BY_SIDE });
    return states.flatMap((state) => state ?? []);
  }

  async bucket(name: string): Promise<BucketState | undefined> {
    const [ledger, access] = await Promise.all([
      readLedger(this.#client, name),
      readAccess(this.#client, name),
    ]);
    if (!access) return undefined;
    if (!ledger) return { ...ADOPTED, name, access };
    const { identity, ...state } = ledger.state;
    // After a publish that was killed nobody knows at once what the bucket holds.
    const isWhole = (await readIntent(this.#client, name, state.release)) === undefined;
    return { ...state, access, ...(isWhole && identity !== undefined ? { identity } : {}) };
  }

  async address(bucket: string): Promise<string> {
    return `${await this.#client.account()}${containerPath(bucket)}/`;
  }

  async create(bucket: string, at: number): Promise<void> {
    assertBucketName(bucket);
    const taken = (): Error => bucketTaken(bucket, () => false);
    if (await readLedger(this.#client, bucket)) throw taken();
    const isThere = await makeContainer(this.#client, bucket, {
      // Without an index document an open container is listed to everybody.
      'x-container-meta-web-index': NEW_BUCKET_SETTINGS.documents.index,
    });
    const isKnown = await makeContainer(this.#client, ledgerOf(bucket));
    // A making that was cut short left both, and nothing in them.
    if (isThere && !isKnown) throw taken();
    await writeNewLedger(this.#client, bucket, at);
  }

  async changeAccess(bucket: string, access: Access): Promise<void> {
    const { state, web } = await this.#need(bucket);
    const { index } = web?.now ?? plainNames(state.settings);
    await setAccess(this.#client, bucket, access, { index, sharing: state.settings.sharing });
  }

  async mendSettings(bucket: string): Promise<void> {
    const ledger = await this.#need(bucket);
    const web = webOf(ledger);
    // First whatever lets others in.
    await mendContainer(this.#client, ledgerOf(bucket), undefined);
    const { sharing } = ledger.state.settings;
    await mendContainer(this.#client, bucket, { ...web.now, sharing });
    const rows = await readRows(this.#client, bucket, ledger.rows);
    const copies = { client: this.#client, bucket, rows, ...web };
    await mendCopies(copies, await listWrongCopies(copies));
  }

  async remove(bucket: string): Promise<Removed> {
    await this.#need(bucket);
    // Nobody reads it from the first moment on, and the ledger knows of it up to the last.
    const { index } = plainNames(NEW_BUCKET_SETTINGS);
    await setAccess(this.#client, bucket, 'closed', { index, sharing: undefined });
    const own = await removeContainer(this.#client, bucket);
    const ledger = await removeContainer(this.#client, ledgerOf(bucket));
    return { bodies: own.bodies + ledger.bodies, bytes: own.bytes + ledger.bytes };
  }

  async open(bucket: string, release?: number): Promise<Snapshot> {
    const [known, access] = await Promise.all([
      readLedger(this.#client, bucket),
      readAccess(this.#client, bucket),
    ]);
    const client = this.#client;
    if (!known && access)
      return new SwiftSnapshot({
        client,
        bucket,
        state: { ...ADOPTED, name: bucket, access },
        rows: new Map(),
      });
    const ledger = known ?? (await this.#need(bucket));
    const state: BucketState = { ...ledger.state, access: access ?? 'closed' };
    const intent = await readIntent(this.#client, bucket, state.release);
    const own = { client, bucket, completeAt: ledger.writtenAt, web: webOf(ledger) };
    const make = async (at: BucketState, rows: string | undefined): Promise<Snapshot> =>
      new SwiftSnapshot({
        ...own,
        state: at,
        rows: await readRows(client, bucket, rows),
        isOwn: isOwn(ledger),
      });
    if (release === undefined || release === state.release) {
      // Asked for by its number, it is as it was made.
      if (!intent || release !== undefined) return make(state, ledger.rows);
      const rows = await readRows(this.#client, bucket, ledger.rows);
      const left = await findInterrupted(this.#client, bucket, intent);
      const real = { ...state, identity: undefined };
      const seen = reconcileSeen(rows, left);
      return new SwiftSnapshot({ ...own, state: real, rows: seen, isOwn: isOwn(ledger, intent) });
    }
    const { objects: _objects, bytes: _bytes, identity: _identity, waiting: _waiting, ...then } = state;
    if (release === 0) return make({ ...then, release, settings: NEW_BUCKET_SETTINGS }, undefined);
    const kept = await readRelease(this.#client, bucket, release);
    if (!kept) {
      const known = (await readReleases(this.#client, bucket)).map(({ record }) => record.release);
      throw releaseUnknown(bucket, release, known);
    }
    const { settings, identity } = kept.record;
    return make({ ...then, release, settings, identity }, kept.rows);
  }

  tryBodies(bucket: string): Promise<BodyAbilities> {
    return tryBodies(this.#client, bucket);
  }

  async lacks(bucket: string, digests: Iterable<string>): Promise<ReadonlySet<string>> {
    const wanted = new Set(digests);
    const ledger = await readLedger(this.#client, bucket);
    if (!ledger || wanted.size === 0) return wanted;
    for (const { digest } of (await readRows(this.#client, bucket, ledger.rows)).values())
      wanted.delete(digest);
    if (wanted.size > 0)
      for await (const { name } of listNames(this.#client, ledgerOf(bucket), BODIES))
        wanted.delete(name.slice(BODIES.length));
    return wanted;
  }

  async begin(bucket: string, plan: ReleasePlan): Promise<Publication> {
    if (!(await readLedger(this.#client, bucket))) await this.#adopt(bucket);
    const held = await claim(this.#client, bucket, randomBytes(9).toString('hex'), plan.by);
    try {
      const ledger = await this.#need(bucket);
      const rows = await readRows(this.#client, bucket, ledger.rows);
      const intent = await readIntent(this.#client, bucket, ledger.state.release);
      const left = intent && (await findInterrupted(this.#client, bucket, intent));
      const real = left ? reconcile(rows, left) : rows;
      const turn = decideTurn(plan, ledger, real, this.#turns);
      const web = turn.isNew ? turn.to : undefined;
      await writeIntent(this.#client, bucket, joinIntents({ ...plan, web }, intent));
      return new SwiftPublication({
        client: this.#client,
        bucket,
        plan,
        ledger,
        rows: real,
        claim: held,
        interrupted: left,
        turn,
        segmentsAbove: async () =>
          (await this.#client.capabilities()).has('slo') ? this.#segments : undefined,
      });
    } catch (error) {
      await held.release();
      throw error;
    }
  }

  async releases(bucket: string): Promise<readonly ReleaseRecord[]> {
    const ledger = await readLedger(this.#client, bucket);
    // Of one that somebody else has made nothing was published here.
    if (!ledger && (await readAccess(this.#client, bucket))) return [];
    const { state } = ledger ?? (await this.#need(bucket));
    const kept = await readReleases(this.#client, bucket);
    // One that was written and never counted is none.
    return kept.map(({ record }) => record).filter(({ release }) => release <= state.release);
  }

  async keepReleases(bucket: string, keep: number): Promise<Removed> {
    const { state, rows: current } = await this.#need(bucket);
    return pruneReleases(this.#client, bucket, { release: state.release, rows: current, keep });
  }

  async close(): Promise<void> {
    await this.#client.close();
  }

  /** Makes the ledger of a bucket that somebody else has made. @throws FenestraError BUCKET_MISSING */
  async #adopt(bucket: string): Promise<void> {
    if ((await readAccess(this.#client, bucket)) === undefined) await this.#need(bucket);
    await makeContainer(this.#client, ledgerOf(bucket));
    // Who comes second finds the first one's.
    if (!(await readLedger(this.#client, bucket))) await writeNewLedger(this.#client, bucket, 0);
  }

  /** @throws FenestraError BUCKET_MISSING */
  async #need(bucket: string): Promise<Ledger> {
    const ledger = await readLedger(this.#client, bucket);
    if (ledger) return ledger;
    throw bucketMissing(
      this.name,
      bucket,
      (await this.buckets()).map(({ name }) => name),
    );
  }
}

/** The names of the site's documents, and those under which the container answers with them. */
const webOf = ({ state, web }: Ledger): { readonly plain: WebNames; readonly now: WebNames } => {
  const plain = plainNames(state.settings);
  return { plain, now: web?.now ?? plain };
};

/** What lies in a bucket because of Fenestra without being in a release. */
function isOwn({ state, web }: Ledger, intent?: Intent): (name: string) => boolean {
  const plain = plainNames(state.settings);
  const copies = [plain, ...(web ? [web.now, ...web.before] : []), ...(intent?.web ? [intent.web] : [])];
  // What a killed publish has left is its own.
  const left = intent && aboutOf(intent);
  return (name) => isDocumentCopy(name, copies, plain) || (left?.has(name) ?? false);
}
