import type { Config } from '../../config/config.js';
import type { StorePlace } from '../../stores/kind.js';

/** @param name of a store in the config; `here` is always there */
export function placeOf({ folder, storeFolder, stores }: Config, name: string): StorePlace {
  const given = stores.find((store) => store.name === name);
  return {
    name,
    folder,
    kind: given?.kind,
    ...(given ? { place: given.place } : {}),
    options: given ? given.options : { folder: storeFolder },
  };
}
