/**
 * How often bodies are used: once for each row that names one, current or undo, of any bucket. So what a pruned
 * release or a removed bucket frees is known without a look at all that stays. Everything here goes on inside the
 * write transaction that changes those rows.
 */
import type { SiteObject } from '../../core/site/site-object.js';
import type { BodyPlace, Rows } from './rows.js';

type Used = Pick<SiteObject, 'digest' | 'size'>;

/** @returns whether the body is there; an object without bytes needs none */
export function addUse(rows: Rows, { digest, size }: Used): boolean {
  if (size === 0) return true;
  const place = rows.bodies.get(digest);
  if (!place) return false;
  rows.bodies.put(digest, { ...place, uses: place.uses + 1 });
  return true;
}

/** @param free takes what nobody uses any more; undefined where it has to stay until it is swept */
export function dropUse(
  rows: Rows,
  { digest, size }: Used,
  free: ((digest: string, place: BodyPlace) => void) | undefined,
): void {
  const place = size === 0 ? undefined : rows.bodies.get(digest);
  if (!place) return;
  const uses = Math.max(0, place.uses - 1);
  if (uses === 0 && free) return free(digest, place);
  rows.bodies.put(digest, { ...place, uses });
  if (uses === 0) rows.unused.put(digest, 1);
}

const DIGEST_BYTES = 32;

/** Used for one batch after the other. */
let scratch = Buffer.alloc(0);

/** Indexes bodies that lie one after the other in a pack. */
export function indexPacked(rows: Rows, places: readonly (readonly [string, BodyPlace])[]): void {
  const [first] = places;
  if (first?.[1].pack === undefined) return;
  const { pack, offset } = first[1];
  let bytes = 0;
  for (const [digest, place] of places) {
    rows.bodies.put(digest, place);
    bytes += place.length;
  }
  notePacked(rows, { pack, offset, bytes, digests: places.map(([digest]) => digest) });
}

/** Notes what lies in a pack, of which the entries are there. */
export function notePacked(
  rows: Rows,
  batch: {
    readonly pack: string;
    /** Of the first of them. */
    readonly offset: number;
    readonly bytes: number;
    readonly digests: readonly string[];
  },
): void {
  const { pack, offset, bytes, digests } = batch;
  if (digests.length === 0) return;
  rows.live.put(pack, (rows.live.get(pack) ?? 0) + bytes);
  const bytesOf = digests.length * DIGEST_BYTES;
  if (scratch.length < bytesOf) scratch = Buffer.allocUnsafeSlow(bytesOf);
  for (const [at, digest] of digests.entries()) scratch.write(digest, at * DIGEST_BYTES, 'hex');
  rows.packed.put([pack, offset], scratch.subarray(0, bytesOf));
}

/** Bodies whose entries go, or lead elsewhere from now on, lie in their pack for nothing. */
export function leavePack(rows: Rows, pack: string, bytes: number): void {
  const left = (rows.live.get(pack) ?? 0) - bytes;
  if (left > 0) rows.live.put(pack, left);
  else forgetPack(rows, pack);
}

export function forgetPack(rows: Rows, pack: string): void {
  rows.live.remove(pack);
  for (const key of [...rows.packed.keys(batchesOf(pack))]) rows.packed.remove(key);
}

/** The bodies of a pack that the index leads to, in the order in which they lie there. */
export function* listPacked(rows: Rows, pack: string): Generator<[string, BodyPlace]> {
  for (const { value } of rows.packed.list(batchesOf(pack)))
    for (let at = 0; at < value.length; at += DIGEST_BYTES) {
      const digest = value.toString('hex', at, at + DIGEST_BYTES);
      const place = rows.bodies.get(digest);
      if (place?.pack === pack) yield [digest, place];
    }
}

const batchesOf = (pack: string): { start: [string, number]; end: [string, number] } => ({
  start: [pack, 0],
  end: [pack, Number.MAX_SAFE_INTEGER],
});

/** Counts everything anew, by going through all rows: where nothing was counted, or somebody has ended half-way. */
export function countUses(rows: Rows): void {
  const uses = new Map<string, number>();
  const count = (row: Used | null): void => {
    if (row && row.size > 0) uses.set(row.digest, (uses.get(row.digest) ?? 0) + 1);
  };
  for (const { value } of rows.current.list()) count(value);
  for (const { value } of rows.undo.list()) count(value);
  for (const table of [rows.live, rows.packed, rows.unused])
    for (const key of [...table.keys()]) table.remove(key as never);
  const packs = new Map<string, [string, BodyPlace][]>();
  for (const { key, value } of [...rows.bodies.list()]) {
    const place = { ...value, uses: uses.get(key) ?? 0 };
    if (place.uses === 0) rows.unused.put(key, 1);
    if (place.pack === undefined) rows.bodies.put(key, place);
    else {
      const others = packs.get(place.pack);
      if (others) others.push([key, place]);
      else packs.set(place.pack, [[key, place]]);
    }
  }
  for (const places of packs.values())
    indexPacked(
      rows,
      places.sort(([, a], [, b]) => a.offset - b.offset),
    );
}
