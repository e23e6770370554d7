/** The embedded store: buckets in a folder, releases that appear at a single instant. */
import { setTimeout } from 'node:timers/promises';
import { FenestraError } from '../../core/errors/catalogue.js';
import { NEW_BUCKET_SETTINGS, SEEN_WITHIN, type Access } from '../../core/hosting/bucket-view.js';
import { bucketMissing, bucketTaken, assertBucketName } from '../../core/release/bucket-name.js';
import { releaseUnknown, type ReleasePlan, type ReleaseRecord } from '../../core/release/release.js';
import type {
  BucketState,
  Differences,
  Guarantees,
  Hosting,
  Publication,
  Removed,
  Snapshot,
  Store,
} from '../port.js';
import { commitRelease } from './commit.js';
import { isBodyWhole, listDamaged } from './damage.js';
import { dropCachedState, keepGlance } from './cached-state.js';
import { listDifferences, pruneReleases, removeRows } from './history.js';
import { hostRows } from './hosting.js';
import { asStoreError, type Layout } from './layout.js';
import { openStoreRows, type OpenedRows } from './open-rows.js';
import type { ObjectRow } from './object-row.js';
import { EmbeddedPublication } from './publication.js';
import { LAST_RELEASE, releasesOf, type Rows } from './rows.js';
import { EmbeddedSnapshot } from './snapshot.js';
import {
  hasLeftovers,
  noteUncounted,
  removeDue,
  startFreeing,
  sweepBodies,
  type SweepOptions,
} from './sweep.js';
import { dropUse } from './uses.js';

const NONE_FREED: Removed = { bodies: 0, bytes: 0 };

export class EmbeddedStore implements Store {
  readonly guarantees: Guarantees = { instant: true, history: true, staging: true, policyByKey: true };
  readonly name: string;
  readonly layout: Layout;
  readonly rows: Rows;
  readonly #readOnly: FenestraError | undefined;
  /** Whether what is known at a glance is to be noted again. */
  #glanceIsOld: boolean;

  private constructor(name: string, { layout, rows, readOnly, checked }: OpenedRows) {
    this.name = name;
    this.layout = layout;
    this.rows = rows;
    this.#readOnly = readOnly;
    this.#glanceIsOld = checked;
  }

  /**
   * Opens the store in a folder, making it when there is none.
   * @throws FenestraError STORE_NOT_OURS, STORE_DAMAGED, STORE_FULL, STORE_UNREADABLE or STORE_UNWRITABLE
   */
  static open(root: string, name = 'here'): EmbeddedStore {
    return new EmbeddedStore(name, openStoreRows(root));
  }

  async buckets(): Promise<readonly BucketState[]> {
    this.#refresh();
    return this.#states();
  }

  async bucket(name: string): Promise<BucketState | undefined> {
    this.#refresh();
    return this.rows.buckets.get(name);
  }

  async create(bucket: string, at: number): Promise<void> {
    assertBucketName(bucket);
    this.#transact(() => {
      if (this.rows.buckets.has(bucket)) throw bucketTaken(bucket, (name) => this.rows.buckets.has(name));
      this.rows.buckets.put(bucket, {
        name: bucket,
        access: 'closed',
        created: at,
        release: 0,
        settings: NEW_BUCKET_SETTINGS,
        objects: 0,
        bytes: 0,
      });
    });
    await untilServersSee();
  }

  async changeAccess(bucket: string, access: Access): Promise<void> {
    this.#transact(() => {
      this.rows.buckets.put(bucket, { ...this.#need(bucket), access });
    });
    await untilServersSee();
  }

  async open(bucket: string, release?: number): Promise<Snapshot> {
    this.#refresh();
    const transaction = this.rows.root.useReadTransaction();
    try {
      const state = this.#need(bucket);
      const at = this.#stateAt(state, release ?? state.release);
      return new EmbeddedSnapshot(this.layout, this.rows, transaction, at, state.release);
    } catch (error) {
      transaction.done();
      throw error;
    }
  }

  async differences(bucket: string, from: number, to: number): Promise<Differences | undefined> {
    // The first release has no undo rows: it differs from nothing in all that it holds.
    if (Math.min(from, to) === 0) return undefined;
    this.#refresh();
    const transaction = this.rows.root.useReadTransaction();
    try {
      const state = this.#need(bucket);
      for (const release of [from, to]) this.#stateAt(state, release);
      return listDifferences(this.rows, bucket, state.release, { from, to }, transaction);
    } finally {
      transaction.done();
    }
  }

  async lacks(_bucket: string, digests: Iterable<string>): Promise<ReadonlySet<string>> {
    const lacking = new Set<string>();
    for (const digest of digests) if (!isBodyWhole(this.rows, digest)) lacking.add(digest);
    return lacking;
  }

  async damaged(): Promise<ReadonlySet<string>> {
    this.#refresh();
    return listDamaged(this.rows);
  }

  async begin(bucket: string, plan: ReleasePlan): Promise<Publication> {
    this.#assertWritable();
    this.#refresh();
    this.#need(bucket);
    // Its bodies are indexed as they come.
    this.#glanceIsOld = true;
    return this.#makingRoom(
      () =>
        new EmbeddedPublication(this.layout, this.rows, plan, async (agreed, at, sent) => {
          const record = this.#transact(() => {
            const { claim, left } = sent.claims();
            const made = commitRelease(this.rows, this.#need(bucket), agreed, at, claim);
            // What was sent and is no part of it after all is found by counting anew.
            if (left() > 0) noteUncounted(this.rows, at);
            return made;
          });
          await untilServersSee();
          return record;
        }),
    );
  }

  async releases(bucket: string): Promise<readonly ReleaseRecord[]> {
    this.#refresh();
    this.#need(bucket);
    return this.#releases(bucket);
  }

  async keepReleases(bucket: string, keep: number): Promise<Removed> {
    const { result: pruned, freed } = this.#freeing((drop) =>
      pruneReleases(this.rows, bucket, { head: this.#need(bucket).release, keep }, drop),
    );
    if (pruned > 0 || hasLeftovers(this.rows, Date.now())) return this.#sweep(freed);
    this.#guard(() => removeDue(this.layout, this.rows, Date.now()));
    return { bodies: 0, bytes: 0 };
  }

  async remove(bucket: string): Promise<Removed> {
    const { freed } = this.#freeing((drop) => removeRows(this.rows, this.#need(bucket).name, drop));
    dropCachedState(this.layout);
    await untilServersSee();
    // Nobody reads what belonged to no other bucket, so it goes at once.
    try {
      return this.#sweep(freed, { grace: 0, worthKeeping: 1 });
    } catch (error) {
      if (!(error instanceof FenestraError && error.code === 'STORE_FULL')) throw error;
      // Where nothing can be written anew, at least whole files go.
      return this.#sweep(freed, { grace: 0, worthKeeping: 0 });
    }
  }

  hosting(): Hosting {
    return hostRows(this.layout, this.rows);
  }

  async close(): Promise<void> {
    if (this.#glanceIsOld) this.keepGlance();
    await this.rows.root.close();
  }

  /** Lets the next command see the buckets' states without opening the store; failing to only makes it slower. */
  keepGlance(): void {
    try {
      // Inside a transaction nobody else commits.
      this.#transact(() =>
        keepGlance(this.layout, this.rows.damaged.count() === 0 ? this.#states() : undefined, (bucket) =>
          this.#releases(bucket),
        ),
      );
      this.#glanceIsOld = false;
    } catch {
      // See above.
    }
  }

  /** Lets go of the read transaction, so that what other processes committed is seen. */
  #refresh(): void {
    this.rows.root.resetReadTxn();
  }

  #releases(bucket: string): ReleaseRecord[] {
    const range = this.rows.releases.list(releasesOf(bucket, 0, LAST_RELEASE));
    return [...range].map(({ value }) => value).reverse();
  }

  #states(): BucketState[] {
    return [...this.rows.buckets.list()].map(({ value }) => value);
  }

  #need(bucket: string): BucketState {
    const state = this.rows.buckets.get(bucket);
    if (state) return state;
    throw bucketMissing(
      this.name,
      bucket,
      this.#states().map(({ name }) => name),
    );
  }

  #stateAt(now: BucketState, release: number): BucketState {
    if (release === now.release) return now;
    const { objects: _objects, bytes: _bytes, identity: _identity, waiting: _waiting, ...state } = now;
    if (release === 0) return { ...state, release, settings: NEW_BUCKET_SETTINGS };
    const record = this.rows.releases.get([now.name, release]);
    if (record) return { ...state, release, settings: record.settings, identity: record.identity };
    const known = this.rows.releases.keys(releasesOf(now.name, 0, LAST_RELEASE));
    throw releaseUnknown(
      now.name,
      release,
      [...known].map((key) => key[1]),
    );
  }

  /** Does some work in a write transaction that drops uses of bodies. */
  #freeing<T>(work: (drop: (row: ObjectRow) => void) => T): { readonly result: T; readonly freed: Removed } {
    return this.#transact(() => {
      const freeing = startFreeing(this.layout, this.rows, Date.now());
      const free = freeing && freeing.free.bind(freeing);
      const result = work((row) => dropUse(this.rows, row, free));
      return { result, freed: freeing?.finish() ?? NONE_FREED };
    });
  }

  /** @param before what was freed already */
  #sweep(before: Removed, options?: SweepOptions): Removed {
    const { bodies, bytes } = this.#guard(() => sweepBodies(this.layout, this.rows, Date.now(), options));
    return { bodies: before.bodies + bodies, bytes: before.bytes + bytes };
  }

  #transact<T>(work: () => T): T {
    this.#assertWritable();
    this.#glanceIsOld = true;
    return this.#makingRoom(() => this.rows.root.transactionSync(work));
  }

  #makingRoom<T>(work: () => T): T {
    try {
      return this.#guard(work);
    } catch (error) {
      if (!(error instanceof FenestraError && error.code === 'STORE_FULL')) throw error;
      // What nothing needs, such as the bodies of a publish that was killed, may be what takes the room.
      this.#sweep(NONE_FREED, { grace: 0, worthKeeping: 0 });
      return this.#guard(work);
    }
  }

  #assertWritable(): void {
    if (this.#readOnly) throw this.#readOnly;
  }

  /** Lets errors of the system name the store. */
  #guard<T>(work: () => T): T {
    try {
      return work();
    } catch (error) {
      throw asStoreError(error, this.layout.root);
    }
  }
}

/** Waits until every server that hosts this store has seen what was committed. */
const untilServersSee = (): Promise<void> => setTimeout(2 * SEEN_WITHIN);
