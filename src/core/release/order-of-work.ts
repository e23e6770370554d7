/** The order in which bodies go to a store that shows them one by one: nothing before what it needs. */
import { essence } from '../assign/media-type.js';
import type { BucketSettings } from '../hosting/bucket-view.js';
import type { SiteObject } from '../site/site-object.js';

/** 0 for what pages load, 1 for pages, 2 for the documents that answer for folders and mistakes. */
function rank({ key, headers }: SiteObject, { documents }: BucketSettings): number {
  if (key === documents.error || key === documents.index || key.endsWith(`/${documents.index}`)) return 2;
  const type = essence(headers['Content-Type'] ?? '');
  return type === 'text/html' || type === 'application/xhtml+xml' ? 1 : 0;
}

/** Within a rank the order stays. */
export function orderOfWork<T extends { readonly object: SiteObject }>(
  bodies: Iterable<T>,
  settings: BucketSettings,
): T[] {
  const ranks: [T[], T[], T[]] = [[], [], []];
  for (const body of bodies) ranks[rank(body.object, settings)]?.push(body);
  return ranks.flat();
}
