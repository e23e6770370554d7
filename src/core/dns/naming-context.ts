/** Everything that the rules of names may look at. */
import { makeRule, type Rule } from '../findings/rule.js';
import { isWithin } from './domain-name.js';
import type { NameFacts, Reached, ZoneServerFacts } from './facts.js';
import { leadsThere, type RequiredRecords } from './required-records.js';
import type { Former } from './observed-names.js';
import { targetOf, type NameRecord } from './record.js';
import type { Wait } from './waiting.js';
import type { ZoneFault } from './zone-file.js';

/** What the host answered under the name, beside what it should. */
export interface HostAnswer {
  readonly url: string;
  /** What was seen, and what was to be seen, in words; the same where all is well. */
  readonly seen: string;
  readonly expected: string;
}

export interface NamingContext {
  readonly facts: NameFacts;
  readonly need: RequiredRecords;
  /** The domain that somebody has registered, of which the name is a part. */
  readonly registered: string;
  /** What the bucket's host comes to. */
  readonly target: Reached;
  /** The servers that are to answer for the zone; none where nobody says it. */
  readonly nameServers: readonly string[];
  /** What those of them say that the parent does not name. */
  readonly awaited: readonly ZoneServerFacts[];
  /** What there was before the last change that was seen. */
  readonly former: Former | undefined;
  /** What the servers of before say now. */
  readonly formerServers: readonly ZoneServerFacts[];
  readonly wait: Wait | undefined;
  /** Where nothing was seen before the present state, for how long one before it could be held: seconds. */
  readonly lookedFirst: number | undefined;
  readonly now: number;
  readonly wantsCertificate: boolean;
  readonly zoneFile: { readonly path: string; readonly faults: readonly ZoneFault[] } | undefined;
  readonly host: HostAnswer | undefined;
}

/** Servers of before that lead to the old place, and keep resolvers with them by naming themselves. */
export const listOldAnswers = ({
  formerServers,
  need,
  target,
}: Pick<NamingContext, 'formerServers' | 'need' | 'target'>): ZoneServerFacts[] =>
  formerServers.filter(
    ({ outcome, own }) => outcome === 'answers' && own.length > 0 && !leadsThere(own, need, target.addresses),
  );

/** Whether what a server says of a name is the beginning of the way that leads to the bucket's host. */
export const isOnTheWay = (
  own: readonly NameRecord[],
  { chain, addresses }: Reached,
  target: Pick<Reached, 'addresses'>,
): boolean =>
  addresses.length > 0 &&
  addresses.every((address) => target.addresses.includes(address)) &&
  own.some((record) => record.type === 'CNAME' && chain.some(({ name }) => name === targetOf(record)));

/** Whether the parent names no servers for the registered domain, so that its own zone is asked, which has nothing. */
export const isUndelegated = ({ facts, registered }: Pick<NamingContext, 'facts' | 'registered'>): boolean =>
  facts.via === 'delegation' &&
  (facts.servers.length === 0 ||
    (facts.zone !== registered &&
      isWithin(registered, facts.zone) &&
      facts.servers.every(({ own }) => own.length === 0)));

/** Whether nobody said anything of a name at all, be it the root's servers or a resolver. */
export const isUnheard = ({ servers, reached }: Pick<NameFacts, 'servers' | 'reached'>): boolean =>
  reached.trouble === 'no-answer' && servers.length === 0 && reached.chain.length === 0;

export type NameRule = Rule<NamingContext>;
export const nameRule = makeRule<NamingContext>;

/** A server with its address, for messages. */
export const placeOf = ({
  server,
  address,
}: {
  readonly server: string;
  readonly address: string;
}): string => (address === '' ? server : `${server} (${address})`);

export const listed = (names: readonly string[]): string =>
  names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} and ${names.at(-1) ?? ''}`;
