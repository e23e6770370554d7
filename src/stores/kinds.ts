/** Every kind of store. Only this table names them; the config chooses by `stores: { NAME: { kind } }`. */
import { FenestraError } from '../core/errors/catalogue.js';
import { nearestWord } from '../core/words/nearest-word.js';
import { embedded } from './embedded/kind.js';
import { module } from './module/kind.js';
import { swift } from './swift/kind.js';
import type { StoreKind, StorePlace } from './kind.js';

export const STORE_KINDS: ReadonlyMap<string, StoreKind> = new Map([
  ['embedded', embedded],
  ['module', module],
  ['swift', swift],
]);

/** @throws FenestraError STORE_KIND */
export function findKind({ name, kind, place, options }: StorePlace): StoreKind {
  const chosen =
    kind === undefined
      ? ([...STORE_KINDS.values()].find(({ chosenBy }) => chosenBy !== undefined && chosenBy in options) ??
        embedded)
      : STORE_KINDS.get(kind);
  if (chosen) return chosen;
  const known = [...STORE_KINDS.keys()];
  const near = nearestWord(kind ?? '', known);
  throw new FenestraError('STORE_KIND', {
    place: place ?? 'fenestra.yaml',
    name,
    kind: kind ?? '',
    known: known.join(', '),
    near: near === undefined ? '' : ` Did you mean ${near}?`,
  });
}
