/** The places of one thing that many pages have, possibly very many: two columns instead of an object for each. */
import type { FindingLocation } from './finding.js';

export class Places {
  readonly #keys: string[] = [];
  readonly #lines: number[] = [];

  /** Adds a place, but not the last one again. */
  add(key: string, line: number): this {
    const last = this.#keys.length - 1;
    if (last >= 0 && this.#lines[last] === line && this.#keys[last] === key) return this;
    this.#keys.push(key);
    this.#lines.push(line);
    return this;
  }

  /** All but the first. */
  others(): FindingLocation[] {
    const places: FindingLocation[] = [];
    for (let at = 1; at < this.#keys.length; at++)
      places.push({ key: this.#keys[at] ?? '', line: this.#lines[at] ?? 1 });
    return places;
  }
}
