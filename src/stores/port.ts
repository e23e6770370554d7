/** The narrow port through which the rest of Fenestra sees any store of buckets. */
import type { Readable } from 'node:stream';
import type { Access, BucketSettings } from '../core/hosting/bucket-view.js';
import type { ReleasePlan, ReleaseRecord } from '../core/release/release.js';
import type { SiteObject, StoredObject } from '../core/site/site-object.js';

export interface BucketState {
  readonly name: string;
  readonly access: Access;
  /** Milliseconds since the epoch. */
  readonly created: number;
  /** The current release; 0 before the first. */
  readonly release: number;
  readonly settings: BucketSettings;
  /** The identity of the site that the current release holds whole; undefined when that is not known. */
  readonly identity?: string | undefined;
  readonly objects: number;
  readonly bytes: number;
}

/** An object's bytes before they are published, already compressed where the object is. */
export interface BodySource {
  readonly object: SiteObject;
  /** Where they come from, for messages. */
  readonly path: string;
  /** All the bytes; asked for only when the object is small. */
  read(): ReadBody | Promise<ReadBody>;
  /** The bytes piece by piece; whoever takes them verifies them. */
  pieces(): Iterable<Buffer> | AsyncIterable<Buffer>;
}

export interface ReadBody {
  readonly bytes: Buffer;
  /** Whether they are known to be the object's bytes; otherwise whoever takes them verifies them. */
  readonly verified: boolean;
}

export interface Progress {
  (doneBytes: number, doneObjects: number): void;
}

/**
 * A store. Failures are FenestraErrors: BUCKET_MISSING, BUCKET_TAKEN, PUBLISHED_MEANWHILE, OPENED_MEANWHILE,
 * BODIES_SWEPT, STORE_FULL, STORE_UNWRITABLE, STORE_DAMAGED, BODY_DAMAGED, FILE_CHANGING, FILE_UNREADABLE.
 */
export interface BucketStore {
  /** The store's name in the config. */
  readonly name: string;
  listBuckets(): Promise<BucketState[]>;
  readBucket(bucket: string): Promise<BucketState | undefined>;
  createBucket(bucket: string, at: number): Promise<void>;
  changeAccess(bucket: string, access: Access): Promise<void>;
  /** The current objects in key order. */
  listObjects(bucket: string): Iterable<StoredObject>;
  /** How many bytes a publish of these objects would send: bodies that the store lacks, each once. */
  countToSend(objects: Iterable<Pick<SiteObject, 'digest' | 'size'>>): Promise<number>;
  /**
   * Makes the bodies durable, then the next release at a single instant, or fails and leaves the old one. What
   * arrived before a failure is not sent again the next time.
   * @param plan made when the bodies are there
   * @param prove called when the bodies are there and can be opened; when it throws, no release is made
   */
  publish(
    bucket: string,
    bodies: Iterable<BodySource>,
    plan: () => ReleasePlan,
    progress?: Progress,
    prove?: () => Promise<void>,
  ): Promise<ReleaseRecord>;
  /** The objects as they were at a release, in key order; release 0 is empty. @throws FenestraError RELEASE_UNKNOWN */
  listObjectsAt(bucket: string, release: number): Promise<StoredObject[]>;
  /** Forgets releases beyond the newest `keep`, with the bodies that only they needed. */
  keepReleases(bucket: string, keep: number): Promise<{ readonly bodies: number; readonly bytes: number }>;
  /** Newest first. */
  listReleases(bucket: string): Promise<ReleaseRecord[]>;
  /** Opens an object's bytes, both ends of the range included. */
  openObject(
    object: StoredObject,
    range?: { readonly start: number; readonly end: number },
  ): Promise<Readable>;
  /** Removes a bucket with its objects and releases, and the bodies that only it needed. */
  removeBucket(bucket: string): Promise<{ readonly bodies: number; readonly bytes: number }>;
  close(): Promise<void>;
}
