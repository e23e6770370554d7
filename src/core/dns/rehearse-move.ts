/**
 * A move to other name servers, played through: caching resolvers of both kinds that there are ask a parent, an old and
 * a new zone, each at its own moments. Seconds of the played time throughout; the same seed plays the same.
 */
import { seeded } from '../words/seeded.js';
import { secondsToWait, type Ttls } from './waiting.js';

/** What the old zone holds after the move. */
export const OLD_ZONES = ['old records', 'new records', 'removed'] as const;
export type OldZone = (typeof OLD_ZONES)[number];

export interface Move {
  /** When the parent is changed. */
  readonly at: number;
  readonly ttls: Ttls;
  /** TTL of the record in the new zone. */
  readonly newRecord: number;
  readonly oldZone: OldZone;
}

export type ServedBy = 'old' | 'new' | 'failure';

/** Which NS set a resolver believes: that of the parent, or that of the zone itself. */
export type Believes = 'parent' | 'zone';

interface Held<T> {
  readonly value: T;
  readonly until: number;
}

/** A caching resolver that keeps to the TTLs. Asked in the order of time. */
export class PlayedResolver {
  readonly #move: Move;
  readonly #believes: Believes;
  #delegation: Held<'old' | 'new'> | undefined;
  #record: Held<ServedBy> | undefined;

  constructor(move: Move, believes: Believes) {
    this.#move = move;
    this.#believes = believes;
  }

  /** @returns where it leads, and for how long it may be held */
  ask(at: number): { readonly place: ServedBy; readonly ttl: number } {
    if (!this.#record || this.#record.until <= at) this.#record = this.#fetch(at);
    return { place: this.#record.value, ttl: Math.max(0, this.#record.until - at) };
  }

  #fetch(at: number): Held<ServedBy> {
    const { at: moved, ttls, newRecord, oldZone } = this.#move;
    if (!this.#delegation || this.#delegation.until <= at) {
      const value = at < moved ? 'old' : 'new';
      const ttl = this.#believes === 'parent' ? ttls.parentNs : ttls.zoneNs;
      this.#delegation = { value, until: at + ttl };
    }
    const isOld = this.#delegation.value === 'old';
    if (!isOld) return { value: 'new', until: at + newRecord };
    if (at < moved || oldZone === 'old records') return { value: 'old', until: at + ttls.record };
    // A failure is asked for again at the next look-up.
    return oldZone === 'new records'
      ? { value: 'new', until: at + newRecord }
      : { value: 'failure', until: at };
  }
}

export interface PlayedVisitor {
  readonly believes: Believes;
  /** When it looks the name up. */
  readonly asks: readonly number[];
  readonly places: readonly ServedBy[];
  /** When it came to the new place for good; undefined where it has not by the end. */
  readonly movedAt: number | undefined;
  /** When it came to the old place last. */
  readonly lastOld: number | undefined;
}

export interface PlayedMove {
  readonly move: Move;
  readonly visitors: readonly PlayedVisitor[];
  /** When everybody who keeps to the TTLs has the new answer, as it is computed. */
  readonly bound: number;
  /** When the last visitor of these came to the new place. */
  readonly lastMoved: number | undefined;
  /** How long was played. */
  readonly length: number;
}

/** @param visitors how many, half of each kind @param between seconds between the look-ups of one, on average */
export function playMove(move: Move, visitors: number, between: number, seed: number): PlayedMove {
  const chance = seeded(seed);
  const bound = move.at + secondsToWait('delegation', move.ttls, 0);
  const length = Math.ceil(bound + between);
  const played = Array.from({ length: visitors }, (_, number): PlayedVisitor => {
    const believes = number % 2 === 0 ? 'parent' : 'zone';
    const resolver = new PlayedResolver(move, believes);
    const asks: number[] = [];
    const places: ServedBy[] = [];
    for (let at = chance() * between; at < length; at += between * (0.3 + 1.4 * chance())) {
      asks.push(at);
      places.push(resolver.ask(at).place);
    }
    const lastOther = places.findLastIndex((place) => place !== 'new');
    const lastOld = places.lastIndexOf('old');
    return {
      believes,
      asks,
      places,
      movedAt: asks[lastOther + 1],
      lastOld: lastOld < 0 ? undefined : asks[lastOld],
    };
  });
  const moved = played.map(({ movedAt }) => movedAt);
  return {
    move,
    visitors: played,
    bound,
    length,
    lastMoved: moved.includes(undefined) ? undefined : Math.max(...moved.map((at) => at ?? 0)),
  };
}

export type RehearsalEvent =
  | { readonly kind: 'parent-changed'; readonly at: number }
  | { readonly kind: 'visitor-moved'; readonly at: number; readonly moved: number; readonly of: number }
  | { readonly kind: 'bound'; readonly at: number };

/** A move that is being played, as it is shown. */
export interface ShownRehearsal {
  /** Where look-ups are answered. */
  readonly port: number;
  readonly names: readonly string[];
  readonly played: PlayedMove;
  /** Whether the TTLs were seen, or are as they usually are. */
  readonly isSeen: boolean;
}
