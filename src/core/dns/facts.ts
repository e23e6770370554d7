/** What was seen of a name: what every server said, and what a visitor comes to. */
import type { NameRecord } from './record.js';

export type Outcome =
  'answers' | 'refuses' | 'fails' | 'lame' | 'silent' | 'unreachable' | 'malformed' | 'nowhere';

export interface ServerFacts {
  readonly server: string;
  /** '' where the server's name has no address. */
  readonly address: string;
  readonly outcome: Outcome;
}

/** What a server of the parent says of the zone. */
export interface ParentFacts extends ServerFacts {
  /** The names of the zone's servers, sorted. */
  readonly ns: readonly string[];
  /** Seconds; 0 where it names none. */
  readonly nsTtl: number;
  readonly glue: readonly NameRecord[];
  /** Whether it vouches for keys of the zone. */
  readonly ds: boolean;
  /** Which keys it vouches for, in words of master files, sorted; and for how long that is held in seconds. */
  readonly signers?: readonly string[];
  readonly dsTtl?: number;
}

/** What is wrong with a set of records of a signed zone. */
export interface SigningFault {
  /**
   * No key of the zone is one that the parent vouches for; the set has no signature by a key of the zone; its signature
   * is over, not yet valid, or another set's; nothing that the parent names is known to anybody here.
   */
  readonly what: 'no-key' | 'unsigned' | 'ended' | 'early' | 'wrong' | 'unknown-algorithm';
  /** In words: `A of www.mill.example`. */
  readonly set: string;
  /** Of the key, as people name keys. */
  readonly tag?: number;
  /** When it ended, or when it begins: milliseconds since the epoch. */
  readonly at?: number;
}

export interface SigningFacts {
  /** Of the keys that the server has. */
  readonly tags: readonly number[];
  /** Of those that signed what it says of the name and the zone. */
  readonly by: readonly number[];
  /** For how long its keys are held. Seconds. */
  readonly keysTtl: number;
  readonly faults: readonly SigningFault[];
  /** When the first of the signatures ends: milliseconds since the epoch; absent where nothing was verified. */
  readonly until?: number;
}

/** What a server of the zone says of the zone and of the name. */
export interface ZoneServerFacts extends ServerFacts {
  readonly listedBy: 'parent' | 'zone' | 'both';
  readonly serial?: number;
  /** For how long it is remembered that there is no record. Seconds. */
  readonly negative?: number;
  readonly ns: readonly string[];
  readonly nsTtl: number;
  /** What the name itself owns: where it points and to what. */
  readonly own: readonly NameRecord[];
  /** What a name answers that nobody has made. */
  readonly wild: readonly NameRecord[];
  readonly caa: readonly NameRecord[];
  readonly keys: boolean;
  /** What it does over TCP, where that is another thing than over UDP. */
  readonly overTcp?: 'silent' | 'differs';
  /** Absent where it was not asked. */
  readonly signing?: SigningFacts;
}

export interface Reached {
  /** The records that lead from the name to its addresses. */
  readonly chain: readonly NameRecord[];
  readonly addresses: readonly string[];
  readonly trouble?: 'loop' | 'too-long' | 'dangling' | 'missing' | 'no-answer';
}

export interface NameFacts {
  /** After how many questions the look-up ended before it knew all; absent where it did. */
  readonly endedAfter?: number;
  readonly name: string;
  /** How it was learned: from the root down, or from a resolver alone. */
  readonly via: 'delegation' | 'resolver';
  /** Why a resolver was asked where the delegation was to be followed. */
  readonly fallback?: string;
  /** The zone that the name is in; '' where only a resolver was asked. */
  readonly zone: string;
  readonly parentZone: string;
  readonly parents: readonly ParentFacts[];
  readonly servers: readonly ZoneServerFacts[];
  readonly reached: Reached;
  /** What the zone's servers say the address of a server is, by its name. */
  readonly serverAddresses: Readonly<Record<string, readonly string[]>>;
  /** For how long an address of a server is held, by what it was found: seconds. */
  readonly addressTtl?: number;
}
