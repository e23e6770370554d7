import { mkdtempSync, readFileSync, rmSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { EmbeddedStore } from './embedded-store.js';
import { checkDatabase } from './check-database.js';
import type { Layout } from './layout.js';
import { PAGE_SIZE } from './page.js';
import { TABLE_NAMES } from './table-names.js';

describe('a database', () => {
  const root = mkdtempSync(join(tmpdir(), 'fenestra-layout-'));
  afterAll(() => rmSync(root, { recursive: true }));

  /** Puts rows and takes some of them away again in one transaction. */
  async function make(
    name: string,
    put: number,
    kept: number,
  ): Promise<{ layout: Layout; pages: number; counted: number }> {
    const store = EmbeddedStore.open(join(root, name));
    const { root: environment, bodies } = store.rows;
    environment.transactionSync(() => {
      for (let n = 0; n < put; n++) bodies.put(`body ${n}`, { pack: 'pack', offset: n, length: n, uses: 1 });
      for (let n = kept; n < put; n++) bodies.remove(`body ${n}`);
    });
    const { lastPageNumber } = environment.getStats() as { lastPageNumber: number };
    await store.close();
    const pages = statSync(store.layout.rows).size / PAGE_SIZE;
    return { layout: store.layout, pages, counted: lastPageNumber + 1 };
  }

  it('is whole when the pages at its end were given back before they were ever written', async () => {
    const { layout, pages, counted } = await make('short', 20_000, 100);
    expect(pages).toBeLessThan(counted);
    checkDatabase(layout.rows, true);
    const store = EmbeddedStore.open(layout.root);
    expect(store.rows.bodies.count()).toBe(100);
    await store.close();
  });

  it('is damaged, and said to be, wherever it is cut', async () => {
    const { layout, pages, counted } = await make('cut', 6000, 6000);
    expect(pages).toBe(counted);
    for (const left of [pages - 1, Math.floor(pages / 2), Math.floor(pages / 4), 5, 3]) {
      truncateSync(layout.rows, left * PAGE_SIZE);
      expect(() => checkDatabase(layout.rows, true)).toThrow(/is damaged/);
    }
  });

  it('is damaged when a table has another name, under which nobody would look for its rows', async () => {
    const { layout } = await make('named', 40, 40);
    const whole = readFileSync(layout.rows);
    for (const name of Object.values(TABLE_NAMES)) {
      const harmed = Buffer.from(whole);
      for (let at = harmed.indexOf(`\0${name}`); at >= 0; at = harmed.indexOf(`\0${name}`, at + 1))
        harmed[at + name.length] = 'z'.charCodeAt(0);
      writeFileSync(layout.rows, harmed);
      expect(() => checkDatabase(layout.rows, true), name).toThrow(/none of ours|out of order/);
    }
    writeFileSync(layout.rows, whole);
    checkDatabase(layout.rows, true);
  });
});
