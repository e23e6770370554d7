/** The page of a folder at the folder's own address, for hosts that look for no index documents in folders. */
import { fileName } from '../site/key.js';
import type { StoredObject } from '../site/site-object.js';
import type { BucketView } from './bucket-view.js';

/** The address of its folder as a key; undefined for what is no index document, and at the root. */
export const folderKey = (key: string, index: string): string | undefined =>
  key !== index && fileName(key) === index ? key.slice(0, -index.length) : undefined;

/** The name of the page that lies under a key, which may be the address of a folder. */
export const pageKey = (key: string, index: string): string => (key.endsWith('/') ? key + index : key);

/** The page that lies under the address of its folder too; undefined where the key is that of no such copy. */
export function pageOfCopy(
  { settings, find }: Pick<BucketView, 'settings' | 'find'>,
  key: string,
): StoredObject | undefined {
  if (!key.endsWith('/')) return undefined;
  const page = find(pageKey(key, settings.documents.index));
  return page && find(key)?.digest === page.digest ? page : undefined;
}
