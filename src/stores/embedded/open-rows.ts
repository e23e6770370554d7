/** Opening the rows of a store: only once the database is known to be whole, and for reading where no more is allowed. */
import { FenestraError } from '../../core/errors/catalogue.js';
import { checkDatabase } from './check-database.js';
import { readCachedState } from './cached-state.js';
import { agreeOnIdentity, FORMAT, guardIdentity, makeFolders, type Marker } from './identity.js';
import { asStoreError, layoutOf, type Layout } from './layout.js';
import { openDatabase, openRows, type Rows } from './rows.js';
import { countUsesOnce, upgradeFirstFormat } from './upgrade.js';

export interface OpenedRows {
  readonly layout: Layout;
  readonly rows: Rows;
  /** Why nothing can be written; undefined where it can. */
  readonly readOnly?: FenestraError;
  /** Whether the database was checked just now, so that it is worth noting. */
  readonly checked: boolean;
}

/** @throws FenestraError STORE_NOT_OURS, STORE_DAMAGED, STORE_FULL, STORE_UNREADABLE or STORE_UNWRITABLE */
export function openStoreRows(root: string): OpenedRows {
  const layout = layoutOf(root);
  const { marker, asLeft } = guardStore(layout);
  try {
    const opened = openForWriting(layout, marker);
    return opened instanceof FenestraError
      ? { layout, rows: openForReading(layout, marker), readOnly: opened, checked: false }
      : { layout, rows: opened, checked: !asLeft };
  } catch (error) {
    throw asStoreError(error, root);
  }
}

function guardStore(layout: Layout): { readonly marker: Marker | undefined; readonly asLeft: boolean } {
  try {
    const marker = guardIdentity(layout);
    const { asLeft, transaction } = readCachedState(layout);
    checkDatabase(layout.rows, !asLeft, transaction);
    return { marker, asLeft };
  } catch (error) {
    throw asStoreError(error, layout.root, 'STORE_UNREADABLE');
  }
}

/** @returns why it cannot be written @throws whatever else stops it */
function openForWriting(layout: Layout, marker: Marker | undefined): Rows | FenestraError {
  try {
    makeFolders(layout);
    const database = openDatabase(layout.rows);
    try {
      const rows = openRows(database, layout.rows);
      upgradeFirstFormat(database, rows);
      agreeOnIdentity(layout, rows, marker);
      // Only of a store that is known to be the one.
      countUsesOnce(database, rows);
      return rows;
    } catch (error) {
      void database.close();
      throw error;
    }
  } catch (error) {
    const known = asStoreError(error, layout.root);
    if (known instanceof FenestraError && known.code === 'STORE_UNWRITABLE' && marker) return known;
    throw known;
  }
}

/** Readers note themselves in a file beside the database; where they may not, LMDB does without. */
function openForReading(layout: Layout, marker: Marker | undefined): Rows {
  if (marker?.format !== FORMAT)
    throw new FenestraError('STORE_UNREADABLE', {
      path: layout.root,
      reason: 'it is of an earlier format, which somebody who may write there has to open once',
    });
  const database = openDatabase(layout.rows, true);
  try {
    const rows = openRows(database, layout.rows);
    agreeOnIdentity(layout, rows, marker);
    return rows;
  } catch (error) {
    void database.close();
    throw error;
  }
}
