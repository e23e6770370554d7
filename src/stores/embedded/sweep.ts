/**
 * Sweeping: bodies that no kept release of any bucket needs are removed. Never while somebody publishes, whose
 * bodies belong to no release yet, and inside one write transaction, so that nobody begins to meanwhile; and a file
 * that a request may still be reading goes only after a grace time.
 */
import { randomBytes } from 'node:crypto';
import { readdirSync, rmSync } from 'node:fs';
import { hostname } from 'node:os';
import { basename, dirname, join } from 'node:path';
import { systemCode } from '../../core/errors/catalogue.js';
import type { Removed } from '../port.js';
import { doom, Freeing, sizeOf } from './free-bodies.js';
import type { Layout } from './layout.js';
import { movePacked } from './move-packed.js';
import type { PublisherNote, Rows } from './rows.js';
import { countUses } from './uses.js';

/** Milliseconds that a file without any use is left for requests that have just looked it up. */
const GRACE = 60_000;
/** A pack is written anew when less than this part of it is still needed. */
const WORTH_KEEPING = 0.5;

export interface SweepOptions {
  /** Milliseconds; 0 where requests that come too late for a body are to find it nowhere. */
  readonly grace?: number;
  /** The part of a pack that must be needed for it to stay: 1 leaves no byte behind, 0 needs no room on the disk. */
  readonly worthKeeping?: number;
}

export function sweepBodies(
  layout: Layout,
  rows: Rows,
  now: number,
  { grace = GRACE, worthKeeping = WORTH_KEEPING }: SweepOptions = {},
): Removed {
  const swept = rows.root.transactionSync(() => {
    const { working, ended } = lookForPublishers(rows, now);
    if (working) return undefined;
    // What one has left that never came to its release was counted as if it had.
    for (const id of ended) rows.publishing.remove(id);
    return doomUnneeded(layout, rows, now, { worthKeeping, everywhere: ended.length > 0 });
  });
  if (!swept) return { bodies: 0, bytes: 0 };
  removeDue(layout, rows, now, grace);
  return swept;
}

/** Removes the files that were doomed a grace time ago: only once the commit that nothing leads to them is on disk. */
export function removeDue(layout: Layout, rows: Rows, now: number, grace = GRACE): void {
  if (rows.doomed.count() === 0) return;
  rows.root.transactionSync(() => {
    if (!lookForPublishers(rows, now).working) removeDoomed(layout, rows, now, grace);
  });
}

/** Takes what nothing needs out of the index, and notes its files. Inside a write transaction. */
function doomUnneeded(
  layout: Layout,
  rows: Rows,
  now: number,
  { worthKeeping, everywhere }: { readonly worthKeeping: number; readonly everywhere: boolean },
): Removed {
  if (everywhere) countUses(rows);
  const freeing = new Freeing(layout, rows, now);
  for (const digest of [...rows.unused.keys()]) {
    rows.unused.remove(digest);
    const place = rows.bodies.get(digest);
    if (place?.uses === 0) freeing.free(digest, place);
  }
  const freed = freeing.finish();
  // Those of publishers that were killed are among them, though no row tells of them.
  if (everywhere)
    for (const path of listFiles(layout.large))
      if (!rows.bodies.has(basename(path))) doom(layout, rows, path, now);
  for (const path of listFiles(layout.packs)) {
    const pack = basename(path);
    const live = rows.live.get(pack) ?? 0;
    if (live > 0 && live >= sizeOf(path) * worthKeeping) continue;
    if (live > 0) movePacked(layout, rows, pack);
    doom(layout, rows, path, now);
  }
  return freed;
}

/** What takes bodies out of the index at once; undefined while somebody counts on them, or they have to be counted anew. */
export function startFreeing(layout: Layout, rows: Rows, now: number): Freeing | undefined {
  const { working, ended } = lookForPublishers(rows, now);
  return working || ended.length > 0 ? undefined : new Freeing(layout, rows, now);
}

const listFiles = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name);
    return entry.isDirectory() ? listFiles(path) : [path];
  });

/** Inside a write transaction. */
function removeDoomed(layout: Layout, rows: Rows, now: number, grace: number): void {
  const due = [...rows.doomed.list()].filter(({ value }) => value <= now - grace);
  if (due.length === 0) return;
  for (const { key } of due) if (!isInUse(layout, rows, key)) rmSync(join(layout.root, key), { force: true });
  for (const { key } of due) rows.doomed.remove(key);
}

/** A large body may have been published again under the same digest since. */
const isInUse = (layout: Layout, rows: Rows, path: string): boolean =>
  dirname(path) === basename(layout.packs)
    ? rows.live.has(basename(path))
    : rows.bodies.has(basename(path)) && rows.bodies.get(basename(path))?.pack === undefined;

/** Registers a publisher for as long as its bodies belong to no release. @returns its id */
export function beginPublishing(rows: Rows, pid: number, at: number): string {
  const host = hostname();
  const id = `${host}-${pid}-${at}-${randomBytes(4).toString('hex')}`;
  rows.root.transactionSync(() => void rows.publishing.put(id, { pid, at, host }));
  return id;
}

/** @param committed whether its bodies belong to a release; otherwise a later sweep looks after them */
export function endPublishing(rows: Rows, id: string, committed: boolean): void {
  rows.root.transactionSync(() => {
    const note = rows.publishing.get(id);
    if (committed) rows.publishing.remove(id);
    else if (note) rows.publishing.put(id, { ...note, pid: ENDED });
  });
}

/** Has the next sweep count anew, as after a publisher that was killed. Inside a write transaction. */
export function noteUncounted(rows: Rows, at: number): void {
  const host = hostname();
  rows.publishing.put(`${host}-${at}-${randomBytes(4).toString('hex')}`, { pid: ENDED, at, host });
}

/** No process has this number. */
const ENDED = 0;

/** Whether publishers have ended without a release, so that bodies may lie there that nothing needs. */
export const hasLeftovers = (rows: Rows, now: number): boolean =>
  lookForPublishers(rows, now).ended.length > 0;

/** Whether anybody publishes, and who has ended without a release, killed or refused. */
function lookForPublishers(
  { publishing }: Rows,
  now: number,
): { readonly working: boolean; readonly ended: readonly string[] } {
  const all = [...publishing.list()];
  const ended = all.filter(({ value }) => !isAtWork(value, now)).map(({ key }) => key);
  return { working: ended.length < all.length, ended };
}

const HOUR = 3_600_000;

/** A process of this machine can be looked for; one in another machine or container can only be waited for. */
function isAtWork({ pid, at, host }: PublisherNote, now: number): boolean {
  if (pid === ENDED) return false;
  if (host !== hostname()) return now - at < HOUR;
  // After a day its number belongs to another process.
  return now - at < 24 * HOUR && isAlive(pid);
}

function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return systemCode(error) === 'EPERM';
  }
}
