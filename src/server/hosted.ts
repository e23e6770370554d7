/** What the server needs of whatever it hosts. */
import type { Readable } from 'node:stream';
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
  buckets(): readonly HostedBucket[];
  view(bucket: string): BucketView | undefined;
  /** All bytes of a small object. @throws FenestraError BODY_DAMAGED */
  read(object: StoredObject): Promise<Buffer>;
  /** Bytes `start` to `end`, both included. @throws FenestraError BODY_DAMAGED */
  stream(object: StoredObject, start: number, end: number): Promise<Readable>;
}
