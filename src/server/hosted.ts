/** What the server needs of whatever it hosts. */
import type { BucketView } from '../core/hosting/bucket-view.js';
import type { HostedName } from '../core/hosting/host.js';
import type { StoredObject } from '../core/site/site-object.js';

export interface HostedBucket extends HostedName {
  readonly access: 'open' | 'closed';
  readonly objects: number;
  readonly bytes: number;
  readonly release: number;
}

export interface Hosted {
  /** Called before anything is read in a turn of the event loop: what was published since becomes visible. */
  refresh(): void;
  /** What keeps the newest state from being hosted, in words; undefined where nothing does. */
  trouble?(): string | undefined;
  /** Takes in what has changed since it was last looked at, where `read` or `pieces` say that something has. */
  catchUp?(): Promise<void>;
  buckets(): readonly HostedBucket[];
  view(bucket: string): BucketView | undefined;
  /** All bytes of a small object. @throws FenestraError BODY_DAMAGED */
  read(object: StoredObject): Promise<Buffer>;
  /**
   * An object's bytes `start` to `end`, both included, in pieces of their own, each known to be the object's.
   * @throws FenestraError BODY_DAMAGED or FILE_CHANGING, also half-way
   */
  pieces(
    object: StoredObject,
    part: { readonly start: number; readonly end: number },
  ): AsyncIterable<Uint8Array>;
}
