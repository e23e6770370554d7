/** The embedded store as a kind: light to load, since most commands only glance at it. */
import { resolve } from 'node:path';
import type { StoreKind, StorePlace } from '../kind.js';
import { readAtAGlance } from './cached-state.js';
import { storeExists } from './layout.js';

const folderOf = ({ folder, name, options }: StorePlace): string =>
  resolve(folder, typeof options['folder'] === 'string' ? options['folder'] : `.fenestra/${name}`);

export const embedded: StoreKind = {
  explain: 'A folder on this machine; `folder` says which.',
  isThere: (place) => storeExists(folderOf(place)),
  async open(place) {
    // Loading the database's native part takes longer than a whole survey of a small site.
    const { EmbeddedStore } = await import('./embedded-store.js');
    return EmbeddedStore.open(folderOf(place), place.name);
  },
  glance(place) {
    const folder = folderOf(place);
    return storeExists(folder) ? readAtAGlance(folder) : undefined;
  },
};
