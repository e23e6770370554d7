/** The JSON document of a bucket. */
import type { BucketState } from '../../stores/port.js';

export interface BucketJson extends Omit<BucketState, 'name' | 'created' | 'identity'> {
  readonly bucket: string;
  readonly address: string;
  /** ISO 8601. */
  readonly created: string;
}

export const bucketJson = (
  { name, access, release, objects, bytes, created, settings }: BucketState,
  address: string,
): BucketJson => ({
  bucket: name,
  address,
  access,
  release,
  objects,
  bytes,
  created: new Date(created).toISOString(),
  settings,
});
