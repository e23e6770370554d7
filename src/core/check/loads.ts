/** What pages make a browser load, once for each use of each object, with all the places that do. */
import { Places } from '../findings/places.js';
import type { Readings } from '../reading/readings.js';
import type { StoredObject } from '../site/site-object.js';
import type { Address } from './address-reader.js';
import type { Load } from './release-context.js';

export class Loads {
  readonly #loads = new Map<string, Load>();

  /** @param reference its number among the readings @param at the page that it stands in */
  add(
    readings: Readings,
    reference: number,
    address: Address,
    object: StoredObject,
    { from, quirksMode }: Pick<Load, 'from' | 'quirksMode'>,
  ): void {
    const sort = readings.sort(reference);
    const line = readings.line(reference);
    const known = (address.loads ??= new Map<number, Load>());
    let load = known.get(sort);
    if (!load) {
      const { use, declared, withoutCors = false } = readings.reference(reference);
      const id = `${use}\0${declared ?? ''}\0${withoutCors ? 1 : 0}\0${object.key}`;
      load = this.#loads.get(id) ?? {
        ...{ use, object, quirksMode, from, line, withoutCors, places: new Places() },
        ...(declared === undefined ? {} : { declared }),
      };
      this.#loads.set(id, load);
      known.set(sort, load);
    }
    load.places.add(from, line);
  }

  all(): readonly Load[] {
    return [...this.#loads.values()];
  }
}
