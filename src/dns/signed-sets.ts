/** Sets of records with what signs them, and keys, as they are on the wire (RFC 4034). */
import { TYPES, type WireRecord } from './wire.js';

/** A key of a zone, and no other kind. */
const ZONE_KEY = 0x0100;

export interface Key {
  readonly record: WireRecord;
  readonly algorithm: number;
  readonly tag: number;
}

export interface Signature {
  readonly covers: number;
  readonly algorithm: number;
  readonly labels: number;
  readonly ttl: number;
  /** Seconds since the epoch. */
  readonly ends: number;
  readonly begins: number;
  readonly tag: number;
  readonly signer: Buffer;
  /** What is signed of it itself. */
  readonly head: Buffer;
  readonly bytes: Buffer;
}

/** Records of one name and type, with what signs them. */
export interface RecordSet {
  readonly owner: Buffer;
  readonly type: number;
  readonly records: readonly WireRecord[];
  readonly signatures: readonly Signature[];
}

export function toSets(answers: readonly WireRecord[]): RecordSet[] {
  const sets = new Map<
    string,
    { owner: Buffer; type: number; records: WireRecord[]; signatures: Signature[] }
  >();
  const at = (owner: Buffer, type: number): { records: WireRecord[]; signatures: Signature[] } => {
    const id = `${owner.toString('hex')} ${type}`;
    let set = sets.get(id);
    if (!set) sets.set(id, (set = { owner, type, records: [], signatures: [] }));
    return set;
  };
  for (const record of answers) {
    if (record.type !== TYPES.RRSIG) {
      at(record.owner, record.type).records.push(record);
      continue;
    }
    const signature = toSignature(record.data);
    if (signature) at(record.owner, signature.covers).signatures.push(signature);
  }
  return [...sets.values()].filter(({ records }) => records.length > 0);
}

function toSignature(data: Buffer): Signature | undefined {
  if (data.length < 20) return undefined;
  let end = 18;
  while (end < data.length && data[end] !== 0) end += 1 + (data[end] ?? 0);
  end++;
  return {
    covers: data.readUInt16BE(0),
    algorithm: data.readUInt8(2),
    labels: data.readUInt8(3),
    ttl: data.readUInt32BE(4),
    ends: data.readUInt32BE(8),
    begins: data.readUInt32BE(12),
    tag: data.readUInt16BE(16),
    signer: data.subarray(18, end),
    head: data.subarray(0, end),
    bytes: data.subarray(end),
  };
}

export function toKey(record: WireRecord): Key[] {
  const { data } = record;
  if (data.length < 5 || (data.readUInt16BE(0) & ZONE_KEY) === 0 || data.readUInt8(2) !== 3) return [];
  return [{ record, algorithm: data.readUInt8(3), tag: tagOf(data) }];
}

/** RFC 4034 appendix B. */
function tagOf(data: Buffer): number {
  let sum = 0;
  for (const [at, byte] of data.entries()) sum += at % 2 === 0 ? byte << 8 : byte;
  return (sum + ((sum >>> 16) & 0xffff)) & 0xffff;
}
