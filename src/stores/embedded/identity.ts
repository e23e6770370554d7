/**
 * Which store this is. The database and the marker beside it name the same store, so that a database that is gone, or
 * another one in its place, is never taken for a new store. The marker is written last: where it stands, all the rest
 * was made.
 */
import { randomBytes } from 'node:crypto';
import { readFileSync, readdirSync, statSync } from 'node:fs';
import { basename } from 'node:path';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { writeWhole } from '../../files/write-whole.js';
import { holdsBodies, isThere, OWN_FILE, OWN_FOLDER, type Layout } from './layout.js';
import type { Rows } from './rows.js';
import { NOTE } from './table-names.js';
import { makeFolder } from '../../files/make-folder.js';

/** 2 did not count how often bodies are used. */
export const FORMAT = 3;
/** It had rows without checksums and no identity. */
const OLDEST = 1;

export interface Marker {
  readonly format: number;
  readonly id: string | undefined;
}

const damaged = ({ root }: Layout, what: string): FenestraError =>
  new FenestraError('STORE_DAMAGED', { what, path: root });

/** Undefined where there is none. @throws FenestraError STORE_DAMAGED, STORE_NOT_OURS */
export function readMarker(layout: Layout): Marker | undefined {
  let text: string;
  try {
    text = readFileSync(layout.marker, 'utf8');
  } catch (error) {
    if (systemCode(error) === 'ENOENT') return undefined;
    throw error;
  }
  let read: unknown;
  try {
    read = JSON.parse(text);
  } catch {
    throw damaged(layout, `${layout.marker} does not read as a store's marker`);
  }
  const { format, id } = (read instanceof Object ? read : {}) as { format?: unknown; id?: unknown };
  if (
    typeof format !== 'number' ||
    !Number.isInteger(format) ||
    (format > OLDEST && format <= FORMAT && typeof id !== 'string')
  )
    throw damaged(layout, `${layout.marker} does not read as a store's marker`);
  if (format < OLDEST || format > FORMAT)
    throw new FenestraError('STORE_NOT_OURS', {
      path: layout.root,
      reason: `its format is ${format}, this Fenestra reads ${OLDEST} to ${FORMAT}`,
    });
  return { format, id: typeof id === 'string' ? id : undefined };
}

/** Whether what lies in the folder can be a store, or become one. @throws FenestraError STORE_DAMAGED, STORE_NOT_OURS */
export function guardIdentity(layout: Layout): Marker | undefined {
  const marker = readMarker(layout);
  const isDatabase = isThere(layout.rows) && statSync(layout.rows).size > 0;
  if (marker) {
    if (!isDatabase && (marker.format > OLDEST || holdsBodies(layout)))
      throw damaged(layout, `its database ${layout.rows} is ${isThere(layout.rows) ? 'empty' : 'gone'}`);
    return marker;
  }
  const own = [layout.marker, layout.rows, layout.packs, layout.large, layout.cachedState].map((path) =>
    basename(path),
  );
  const others = isThere(layout.root)
    ? readdirSync(layout.root).filter((name) => !own.some((each) => name.startsWith(each)))
    : [];
  // Another process may be making the same store at this moment.
  if (others.length > 0 && !isThere(layout.marker))
    throw new FenestraError('STORE_NOT_OURS', {
      path: layout.root,
      reason: `the folder holds other files, such as ${others.slice(0, 3).join(', ')}`,
    });
  if (!isDatabase && holdsBodies(layout) && !isThere(layout.marker))
    throw damaged(layout, `bodies lie in ${layout.packs}, and its database is gone`);
  return undefined;
}

export function makeFolders(layout: Layout): void {
  for (const folder of [layout.root, layout.packs, layout.large]) makeFolder(folder, OWN_FOLDER);
}

/**
 * Makes a new store's note and marker, or compares those of one that is there.
 * @throws FenestraError STORE_DAMAGED
 */
export function agreeOnIdentity(layout: Layout, rows: Rows, marker: Marker | undefined): void {
  const note = rows.note.get(NOTE);
  if (marker && marker.format > OLDEST && note?.id !== marker.id)
    throw damaged(
      layout,
      note ? `${layout.rows} is the database of another store` : `its database ${layout.rows} was emptied`,
    );
  if (marker?.format === FORMAT) return;
  if (!note && holdsBodies(layout) && rows.bodies.count() === 0)
    throw damaged(layout, `bodies lie in ${layout.packs}, and its database knows nothing of them`);
  // Whoever comes first makes the note; a marker that is gone is written again from it.
  const { id } = rows.root.transactionSync(() => {
    const known = rows.note.get(NOTE);
    if (known) return known;
    const made = { id: randomBytes(12).toString('hex'), latest: 0 };
    rows.note.put(NOTE, made);
    return made;
  });
  writeWhole(layout.marker, `${JSON.stringify({ format: FORMAT, id })}\n`, { durable: true, mode: OWN_FILE });
}
