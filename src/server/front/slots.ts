/**
 * How many questions to the buckets are under way at once. Whoever comes while all places are taken waits; visitors come
 * one after the other, however many requests each of them has waiting, and what nobody waits for any more is passed over.
 */
import type { Visit, Visitor } from './visitor.js';

/** There is no room for another answer now. */
export class Busy extends Error {}

interface Waiting {
  readonly visit: Visit;
  readonly begin: (place: () => void) => void;
}

export class Slots {
  readonly #waiting = new Map<Visitor, Waiting[]>();
  readonly #mostOfOne: number;
  #free: number;

  /** @param mostOfOne requests of one visitor that wait */
  constructor(slots: number, mostOfOne: number) {
    this.#free = slots;
    this.#mostOfOne = mostOfOne;
  }

  get isAnyoneWaiting(): boolean {
    return this.#waiting.size > 0;
  }

  /** @returns gives the place back, as often as it is called; undefined where all are taken */
  tryTake(): (() => void) | undefined {
    if (this.#free === 0) return undefined;
    this.#free--;
    return this.#place();
  }

  /** @throws Busy where too many of the same visitor wait already */
  async take(visit: Visit): Promise<() => void> {
    const place = this.tryTake();
    if (place) return place;
    const own = this.#waiting.get(visit.visitor) ?? [];
    if (own.length >= this.#mostOfOne) throw new Busy();
    return new Promise((begin) => {
      own.push({ visit, begin });
      this.#waiting.set(visit.visitor, own);
    });
  }

  #place(): () => void {
    let isTaken = true;
    return () => {
      if (!isTaken) return;
      isTaken = false;
      const next = this.#next();
      if (next) next.begin(this.#place());
      else this.#free++;
    };
  }

  #next(): Waiting | undefined {
    for (const [visitor, own] of this.#waiting) {
      let first = own.shift();
      while (first?.visit.isGone()) first = own.shift();
      // To the end of the line, with what else is waiting.
      this.#waiting.delete(visitor);
      if (own.length > 0) this.#waiting.set(visitor, own);
      if (first) return first;
    }
    return undefined;
  }
}
