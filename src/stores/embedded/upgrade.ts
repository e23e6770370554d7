/** Stores of the first format: their rows are written anew, with checksums, in one transaction. */
import type { Key, RootDatabase } from 'lmdb';
import type { Rows } from './rows.js';
import { FIRST_FORMAT_NAMES } from './table-names.js';
import type { RowKey, Table } from './table.js';

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
      for (const { key, value } of from.getRange()) becomes.put(key as RowKey, value);
      from.clearSync();
    }
  });
  for (const { from } of opened) from.dropSync();
}
