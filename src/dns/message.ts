/** DNS messages: what is asked, and what came back as records. Answers are anybody's bytes. */
import * as packet from 'dns-packet';
import { toName, withDot } from '../core/dns/domain-name.js';
import type { NameRecord } from '../core/dns/record.js';
import { formatServiceBinding, packServiceBinding } from '../core/dns/service-binding.js';

/** Types that the library does not know by name, as it knows them: it would silently ask for type 0. */
const UNKNOWN: Readonly<Record<string, string>> = { SVCB: 'UNKNOWN_64', HTTPS: 'UNKNOWN_65' };
const KNOWN = Object.fromEntries(Object.entries(UNKNOWN).map(([name, unknown]) => [unknown, name]));

export const ASKED_TYPES = [
  'A',
  'AAAA',
  'CNAME',
  'NS',
  'SOA',
  'CAA',
  'DS',
  'DNSKEY',
  'HTTPS',
  'TXT',
] as const;
export type AskedType = (typeof ASKED_TYPES)[number];

/** What is offered over UDP: more is cut by many servers and lost on many ways. */
const UDP_BYTES = 1232;

export interface Query {
  readonly name: string;
  readonly type: AskedType;
  /** Whether the one asked is to ask others (a resolver), or to say what it knows itself. */
  readonly recursive?: boolean;
  /** Whether signatures are to come with the records. */
  readonly signed?: boolean;
  /** Whether it is asked over a connection at once. */
  readonly overTcp?: boolean;
}

export interface Message {
  readonly rcode: string;
  readonly isAuthoritative: boolean;
  readonly isTruncated: boolean;
  readonly answers: readonly NameRecord[];
  readonly authorities: readonly NameRecord[];
  readonly additionals: readonly NameRecord[];
  /** All of it. */
  readonly bytes: Buffer;
}

export function packQuery(
  id: number,
  { name, type, recursive = false, signed = false }: Query,
  withExtension: boolean,
): Buffer {
  return packet.encode({
    type: 'query',
    id,
    flags: recursive ? packet.RECURSION_DESIRED : 0,
    questions: [{ type: (UNKNOWN[type] ?? type) as packet.RecordType, name, class: 'IN' }],
    ...(withExtension
      ? {
          additionals: [
            {
              type: 'OPT',
              name: '.',
              udpPayloadSize: UDP_BYTES,
              extendedRcode: 0,
              ednsVersion: 0,
              flags: signed ? packet.DNSSEC_OK : 0,
              flag_do: signed,
              options: [],
            },
          ],
        }
      : {}),
  });
}

/** Undefined where it is no answer to just this question. */
export function unpackAnswer(bytes: Buffer, id: number, { name, type }: Query): Message | undefined {
  let decoded: packet.DecodedPacket;
  try {
    decoded = packet.decode(bytes);
  } catch {
    return undefined;
  }
  const [question] = decoded.questions ?? [];
  if (
    decoded.id !== id ||
    decoded.type !== 'response' ||
    !question ||
    toName(question.name) !== name ||
    String(question.type) !== (UNKNOWN[type] ?? type)
  )
    return undefined;
  return {
    rcode: (decoded as { rcode?: string }).rcode ?? 'NOERROR',
    isAuthoritative: decoded.flag_aa,
    isTruncated: decoded.flag_tc,
    answers: toRecords(decoded.answers),
    authorities: toRecords(decoded.authorities),
    additionals: toRecords(decoded.additionals),
    bytes,
  };
}

/** Records that cannot be read are left out: one that is malformed says nothing about the others. */
function toRecords(answers: readonly packet.Answer[] | undefined): NameRecord[] {
  return (answers ?? []).flatMap((answer) => {
    if (answer.type === 'OPT') return [];
    try {
      const { name, ttl = 0, data } = answer as { name: string; ttl?: number; data: unknown };
      const type = KNOWN[answer.type] ?? answer.type.replace(/^UNKNOWN_/, 'TYPE');
      return [{ name: toName(name), type, ttl, data: formatData(type, data) }];
    } catch {
      return [];
    }
  });
}

/** An address of the old kind inside one of the new kind, as people write it: `::ffff:127.0.0.1`. */
const mappedAddress = (address: string): string =>
  address.replace(/^::ffff:([0-9a-f]{1,4}):([0-9a-f]{1,4})$/, (_, high: string, low: string) => {
    const bytes = [high, low].flatMap((word) => [parseInt(word, 16) >> 8, parseInt(word, 16) & 0xff]);
    return `::ffff:${bytes.join('.')}`;
  });

function formatData(type: string, data: unknown): string {
  const fields = data as Readonly<Record<string, unknown>>;
  switch (type) {
    case 'A':
      return String(data);
    case 'AAAA':
      return mappedAddress(String(data).toLowerCase());
    case 'NS':
    case 'CNAME':
    case 'PTR':
    case 'DNAME':
      return withDot(toName(String(data)));
    case 'SOA':
      return [
        withDot(toName(String(fields['mname']))),
        withDot(toName(String(fields['rname']))),
        ...['serial', 'refresh', 'retry', 'expire', 'minimum'].map((name) => String(fields[name])),
      ].join(' ');
    case 'CAA':
      return `${Number(fields['flags'] ?? 0)} ${String(fields['tag'])} "${String(fields['value'])}"`;
    case 'DS':
      return [fields['keyTag'], fields['algorithm'], fields['digestType']].map(String).join(' ');
    case 'TXT':
      return (Array.isArray(data) ? data : [data]).map((each) => `"${String(each)}"`).join(' ');
    case 'HTTPS':
    case 'SVCB':
      return formatServiceBinding(data as Buffer);
    default:
      return Buffer.isBuffer(data) ? data.toString('hex') : JSON.stringify(data);
  }
}

/** What is asked, for whoever answers. Undefined where it is no question. */
export function unpackQuery(bytes: Buffer): { readonly id: number; readonly query: Query } | undefined {
  try {
    const decoded = packet.decode(bytes);
    const [question] = decoded.questions ?? [];
    if (decoded.type !== 'query' || !question) return undefined;
    const type = KNOWN[question.type] ?? question.type;
    return { id: decoded.id ?? 0, query: { name: toName(question.name), type: type as AskedType } };
  } catch {
    return undefined;
  }
}

const RCODES: Readonly<Record<string, number>> = {
  NOERROR: 0,
  SERVFAIL: 2,
  NXDOMAIN: 3,
  NOTIMP: 4,
  REFUSED: 5,
};

/** An answer as a resolver gives it. */
export function packAnswer(
  id: number,
  { name, type }: Query,
  rcode: string,
  answers: readonly NameRecord[],
): Buffer {
  return packet.encode({
    type: 'response',
    id,
    flags: packet.RECURSION_DESIRED | packet.RECURSION_AVAILABLE | (RCODES[rcode] ?? 2),
    questions: [{ type: (UNKNOWN[type] ?? type) as packet.RecordType, name, class: 'IN' }],
    answers: answers.map(
      (record) =>
        ({
          name: record.name,
          type: UNKNOWN[record.type] ?? record.type,
          ttl: record.ttl,
          class: 'IN',
          data: unformatData(record),
        }) as packet.Answer,
    ),
  });
}

function unformatData({ type, data }: NameRecord): unknown {
  if (type === 'HTTPS' || type === 'SVCB') return Buffer.from(packServiceBinding(data));
  if (type === 'CAA') {
    const [, flags = '0', tag = '', value = ''] = /^(\d+) (\S+) "?(.*?)"?$/.exec(data) ?? [];
    return { flags: Number(flags), tag, value };
  }
  if (type === 'SOA') {
    const [mname, rname, ...numbers] = data.split(' ');
    const [serial, refresh, retry, expire, minimum] = numbers.map(Number);
    return { mname, rname, serial, refresh, retry, expire, minimum };
  }
  if (type === 'TXT') return [...data.matchAll(/"([^"]*)"/g)].map((match) => match[1] ?? '');
  return type === 'A' || type === 'AAAA' ? data : toName(data);
}
