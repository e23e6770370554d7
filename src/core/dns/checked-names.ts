/** What comes of looking at the names of a site. */
import type { Finding } from '../findings/finding.js';
import type { NameFacts, Reached, ZoneServerFacts } from './facts.js';
import type { RequiredRecords } from './required-records.js';
import type { Former } from './observed-names.js';
import type { Wait } from './waiting.js';

export interface CheckedName {
  readonly need: RequiredRecords;
  readonly facts: NameFacts;
  /** What is kept in mind to be compared with. */
  readonly former: Former | undefined;
  readonly formerServers: readonly ZoneServerFacts[];
  readonly awaited: readonly ZoneServerFacts[];
  /** Whether all that answer lead the name to the bucket's host. */
  readonly reaches: boolean;
  /** Undefined where nothing has to be waited for. */
  readonly wait: Wait | undefined;
  /** Whether servers of before still lead to the old place: resolvers that ask them go on doing so. */
  readonly oldAnswers: boolean;
  readonly findings: readonly Finding[];
}

export interface CheckedNames {
  /** When it was asked: milliseconds since the epoch. */
  readonly at: number;
  readonly names: readonly CheckedName[];
  readonly target: Reached;
  readonly bucketHost: string;
  readonly seconds: number;
}
