/** Where an address that is gone may have moved to: what has the same bytes, or the nearest name. */
import { resolve } from '../hosting/resolve.js';
import type { BucketView } from '../hosting/bucket-view.js';
import { keyToPath } from '../site/key.js';
import type { KeyIndex } from '../site/near-key.js';
import type { MissedPath } from './count-missed.js';

export interface FoundAddress extends MissedPath {
  /** How it is written in a config: decoded. */
  readonly from: string;
  /** Where it may have moved to, as a path; undefined where nothing is near. */
  readonly to?: string;
  /** Why, as a clause. */
  readonly because?: string;
}

/** What an earlier release held. */
export interface Earlier {
  /** The newest release that had the key, and the key that has its bytes now. */
  find(key: string): { readonly release: number; readonly now?: string } | undefined;
}

export interface Answered {
  /** Still without an answer. */
  readonly gone: readonly FoundAddress[];
  /** Asked for in vain then, and answered now. */
  readonly there: readonly MissedPath[];
}

/** @param view of the site as it is now @param keys of it */
export function findMoved(
  missed: readonly MissedPath[],
  view: BucketView,
  { keys, earlier }: { readonly keys: KeyIndex; readonly earlier: Earlier },
): Answered {
  const gone: FoundAddress[] = [];
  const there: MissedPath[] = [];
  for (const row of missed) {
    const { path } = row;
    const { status, reason } = resolve({ method: 'GET', target: path, headers: {} }, view);
    if (status < 400) {
      there.push(row);
      continue;
    }
    const from = decoded(path);
    if (from === undefined || reason === 'malformed' || from.includes('*')) {
      gone.push({ ...row, from: path });
      continue;
    }
    const { index } = view.settings.documents;
    const key = from.endsWith('/') ? `${from.slice(1)}${index}` : from.slice(1);
    const was = earlier.find(key) ?? (from.endsWith('/') ? undefined : earlier.find(`${key}/${index}`));
    const near = was?.now === undefined ? keys.near(key) : undefined;
    const found =
      was?.now === undefined
        ? near && { key: near.key, because: near.because }
        : { key: was.now, because: `it has the bytes that lay there in release ${was.release}` };
    const to = found && addressOf(found.key, view);
    gone.push({
      ...row,
      from,
      ...(to !== undefined && to !== from ? { to, because: found?.because ?? '' } : {}),
      ...(to === undefined && was ? { because: `it was removed after release ${was.release}` } : {}),
    });
  }
  return { gone, there };
}

function decoded(path: string): string | undefined {
  try {
    return decodeURIComponent(path);
  } catch {
    return undefined;
  }
}

/** That of the folder, where the key is its document; undefined where the public gets nothing there. */
function addressOf(key: string, view: BucketView): string | undefined {
  const { index } = view.settings.documents;
  const isIndex = key === index || key.endsWith(`/${index}`);
  const path = keyToPath(isIndex ? key.slice(0, key.length - index.length) : key);
  return resolve({ method: 'GET', target: path, headers: {} }, view).status === 200 ? path : undefined;
}
