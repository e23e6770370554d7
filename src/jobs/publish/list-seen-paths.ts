/** What a page asks for by its scripts, as far as a browser was seen to. */
import { headersToRecord } from '../../core/hosting/answer.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { resolve } from '../../core/hosting/resolve.js';
import { markOf, pathOfMark, type SeenPages } from '../../core/visiting/seen-requests.js';
import { pagePath } from '../visit/site-addresses.js';

/** @returns paths without their queries; none where the page, a style or a script of it has changed since */
export function listSeenPaths(key: string, seen: SeenPages, view: BucketView): string[] {
  const isSame = (mark: string): boolean => {
    const target = pathOfMark(mark);
    const { status, headers } = resolve({ method: 'GET', target, headers: {}, at: 0 }, view);
    return markOf(target, { status, headers: headersToRecord(headers) }) === mark;
  };
  return seen
    .all(pagePath(key, view.settings.documents.index))
    .filter(({ texts }) => texts.every(isSame))
    .flatMap(({ asked }) => asked.map(({ path }) => path.split('?', 1)[0] ?? path));
}
