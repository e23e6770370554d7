/** A sample of a large site that has something of every kind in it. */
import { essence } from '../assign/media-type.js';
import type { StoredObject } from '../site/site-object.js';

/** Objects that are probed unless every one is asked for. */
export const SAMPLE = 1000;

export interface Sample {
  readonly objects: readonly StoredObject[];
  /** How many there are in all. */
  readonly of: number;
  /** How many kinds were told apart: by type, caching, top folder and whether the public may read it. */
  readonly kinds: number;
}

/**
 * Takes objects from every kind in turn until there are enough, evenly spread within each. Always the same ones for
 * the same release.
 */
export function sampleObjects(
  objects: readonly StoredObject[],
  most: number,
  isReadable: (key: string) => boolean,
): Sample {
  const kinds = new Map<string, StoredObject[]>();
  for (const object of objects) {
    const { key, headers } = object;
    const kind = [
      essence(headers['Content-Type'] ?? ''),
      headers['Cache-Control'] ?? headers['Expires'] ?? '',
      key.includes('/') ? key.slice(0, key.indexOf('/')) : '',
      isReadable(key),
    ].join('\0');
    const known = kinds.get(kind);
    if (known) known.push(object);
    else kinds.set(kind, [object]);
  }
  if (objects.length <= most) return { objects, of: objects.length, kinds: kinds.size };
  const shares = share([...kinds.values()], most);
  const chosen = shares.flatMap(({ members, take }) =>
    Array.from({ length: take }, (_, at) => members[Math.floor((at * members.length) / take)]).filter(
      (each) => each !== undefined,
    ),
  );
  return { objects: chosen, of: objects.length, kinds: kinds.size };
}

/** The smallest kinds are taken whole; what they leave is shared among the larger ones. */
function share(
  kinds: readonly (readonly StoredObject[])[],
  most: number,
): { members: readonly StoredObject[]; take: number }[] {
  let left = most;
  const bySize = [...kinds].sort((a, b) => a.length - b.length);
  return bySize.map((members, at) => {
    const take = Math.min(
      members.length,
      Math.max(left > 0 ? 1 : 0, Math.floor(left / (bySize.length - at))),
    );
    left -= take;
    return { members, take };
  });
}
