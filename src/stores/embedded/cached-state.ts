/**
 * What is known of the database beside it: the buckets' states, for looking without opening it, since loading its
 * native part takes longer than finding that a site has not changed; and that it is as it was left, so that it need not
 * be checked again. Both hold for exactly the database that they were read from: each commit writes one of its first
 * two pages.
 */
import * as crypto from 'node:crypto';
import { closeSync, fstatSync, openSync, readFileSync, readSync, rmSync } from 'node:fs';
import { writeWhole } from '../../files/write-whole.js';
import type { ReleaseRecord } from '../../core/release/release.js';
import type { StoreGlance } from '../kind.js';
import type { BucketState } from '../port.js';
import { checkHead, readTransaction } from './check-head.js';
import { guardIdentity } from './identity.js';
import { asStoreError, layoutOf, OWN_FILE, type Layout } from './layout.js';
import { PAGE_SIZE } from './page.js';

interface Kept {
  /** Digest of the rest. */
  readonly seal: string;
  /** Digest of the database's stamp. */
  readonly stamp: string;
  /** The transaction that the database was at. */
  readonly transaction: string;
  /** Left out where more than the states has to be known. */
  readonly buckets: readonly BucketState[] | null;
  /** Of buckets whose releases are not too many. */
  readonly releases: readonly Releases[];
}

type Releases = readonly [bucket: string, newestFirst: readonly ReleaseRecord[]];

export interface CachedState {
  /** Whether the database is as it was left by somebody who found it whole. */
  readonly asLeft: boolean;
  /** A transaction that it has been at. */
  readonly transaction: bigint;
  readonly known: StoreGlance | undefined;
}

const NOTHING: CachedState = { asLeft: false, transaction: 0n, known: undefined };

export function readCachedState(layout: Layout): CachedState {
  try {
    const { seal, ...rest } = JSON.parse(readFileSync(layout.cachedState, 'utf8')) as Kept;
    if (seal !== sealOf(rest)) return NOTHING;
    const { stamp, transaction, buckets, releases } = rest;
    const asLeft = stamp === stampOf(layout);
    return {
      asLeft,
      transaction: BigInt(transaction),
      known: asLeft && buckets ? { buckets, releases: new Map(releases) } : undefined,
    };
  } catch {
    return NOTHING;
  }
}

/**
 * What the store holds; undefined when only opening it can tell.
 * @throws FenestraError STORE_DAMAGED, STORE_NOT_OURS
 */
export function readAtAGlance(root: string): StoreGlance | undefined {
  const layout = layoutOf(root);
  try {
    if (!guardIdentity(layout)) return undefined;
    const { asLeft, transaction, known } = readCachedState(layout);
    if (!asLeft || !checkHead(layout.rows, transaction)) return undefined;
    return known;
  } catch (error) {
    throw asStoreError(error, root, 'STORE_UNREADABLE');
  }
}

/**
 * Keeps what is known for the next time. Called where nothing can be committed meanwhile; failing to is only a slower
 * next time.
 * @param buckets undefined where their states alone would mislead
 * @param releasesOf a bucket's releases, newest first
 */
export function keepGlance(
  layout: Layout,
  buckets: readonly BucketState[] | undefined,
  releasesOf: (bucket: string) => readonly ReleaseRecord[],
): void {
  try {
    const transaction = readTransaction(layout.rows);
    if (transaction === undefined) return;
    const rest = {
      stamp: stampOf(layout),
      transaction: String(transaction),
      buckets: buckets ?? null,
      releases: fewReleases(buckets ?? [], releasesOf),
    };
    const kept: Kept = { seal: sealOf(rest), ...rest };
    writeWhole(layout.cachedState, JSON.stringify(kept), { mode: OWN_FILE });
  } catch {
    // See above.
  }
}

/** Every command that glances reads them, so that they may not be large. */
const MAX_LENGTH = 32_768;
const MAX_BUCKETS = 20;

function fewReleases(
  buckets: readonly BucketState[],
  releasesOf: (bucket: string) => readonly ReleaseRecord[],
): Releases[] {
  if (buckets.length > MAX_BUCKETS) return [];
  let left = MAX_LENGTH;
  return buckets.flatMap(({ name }): Releases[] => {
    const releases = releasesOf(name);
    const characters = JSON.stringify(releases).length;
    if (characters > left) return [];
    left -= characters;
    return [[name, releases]];
  });
}

/** Once a bucket is gone, nothing of it is to be left. */
export const dropCachedState = (layout: Layout): void => rmSync(layout.cachedState, { force: true });

const sealOf = ({ stamp, transaction, buckets, releases }: Omit<Kept, 'seal'>): string =>
  crypto.hash('sha256', JSON.stringify([stamp, transaction, buckets, releases]), 'hex');

function stampOf({ rows }: Layout): string {
  const head = Buffer.alloc(2 * PAGE_SIZE);
  const file = openSync(rows, 'r');
  try {
    const { ino, size, mtimeMs, ctimeMs } = fstatSync(file);
    readSync(file, head, 0, head.length, 0);
    return crypto.hash(
      'sha256',
      JSON.stringify([ino, size, mtimeMs, ctimeMs, head.toString('latin1')]),
      'hex',
    );
  } finally {
    closeSync(file);
  }
}
