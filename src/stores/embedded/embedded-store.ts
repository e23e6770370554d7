/** The embedded store `here`: buckets in a folder, releases that appear at a single instant. */
import type { Readable } from 'node:stream';
import { setTimeout } from 'node:timers/promises';
import { FenestraError } from '../../core/errors/catalogue.js';
import {
  NEW_BUCKET_SETTINGS,
  SEEN_WITHIN,
  type Access,
  type BucketView,
} from '../../core/hosting/bucket-view.js';
import { bucketNameFault, suggestBucketName } from '../../core/release/bucket-name.js';
import { countToSend } from '../../core/release/change-list.js';
import type { ReleasePlan, ReleaseRecord } from '../../core/release/release.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { nearestWord } from '../../core/words/nearest-word.js';
import type { BodySource, BucketState, BucketStore, Progress } from '../port.js';
import { BucketViews } from './bucket-views.js';
import { commitRelease } from './commit.js';
import { dropGlance, keepGlance } from './glance.js';
import { objectsAt, pruneReleases } from './history.js';
import {
  beginPublishing,
  endPublishing,
  removeDue,
  sweepBodies,
  type SweepOptions,
  type Swept,
} from './sweep.js';
import { openBody, streamBody, type OpenedBody } from './open-body.js';
import { putBodies } from './put-bodies.js';
import { asStoreError, prepareLayout, type Layout } from './layout.js';
import { AFTER, openRows, removeRows, type Rows } from './rows.js';

export class EmbeddedStore implements BucketStore {
  readonly name = 'here';
  readonly layout: Layout;
  readonly rows: Rows;
  private readonly views: BucketViews;

  private constructor(layout: Layout, rows: Rows) {
    this.layout = layout;
    this.rows = rows;
    this.views = new BucketViews(rows);
  }

  /**
   * Opens the store in a folder, making it when there is none.
   * @throws FenestraError STORE_NOT_OURS, STORE_DAMAGED, STORE_FULL or STORE_UNWRITABLE
   */
  static open(root: string): EmbeddedStore {
    const layout = prepareLayout(root);
    try {
      return new EmbeddedStore(layout, openRows(layout.rows));
    } catch (error) {
      throw asStoreError(error, root);
    }
  }

  async listBuckets(): Promise<BucketState[]> {
    this.refresh();
    return this.bucketStates();
  }

  /** Every bucket, by the read transaction in force. */
  bucketStates(): BucketState[] {
    return [...this.rows.buckets.getRange()].map(({ value }) => value);
  }

  async readBucket(bucket: string): Promise<BucketState | undefined> {
    this.refresh();
    return this.rows.buckets.get(bucket);
  }

  async createBucket(bucket: string, at: number): Promise<void> {
    const reason = bucketNameFault(bucket);
    if (reason !== undefined)
      throw new FenestraError('BUCKET_NAME', { name: bucket, reason, suggestion: suggestBucketName(bucket) });
    this.transact(() => {
      if (this.rows.buckets.doesExist(bucket)) {
        throw new FenestraError('BUCKET_TAKEN', { name: bucket, suggestion: this.freeName(bucket) });
      }
      this.rows.buckets.putSync(bucket, {
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
    this.transact(() => {
      this.rows.buckets.putSync(bucket, { ...this.need(bucket), access });
    });
    await untilServersSee();
  }

  *listObjects(bucket: string): Iterable<StoredObject> {
    this.refresh();
    this.need(bucket);
    for (const { key, value } of this.rows.current.getRange({ start: [bucket, ''], end: [bucket, AFTER] })) {
      yield { key: key[1], ...value };
    }
  }

  async countToSend(objects: Iterable<Pick<StoredObject, 'digest' | 'size'>>): Promise<number> {
    return countToSend(objects, (digest) => this.rows.bodies.doesExist(digest));
  }

  async publish(
    bucket: string,
    bodies: Iterable<BodySource>,
    plan: () => ReleasePlan,
    progress?: Progress,
    prove?: () => Promise<void>,
  ): Promise<ReleaseRecord> {
    let id: string | undefined;
    try {
      id = beginPublishing(this.rows, process.pid, Date.now());
      await putBodies(this.layout, this.rows, bodies, progress);
      await prove?.();
      const record = this.transact(() => commitRelease(this.rows, this.need(bucket), plan()));
      await untilServersSee();
      return record;
    } catch (error) {
      throw asStoreError(error, this.layout.root);
    } finally {
      if (id !== undefined) this.letGo(id);
    }
  }

  /** On a full disk even this small note cannot be written; a publisher that has ended is forgotten anyway. */
  private letGo(id: string): void {
    try {
      endPublishing(this.rows, id);
    } catch {
      // See above.
    }
  }

  /** Forgets releases beyond the newest `keep` of a bucket, and removes the bodies that nothing needs any more. */
  async keepReleases(bucket: string, keep: number): Promise<Swept> {
    const pruned = this.transact(() => pruneReleases(this.rows, bucket, this.need(bucket).release, keep));
    if (pruned > 0) return this.sweep();
    this.guard(() => removeDue(this.layout, this.rows, Date.now()));
    return { bodies: 0, bytes: 0 };
  }

  /** The objects as they were at a release. @throws FenestraError RELEASE_UNKNOWN */
  async listObjectsAt(bucket: string, release: number): Promise<StoredObject[]> {
    this.refresh();
    const { release: head } = this.need(bucket);
    if (release !== 0) this.readRelease(bucket, release);
    return objectsAt(this.rows, bucket, head, release);
  }

  /** @throws FenestraError RELEASE_UNKNOWN */
  readRelease(bucket: string, release: number): ReleaseRecord {
    const record = this.rows.releases.get([bucket, release]);
    if (record) return record;
    const known = [
      ...this.rows.releases.getKeys({ start: [bucket, 0], end: [bucket, Number.MAX_SAFE_INTEGER] }),
    ].map((key) => key[1]);
    const [first, last] = [known[0], known.at(-1)];
    throw new FenestraError('RELEASE_UNKNOWN', {
      bucket,
      release,
      known: first === undefined ? 'none' : first === last ? `only ${first}` : `${first} to ${last ?? first}`,
    });
  }

  async listReleases(bucket: string): Promise<ReleaseRecord[]> {
    this.refresh();
    this.need(bucket);
    const range = this.rows.releases.getRange({
      start: [bucket, Number.MAX_SAFE_INTEGER],
      end: [bucket, 0],
      reverse: true,
    });
    return [...range].map(({ value }) => value);
  }

  async openObject(
    object: StoredObject,
    range?: { readonly start: number; readonly end: number },
  ): Promise<Readable> {
    const body = await this.openBody(object);
    return streamBody(body, range?.start ?? 0, range?.end ?? object.size - 1);
  }

  /** Opens the file that an object's bytes lie in. @throws FenestraError BODY_DAMAGED */
  async openBody(object: StoredObject): Promise<OpenedBody> {
    return openBody(this.layout, this.rows, object);
  }

  /** The latest release that removed a key which is not there now; undefined when none kept did. */
  removedIn(bucket: string, key: string): number | undefined {
    for (let release = this.need(bucket).release; release > 0; release--) {
      const before = this.rows.undo.get([bucket, release, key]);
      if (before !== undefined) return before === null ? undefined : release;
    }
    return undefined;
  }

  async removeBucket(bucket: string): Promise<Swept> {
    this.transact(() => removeRows(this.rows, this.need(bucket).name));
    dropGlance(this.layout);
    await untilServersSee();
    // Nobody reads what belonged to no other bucket, so it goes at once.
    try {
      return this.sweep({ grace: 0, worthKeeping: 1 });
    } catch (error) {
      if (!(error instanceof FenestraError && error.code === 'STORE_FULL')) throw error;
      // Where nothing can be written anew, at least whole files go.
      return this.sweep({ grace: 0, worthKeeping: 0 });
    }
  }

  private sweep(options?: SweepOptions): Swept {
    return this.guard(() => sweepBodies(this.layout, this.rows, Date.now(), options));
  }

  /** Lets the next command see the buckets' states without opening the store. */
  keepGlance(): void {
    // Inside a transaction nobody else commits.
    this.transact(() => keepGlance(this.layout, this.bucketStates()));
  }

  async close(): Promise<void> {
    await this.rows.root.close();
  }

  /** Lets go of the read transaction, so that what other processes committed is seen. */
  refresh(): void {
    this.rows.root.resetReadTxn();
  }

  /** One release of a bucket for the resolver; undefined when there is no such bucket. */
  view(bucket: string): BucketView | undefined {
    return this.views.view(bucket);
  }

  private need(bucket: string): BucketState {
    const state = this.rows.buckets.get(bucket);
    if (state) return state;
    const nearest = nearestWord(
      bucket,
      this.bucketStates().map(({ name }) => name),
    );
    throw new FenestraError('BUCKET_MISSING', {
      store: this.name,
      name: bucket,
      nearest: nearest === undefined ? '' : `; there is ${nearest}`,
    });
  }

  private freeName(bucket: string): string {
    for (let number = 2; ; number++)
      if (!this.rows.buckets.doesExist(`${bucket}-${number}`)) return `${bucket}-${number}`;
  }

  private transact<T>(work: () => T): T {
    return this.guard(() => this.rows.root.transactionSync(work));
  }

  /** Lets errors of the system name the store. */
  private guard<T>(work: () => T): T {
    try {
      return work();
    } catch (error) {
      throw asStoreError(error, this.layout.root);
    }
  }
}

/** Waits until every server that hosts this store has seen what was committed. */
const untilServersSee = (): Promise<void> => setTimeout(2 * SEEN_WITHIN);
