/**
 * The buckets' states beside the database, for looking without opening it: loading its native part takes longer
 * than finding that a site has not changed. They hold for exactly the database that they were read from: each commit
 * writes one of its first two pages.
 */
import * as crypto from 'node:crypto';
import { closeSync, fstatSync, openSync, readFileSync, readSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { writeWhole } from '../../files/write-whole.js';
import type { BucketState } from '../port.js';
import { guardLayout, layoutOf, OWN_FILE, PAGE_SIZE, type Layout } from './layout.js';

interface Glance {
  /** Digest of the database's stamp and of the states. */
  readonly key: string;
  readonly buckets: readonly BucketState[];
}

const pathOf = ({ root }: Layout): string => join(root, 'glance.json');

/**
 * A bucket's state; undefined when only opening the store can tell.
 * @throws FenestraError STORE_DAMAGED, STORE_NOT_OURS
 */
export function readAtAGlance(root: string, bucket: string): BucketState | undefined {
  const layout = layoutOf(root);
  guardLayout(layout);
  try {
    const { key, buckets } = JSON.parse(readFileSync(pathOf(layout), 'utf8')) as Glance;
    return key === keyOf(layout, buckets) ? buckets.find(({ name }) => name === bucket) : undefined;
  } catch {
    return undefined;
  }
}

/**
 * Keeps the states for the next glance. Called where nothing can be committed meanwhile; failing to is only a
 * slower next time.
 */
export function keepGlance(layout: Layout, buckets: readonly BucketState[]): void {
  try {
    const glance: Glance = { key: keyOf(layout, buckets), buckets };
    writeWhole(pathOf(layout), JSON.stringify(glance), { mode: OWN_FILE });
  } catch {
    // See above.
  }
}

/** Once a bucket is gone, nothing of it is to be left. */
export const dropGlance = (layout: Layout): void => rmSync(pathOf(layout), { force: true });

function keyOf({ rows }: Layout, buckets: readonly BucketState[]): string {
  const head = Buffer.alloc(2 * PAGE_SIZE);
  const file = openSync(rows, 'r');
  try {
    const { ino, size, mtimeMs, ctimeMs } = fstatSync(file);
    readSync(file, head, 0, head.length, 0);
    const stamp = JSON.stringify([ino, size, mtimeMs, ctimeMs, head.toString('latin1'), buckets]);
    return crypto.hash('sha256', stamp, 'hex');
  } finally {
    closeSync(file);
  }
}
