/** What one server says: of a zone below its own, or of its zone and a name in it. */
import { createHash } from 'node:crypto';
import type { Outcome, ParentFacts, ZoneServerFacts } from '../core/dns/facts.js';
import { ofType, targetOf, type NameRecord } from '../core/dns/record.js';
import { negativeTtl } from '../core/dns/waiting.js';
import type { Asked } from './ask-server.js';
import type { NamedServer } from './cuts.js';
import type { AskedType, Message } from './message.js';
import type { Questions } from './questions.js';
import { checkSignatures } from './signatures.js';
import { packName, readWire, TYPES, type WireRecord } from './wire.js';

function outcomeOf(asked: Asked): Outcome {
  if ('silence' in asked) return asked.silence;
  const { rcode, isAuthoritative } = asked.message;
  if (rcode === 'REFUSED') return 'refuses';
  if (rcode !== 'NOERROR' && rcode !== 'NXDOMAIN') return 'fails';
  return isAuthoritative ? 'answers' : 'lame';
}

export async function lookAtParent(
  questions: Questions,
  server: NamedServer,
  zone: string,
): Promise<{ readonly facts: ParentFacts; readonly signers: readonly WireRecord[] }> {
  const [asked, signed] = await Promise.all([
    questions.ask(server, { name: zone, type: 'NS' }),
    questions.ask(server, { name: zone, type: 'DS' }),
  ]);
  const message = 'message' in asked ? asked.message : undefined;
  const records = message ? [...message.answers, ...message.authorities] : [];
  const ns = ofType(records, 'NS').filter(({ name }) => name === zone);
  const outcome = outcomeOf(asked);
  const signers = 'message' in signed ? ofType(signed.message.answers, 'DS') : [];
  const facts: ParentFacts = {
    server: server.server,
    address: server.address,
    // A referral is no authoritative answer, and just what a parent is to give.
    outcome: outcome === 'lame' && ns.length > 0 ? 'answers' : outcome,
    ns: [...new Set(ns.map(targetOf))].sort(),
    nsTtl: Math.max(0, ...ns.map(({ ttl }) => ttl)),
    glue: (message?.additionals ?? []).filter(({ type }) => type === 'A' || type === 'AAAA'),
    ds: signers.length > 0,
    signers: signers.map(({ data }) => data).sort(),
    dsTtl: Math.max(0, ...signers.map(({ ttl }) => ttl)),
  };
  const raw = 'message' in signed ? readWire(signed.message.bytes) : [];
  const apex = packName(zone);
  return { facts, signers: raw.filter(({ owner, type }) => type === TYPES.DS && owner.equals(apex)) };
}

export const nowhere = (server: string, listedBy: 'parent' | 'zone'): ZoneServerFacts => ({
  server,
  address: '',
  outcome: 'nowhere',
  listedBy,
  ns: [],
  nsTtl: 0,
  own: [],
  wild: [],
  caa: [],
  keys: false,
});

/** A name in a zone that nobody has made; the same each time, so that resolvers are not filled with others. */
const strayName = (zone: string): string =>
  `fenestra-${createHash('sha256').update(zone).digest('hex').slice(0, 12)}.${zone}`;

/** What a name itself says: what signs it is read apart. */
const isOwn =
  (asked: string) =>
  ({ name, type }: NameRecord): boolean =>
    name === asked && type !== 'RRSIG';

/** Whether a connection brings what a datagram brought. */
function transportOf(overUdp: Message, byTcp: Asked): Pick<ZoneServerFacts, 'overTcp'> {
  if ('silence' in byTcp) return { overTcp: 'silent' };
  const [one, other] = [overUdp, byTcp.message].map(({ rcode, answers }) =>
    JSON.stringify([rcode, answers.filter(({ type }) => type === 'SOA').map(({ data }) => data)]),
  );
  return one === other ? {} : { overTcp: 'differs' };
}

const LOOKED_AT = ['A', 'AAAA', 'CNAME', 'HTTPS'] as const;

/** What is asked of a server. */
export interface ServerLook {
  readonly zone: string;
  readonly name: string;
  readonly listedBy: 'parent' | 'zone';
  /** DS records of the zone at its parent; what is said is verified from there down. */
  readonly signers: readonly WireRecord[];
}

export async function lookAtServer(
  questions: Questions,
  place: NamedServer,
  { zone, name, listedBy, signers }: ServerLook,
): Promise<ZoneServerFacts> {
  const none = { ...nowhere(place.server, listedBy), address: place.address };
  const signed = signers.length > 0;
  const heard: WireRecord[] = [];
  const first = await questions.ask(place, { name: zone, type: 'SOA', signed });
  const outcome = outcomeOf(first);
  if (outcome !== 'answers' || !('message' in first)) return { ...none, outcome };
  const hear = (message: Message, asked: string): void => {
    if (signed || asked === zone)
      heard.push(...readWire(message.bytes).filter(({ owner }) => owner.equals(packName(asked))));
  };
  hear(first.message, zone);
  const ask = async (asked: string, type: AskedType): Promise<readonly NameRecord[]> => {
    const answer = await questions.ask(place, { name: asked, type, signed });
    if ('message' in answer) hear(answer.message, asked);
    // Only what the asked name itself owns: servers differ in whether they go on from there.
    return 'message' in answer ? answer.message.answers.filter(isOwn(asked)) : [];
  };
  const [byTcp, ns, keys, caaOwn, caaZone, wild, ...own] = await Promise.all([
    questions.ask(place, { name: zone, type: 'SOA', overTcp: true }),
    ask(zone, 'NS'),
    ask(zone, 'DNSKEY'),
    ask(name, 'CAA'),
    ask(zone, 'CAA'),
    ask(strayName(zone), 'A'),
    ...LOOKED_AT.map((type) => ask(name, type)),
  ]);
  const [soa] = ofType(first.message.answers, 'SOA');
  const numbers = soa?.data.split(' ') ?? [];
  const found = new Map(own.flat().map((record) => [`${record.type} ${record.data}`, record]));
  const caa = ofType(caaOwn, 'CAA');
  return {
    ...none,
    outcome,
    ...(soa ? { serial: Number(numbers[2]), negative: negativeTtl(soa.ttl, Number(numbers[6])) } : {}),
    ns: [...new Set(ofType(ns, 'NS').map(targetOf))].sort(),
    nsTtl: Math.max(0, ...ofType(ns, 'NS').map(({ ttl }) => ttl)),
    own: [...found.values()],
    wild,
    caa: caa.length > 0 ? caa : ofType(caaZone, 'CAA'),
    keys: ofType(keys, 'DNSKEY').length > 0,
    ...transportOf(first.message, byTcp),
    signing: checkSignatures(zone, signers, heard, Date.now()),
  };
}
