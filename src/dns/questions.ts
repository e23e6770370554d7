/**
 * The questions of one look-up: each is asked once, and of all of them there are only so many. Anybody can write a zone
 * whose servers lead to ever further ones.
 */
import type { ServerPlace } from '../core/dns/server-place.js';
import { askServer, type Asked } from './ask-server.js';
import type { Query } from './message.js';

/** Datagrams and connections, and milliseconds, for all names of one look-up. */
const [MAX_QUESTIONS, MAX_MS] = [300, 60_000];

export class Questions {
  readonly #asked = new Map<string, Promise<Asked>>();
  readonly #most: number;
  readonly #ends: number;
  #count = 0;
  #isOver = false;

  constructor(most = MAX_QUESTIONS, ms = MAX_MS) {
    this.#most = most;
    this.#ends = performance.now() + ms;
  }

  /** Whether something was not asked any more. */
  get isOver(): boolean {
    return this.#isOver;
  }

  get count(): number {
    return this.#count;
  }

  /** @throws nothing: what is not asked any more has been silent */
  ask(place: ServerPlace, query: Query): Promise<Asked> {
    const id = JSON.stringify([
      place.address,
      place.port,
      query.name,
      query.type,
      query.recursive === true,
      query.signed === true,
      query.overTcp === true,
    ]);
    let asked = this.#asked.get(id);
    if (!asked) this.#asked.set(id, (asked = askServer(place, query, () => this.#spend())));
    return asked;
  }

  #spend(): boolean {
    if (this.#count < this.#most && performance.now() < this.#ends) {
      this.#count++;
      return true;
    }
    this.#isOver = true;
    return false;
  }
}
