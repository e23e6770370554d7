/**
 * The answers of a message as they are signed (RFC 4034 section 6): names whole and in small letters, data as bytes. What
 * a library makes of them cannot be put back byte by byte.
 */

export interface WireRecord {
  /** In wire form, in small letters. */
  readonly owner: Buffer;
  readonly type: number;
  readonly ttl: number;
  /** Canonical. */
  readonly data: Buffer;
}

export const TYPES = {
  A: 1,
  NS: 2,
  CNAME: 5,
  SOA: 6,
  AAAA: 28,
  DS: 43,
  RRSIG: 46,
  DNSKEY: 48,
  HTTPS: 65,
} as const;
export const typeName = (type: number): string =>
  Object.entries(TYPES).find(([, number]) => number === type)?.[0] ?? `TYPE${type}`;

const [HEADER, IN, MAX_NAME, MAX_JUMPS] = [12, 1, 255, 64];
/** A byte of a label's length that says where the rest of the name stands. */
const POINTER = 0xc0;

/** @returns nothing of what cannot be read to its end */
export function readWire(bytes: Buffer): WireRecord[] {
  const records: WireRecord[] = [];
  try {
    let at = HEADER;
    for (let left = bytes.readUInt16BE(4); left > 0; left--) at = readName(bytes, at).end + 4;
    for (let left = bytes.readUInt16BE(6); left > 0; left--) {
      const { name: owner, end } = readName(bytes, at);
      const length = bytes.readUInt16BE(end + 8);
      const [begin, over] = [end + 10, end + 10 + length];
      if (over > bytes.length) return records;
      const type = bytes.readUInt16BE(end);
      if (bytes.readUInt16BE(end + 2) === IN)
        records.push({
          owner,
          type,
          ttl: bytes.readUInt32BE(end + 4),
          data: readData(bytes, type, begin, over),
        });
      at = over;
    }
  } catch {
    // Cut off or malformed: what came before it stands.
  }
  return records;
}

function readData(bytes: Buffer, type: number, begin: number, over: number): Buffer {
  if (type === TYPES.NS || type === TYPES.CNAME) return readName(bytes, begin).name;
  if (type === TYPES.RRSIG) {
    // The signer's name is never shortened, and stands in small letters where it is signed.
    const { name, end } = readName(bytes, begin + 18);
    return Buffer.concat([bytes.subarray(begin, begin + 18), name, bytes.subarray(end, over)]);
  }
  if (type !== TYPES.SOA) return Buffer.from(bytes.subarray(begin, over));
  const server = readName(bytes, begin);
  const keeper = readName(bytes, server.end);
  return Buffer.concat([server.name, keeper.name, bytes.subarray(keeper.end, over)]);
}

/** @throws RangeError where it is none */
export function readName(bytes: Buffer, from: number): { readonly name: Buffer; readonly end: number } {
  const parts: Buffer[] = [];
  let [at, end, length, jumps] = [from, -1, 0, 0];
  for (;;) {
    const size = bytes.readUInt8(at);
    if ((size & POINTER) === POINTER) {
      if (end < 0) end = at + 2;
      if (++jumps > MAX_JUMPS) throw new RangeError('a name without an end');
      at = bytes.readUInt16BE(at) & 0x3fff;
      continue;
    }
    if ((size & POINTER) !== 0 || at + 1 + size > bytes.length) throw new RangeError('no label');
    length += size + 1;
    if (length > MAX_NAME) throw new RangeError('a name that is too long');
    parts.push(bytes.subarray(at, at + 1 + size));
    at += 1 + size;
    if (size === 0) break;
  }
  return { name: toSmall(Buffer.concat(parts)), end: end < 0 ? at : end };
}

const [A, Z] = [0x41, 0x5a];
function toSmall(name: Buffer): Buffer {
  // A length is at most 63, and so below every letter.
  for (const [at, byte] of name.entries()) if (byte >= A && byte <= Z) name[at] = byte + 0x20;
  return name;
}

/** A name as it is written, in wire form. */
export const packName = (name: string): Buffer =>
  Buffer.concat([
    ...name
      .split('.')
      .filter((label) => label !== '')
      .map((label) => Buffer.concat([Buffer.of(label.length), Buffer.from(label.toLowerCase(), 'latin1')])),
    Buffer.of(0),
  ]);

/** The labels of a name in wire form, the root aside. */
export function labelsOf(name: Buffer): Buffer[] {
  const labels: Buffer[] = [];
  for (let at = 0; at < name.length && name[at] !== 0; at += 1 + (name[at] ?? 0))
    labels.push(name.subarray(at, at + 1 + (name[at] ?? 0)));
  return labels;
}
