/** One release as something to host, whatever store it lies in: for a check of it before anybody sees it. */
import { hostsOf, type BucketView } from '../../core/hosting/bucket-view.js';
import { hasKeyFrom } from '../../core/hosting/find-in.js';
import { placeOfKey } from '../../core/site/find-key.js';
import { ObjectColumns, type PackedObjects } from '../../core/site/object-columns.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { Hosted } from '../../server/hosted.js';
import type { ByteRange, Pieces } from '../../stores/port.js';

/** Reads an object's bytes, or a part of them. */
export type ReadObject = (object: StoredObject, range?: ByteRange) => Pieces;

/** All bytes of an object in one piece. */
export async function readWhole(read: ReadObject, object: StoredObject): Promise<Buffer> {
  const pieces: Uint8Array[] = [];
  let only: Uint8Array | undefined;
  for await (const piece of read(object)) {
    // One piece is kept as it is; of several each is only good until the next.
    if (piece.length === object.size) only = piece;
    else pieces.push(Buffer.from(piece));
  }
  return only ? Buffer.from(only.buffer, only.byteOffset, only.byteLength) : Buffer.concat(pieces);
}

export function hostRelease(view: BucketView, packed: PackedObjects, read: ReadObject): Hosted {
  const { name, access, release, settings } = view;
  const bytes = packed.sizes.reduce((sum, size) => sum + size, 0);
  const columns = new ObjectColumns(packed);
  // What is worked out of an object to answer with it goes with the object, and each is asked for a few times only.
  const answered: BucketView = {
    ...view,
    find: (key) => columns.find(key),
    hasBelow: (prefix, counts) => {
      const keyAt = (at: number): string => columns.keyAt(at);
      return hasKeyFrom(placeOfKey(columns.length, keyAt, prefix), keyAt, prefix, counts);
    },
  };
  return {
    refresh: () => undefined,
    buckets: () => [
      { name, access, release, domains: hostsOf(settings), objects: packed.sizes.length, bytes },
    ],
    view: (bucket) => (bucket === name ? answered : undefined),
    read: async (object) => readWhole(read, object),
    pieces: (object, part) => copied(read(object, part)),
  };
}

/** A connection keeps pieces for a while, and a piece is only good until the next one is asked for. */
async function* copied(pieces: Pieces): AsyncGenerator<Buffer> {
  for await (const piece of pieces) yield Buffer.from(piece);
}

const opened = new WeakMap<BucketView, BucketView>();
const closed = new WeakMap<BucketView, BucketView>();

/** The same release as it is once the bucket is open; the same view for the same release. */
export const openView = (view: BucketView): BucketView => withAccess(view, 'open', opened);

/** The same release as it is once the bucket is closed; the same view for the same release. */
export const closedView = (view: BucketView): BucketView => withAccess(view, 'closed', closed);

function withAccess(
  view: BucketView,
  access: BucketView['access'],
  known: WeakMap<BucketView, BucketView>,
): BucketView {
  let made = known.get(view);
  if (!made) known.set(view, (made = { ...view, access }));
  return made;
}
