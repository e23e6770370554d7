/** The JSON document of a bucket. */
import { isoMoment } from '../../core/words/moments.js';
import type { FolderTree } from '../../core/site/tree.js';
import type { BucketState } from '../../stores/port.js';

/** A folder of a bucket with what is in it. */
export interface TreeJson {
  readonly objects: number;
  readonly bytes: number;
  readonly folders: readonly (TreeJson & { readonly name: string })[];
  readonly files: readonly { readonly name: string; readonly size: number }[];
}

export const treeJson = ({ objects, bytes, folders, files }: FolderTree): TreeJson => ({
  objects,
  bytes,
  folders: [...folders].map(([name, folder]) => ({ name, ...treeJson(folder) })),
  files,
});

export interface BucketJson extends Omit<BucketState, 'name' | 'created' | 'identity' | 'waiting'> {
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
  created: isoMoment(created),
  settings,
});
