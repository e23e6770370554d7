/** The values that properties of objects have to have, by number. */
import type { CachePolicy } from '../caching/cache-result.js';

export type Value = string | CachePolicy;

/** That no cache header is sent is something that a line can say. */
export const NO_CACHE_HEADER: CachePolicy = { headers: {}, words: 'no cache header' };

export const textOf = (value: Value): string =>
  typeof value === 'string' ? value : JSON.stringify(Object.entries(value.headers).sort());

/** The numbers of the values of one property, from 1. */
export class Values {
  readonly #ids = new Map<string, number>();
  readonly #counts = new Map<number, number>();
  readonly list: Value[] = [];

  add(value: Value): number {
    const text = textOf(value);
    const id = this.#ids.get(text) ?? this.list.push(value);
    this.#ids.set(text, id);
    this.#counts.set(id, (this.#counts.get(id) ?? 0) + 1);
    return id;
  }

  /** The numbers of the values that were added most often. */
  mostWanted(most: number): ReadonlySet<number> {
    const byCount = [...this.#counts].sort(([, a], [, b]) => b - a);
    return new Set(byCount.slice(0, most).map(([id]) => id));
  }

  idOf(value: Value): number {
    return this.#ids.get(textOf(value)) ?? NOBODYS;
  }
}
export const NOBODYS = -2;
