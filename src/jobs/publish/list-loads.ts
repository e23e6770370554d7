/** What a page, a style or a module loads of its own site. */
import { decideTarget } from '../../core/check/decide-target.js';
import { readObject } from '../../core/reading/read-object.js';
import { readingKind } from '../../core/reading/reading-kind.js';
import { isLoad } from '../../core/check/release-context.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { keyToPath } from '../../core/site/key.js';
import { KeyIndex } from '../../core/site/near-key.js';
import type { SiteObject } from '../../core/site/site-object.js';
import { readText } from '../check/read-text.js';

const OWN = 'http://site.invalid';

/** Whether there is anything to read in an object. */
export function mayLoad(object: SiteObject): boolean {
  const kind = readingKind(object);
  return kind !== undefined && kind !== 'feed';
}

/** Paths of this site that a text loads. @param bytes all of it, as it is published */
export function listLoadedPaths(object: SiteObject, bytes: Buffer): Set<string> {
  const kind = readingKind(object);
  const text = kind === undefined || kind === 'feed' ? undefined : readText(object, bytes);
  const paths = new Set<string>();
  if (kind === undefined || text === undefined) return paths;
  const { references, base } = readObject(kind, text);
  const here = OWN + keyToPath(object.key);
  const from = (base === undefined ? undefined : parseUrl(base, here)?.href) ?? here;
  for (const { use, raw } of references) {
    const url = isLoad(use) && raw !== '' ? parseUrl(raw, from) : undefined;
    if (url?.origin === OWN) paths.add(url.pathname);
  }
  return paths;
}

/** The key that answers for a path in a release; undefined where none does. */
export const keyOfPath = (path: string, view: BucketView): string | undefined =>
  decideTarget(path, view, () => NO_KEYS).object?.key;

const NO_KEYS = new KeyIndex([]);

function parseUrl(raw: string, base: string): URL | undefined {
  try {
    return new URL(raw, base);
  } catch {
    return undefined;
  }
}
