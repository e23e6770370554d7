/** An address of the site as it is to be written in a text: where the site lies below a path, a slash alone leaves it. */
import type { ReleaseContext } from './release-context.js';

/**
 * @param from the key of the text
 * @param path an address of the site, percent-encoded, with its leading slash
 */
export function writtenIn(
  from: string,
  path: string,
  context: Pick<ReleaseContext, 'place' | 'view'>,
): string {
  const { place, view } = context;
  if (place === '/') return path;
  const { documents, apps = [] } = view.settings;
  // They answer at any depth.
  const isAnywhere = from === documents.error || apps.some(({ page }) => page === from);
  return isAnywhere ? place.slice(0, -1) + path : relativeTo(from, path);
}

function relativeTo(from: string, path: string): string {
  const here = from.split('/').slice(0, -1).map(encodeURIComponent);
  const there = path.slice(1).split('/');
  let shared = 0;
  while (shared < here.length && shared < there.length - 1 && here[shared] === there[shared]) shared++;
  const up = '../'.repeat(here.length - shared);
  return up + there.slice(shared).join('/') || './';
}

/** An address with its leading slash, however it is written in a page. @param key of the page */
export const rootedIn = (key: string, raw: string, { place }: Pick<ReleaseContext, 'place'>): string =>
  new URL(raw, `http://site.invalid${place}${key.slice(0, key.lastIndexOf('/') + 1)}`).pathname;
