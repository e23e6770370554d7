/**
 * Stores of earlier formats. The rows of the first one are written anew, with checksums; of the first two it is counted
 * once how often bodies are used. Each in one transaction.
 */
import type { Key, RootDatabase } from 'lmdb';
import { PLACE_CODEC, type Rows } from './rows.js';
import { FIRST_FORMAT_NAMES, NOTE } from './table-names.js';
import type { RowKey, Table } from './table.js';
import { countUses } from './uses.js';

interface FirstTable {
  readonly name: string;
  readonly becomes: Table<unknown, RowKey>;
}

const firstTables = (rows: Rows): readonly FirstTable[] =>
  Object.entries(FIRST_FORMAT_NAMES).map(([becomes, name]) => ({
    name,
    becomes: rows[becomes as keyof typeof FIRST_FORMAT_NAMES] as unknown as Table<unknown, RowKey>,
  }));

/** Does nothing where there is nothing of the first format left. */
export function upgradeFirstFormat(root: RootDatabase, rows: Rows): void {
  const names = new Set([...root.getKeys()].map((name) => String(name).replace(/\0$/, '')));
  const tables = firstTables(rows).filter(({ name }) => names.has(name));
  if (tables.length === 0) return;
  const opened = tables.map(({ name, becomes }) => ({ becomes, from: root.openDB<unknown, Key>({ name }) }));
  root.transactionSync(() => {
    for (const { becomes, from } of opened) {
      for (const { key, value } of from.getRange())
        becomes.put(key as RowKey, becomes.name === rows.bodies.name ? PLACE_CODEC.unpack(value) : value);
      from.clearSync();
    }
  });
  for (const { from } of opened) from.dropSync();
}

/** Does nothing where it was done before. */
export function countUsesOnce(root: RootDatabase, rows: Rows): void {
  if (rows.note.get(NOTE)?.counted === true) return;
  root.transactionSync(() => {
    const note = rows.note.get(NOTE);
    if (!note || note.counted === true) return;
    countUses(rows);
    rows.note.put(NOTE, { ...note, counted: true });
  });
}
