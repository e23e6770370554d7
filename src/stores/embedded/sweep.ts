/**
 * Sweeping: bodies that no kept release of any bucket needs are removed. Never while somebody publishes, whose
 * bodies belong to no release yet, and inside one write transaction, so that nobody begins to meanwhile; and a file
 * that a request may still be reading goes only after a grace time.
 */
import { randomBytes } from 'node:crypto';
import { readdirSync, rmSync, statSync } from 'node:fs';
import { hostname } from 'node:os';
import { basename, join } from 'node:path';
import { systemCode } from '../../core/errors/catalogue.js';
import { largePath, type Layout } from './layout.js';
import { movePacked } from './put-bodies.js';
import type { BodyPlace, PublisherNote, Rows } from './rows.js';

/** Milliseconds that a file without any use is left for requests that have just looked it up. */
const GRACE = 60_000;
/** A pack is written anew when less than this part of it is still needed. */
const WORTH_KEEPING = 0.5;

export interface Swept {
  readonly bodies: number;
  readonly bytes: number;
}

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
): Swept {
  const swept = rows.root.transactionSync(() =>
    isPublishing(rows, now) ? undefined : doomUnneeded(layout, rows, now, worthKeeping),
  );
  if (!swept) return { bodies: 0, bytes: 0 };
  removeDue(layout, rows, now, grace);
  return swept;
}

/** Removes the files that were doomed a grace time ago: only once the commit that nothing leads to them is on disk. */
export function removeDue(layout: Layout, rows: Rows, now: number, grace = GRACE): void {
  if (rows.doomed.count() === 0) return;
  rows.root.transactionSync(() => {
    if (!isPublishing(rows, now)) removeDoomed(layout, rows, now, grace);
  });
}

/** Takes what nothing needs out of the index, and notes its files. Inside a write transaction. */
function doomUnneeded(layout: Layout, rows: Rows, now: number, worthKeeping: number): Swept {
  const needed = new Set<string>();
  for (const { value } of rows.current.list()) needed.add(value.digest);
  for (const { value } of rows.undo.list()) if (value) needed.add(value.digest);

  const live = new Map<string, { bytes: number; bodies: [string, BodyPlace][] }>();
  const large = new Set<string>();
  const gone: [string, BodyPlace][] = [];
  for (const { key, value } of rows.bodies.list()) {
    if (!needed.has(key)) gone.push([key, value]);
    else if (value.length === 1) large.add(largePath(layout, key));
    else {
      const pack = live.get(value[0]) ?? { bytes: 0, bodies: [] };
      pack.bytes += value[2];
      pack.bodies.push([key, value]);
      live.set(value[0], pack);
    }
  }
  let bytes = 0;
  const doomed: string[] = [];
  for (const [digest, place] of gone)
    bytes += place.length === 3 ? place[2] : sizeOf(largePath(layout, digest));
  // Those of publishers that were killed are among them, though no row tells of them.
  for (const path of listFiles(layout.large)) if (!large.has(path)) doomed.push(path);
  for (const path of listFiles(layout.packs)) {
    const name = basename(path);
    const pack = live.get(name);
    if (pack && pack.bytes >= sizeOf(path) * worthKeeping) continue;
    if (pack) movePacked(layout, rows, pack.bodies);
    doomed.push(path);
  }
  for (const [digest] of gone) {
    rows.bodies.remove(digest);
    rows.blocks.remove(digest);
  }
  for (const digest of [...rows.damaged.keys()]) if (!needed.has(digest)) rows.damaged.remove(digest);
  for (const path of doomed)
    if (!rows.doomed.has(relative(layout, path))) rows.doomed.put(relative(layout, path), now);
  return { bodies: gone.length, bytes };
}

const listFiles = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name);
    return entry.isDirectory() ? listFiles(path) : [path];
  });

const relative = (layout: Layout, path: string): string => path.slice(layout.root.length + 1);

const sizeOf = (path: string): number => statSync(path, { throwIfNoEntry: false })?.size ?? 0;

/** Inside a write transaction. */
function removeDoomed(layout: Layout, rows: Rows, now: number, grace: number): void {
  const due = [...rows.doomed.list()].filter(({ value }) => value <= now - grace);
  if (due.length === 0) return;
  // A large body may have been published again under the same digest since.
  const inUse = new Set(
    [...rows.bodies.list()].flatMap(({ key, value }) =>
      value.length === 1 ? [relative(layout, largePath(layout, key))] : [join('packs', value[0])],
    ),
  );
  for (const { key } of due) if (!inUse.has(key)) rmSync(join(layout.root, key), { force: true });
  for (const { key } of due) rows.doomed.remove(key);
}

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

/** No process has this number. */
const ENDED = 0;

/** Whether publishers have ended without a release, so that bodies may lie there that nothing needs. */
export const hasLeftovers = ({ publishing }: Rows, now: number): boolean => {
  for (const { value } of publishing.list()) if (!isAtWork(value, now)) return true;
  return false;
};

/** Whether anybody publishes; publishers that were killed are forgotten. Inside a write transaction. */
function isPublishing(rows: Rows, now: number): boolean {
  const all = [...rows.publishing.list()];
  const dead = all.filter(({ value }) => !isAtWork(value, now));
  for (const { key } of dead) rows.publishing.remove(key);
  return dead.length < all.length;
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
