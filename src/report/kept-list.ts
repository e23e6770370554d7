/** A change list as it is kept in a file: a page for people, or JSON; either is read again by `--agreed`. */
import { extname } from 'node:path';
import type { ListOfChanges } from '../core/release/list-of-changes.js';

/** @param agree the command that publishes exactly this */
export async function renderList(file: string, list: ListOfChanges, agree: string): Promise<string> {
  if (/^\.html?$/i.test(extname(file)))
    return (await import('./html/list-page.js')).renderListPage(list, agree);
  return `${JSON.stringify(list, null, 2)}\n`;
}
