/**
 * Whether what a server of a zone says is signed by a key that the parent vouches for (RFC 4035 section 5): from the DS
 * down. Whether the DS itself is true is not asked here.
 */
import { createHash, createPublicKey, verify, type JsonWebKey, type KeyObject } from 'node:crypto';
import type { SigningFault, SigningFacts } from '../core/dns/facts.js';
import { toKey, toSets, type Key, type RecordSet, type Signature } from './signed-sets.js';
import { labelsOf, packName, TYPES, typeName, type WireRecord } from './wire.js';

/** How keys of an algorithm are read, and what is hashed for it: numbers of the registry of DNSSEC algorithms. */
const ALGORITHMS: Readonly<Record<number, { hash: string | null; key(bytes: Buffer): JsonWebKey }>> = {
  5: { hash: 'sha1', key: rsa },
  7: { hash: 'sha1', key: rsa },
  8: { hash: 'sha256', key: rsa },
  10: { hash: 'sha512', key: rsa },
  13: { hash: 'sha256', key: (bytes) => curve('P-256', bytes) },
  14: { hash: 'sha384', key: (bytes) => curve('P-384', bytes) },
  15: { hash: null, key: (bytes) => ({ kty: 'OKP', crv: 'Ed25519', x: bytes.toString('base64url') }) },
  16: { hash: null, key: (bytes) => ({ kty: 'OKP', crv: 'Ed448', x: bytes.toString('base64url') }) },
};
const DIGESTS: Readonly<Record<number, string>> = { 1: 'sha1', 2: 'sha256', 4: 'sha384' };

function rsa(bytes: Buffer): JsonWebKey {
  const isLong = bytes[0] === 0;
  const length = isLong ? bytes.readUInt16BE(1) : bytes.readUInt8(0);
  const from = isLong ? 3 : 1;
  return {
    kty: 'RSA',
    e: bytes.subarray(from, from + length).toString('base64url'),
    n: bytes.subarray(from + length).toString('base64url'),
  };
}

const curve = (crv: string, bytes: Buffer): JsonWebKey => ({
  kty: 'EC',
  crv,
  x: bytes.subarray(0, bytes.length / 2).toString('base64url'),
  y: bytes.subarray(bytes.length / 2).toString('base64url'),
});

/** So many signatures are tried for a set: anybody can write a thousand keys with one tag. */
const MAX_TRIED = 16;

/**
 * @param signers DS records of the parent @param answers what one server answered, of several questions
 * @param now milliseconds since the epoch
 */
export function checkSignatures(
  zone: string,
  signers: readonly WireRecord[],
  answers: readonly WireRecord[],
  now: number,
): SigningFacts {
  const apex = packName(zone);
  const sets = toSets(answers);
  const keySet = sets.find(({ owner, type }) => type === TYPES.DNSKEY && owner.equals(apex));
  const keys = (keySet?.records ?? []).flatMap(toKey);
  const tags = [...new Set(keys.map(({ tag }) => tag))].sort((a, b) => a - b);
  const by = new Set<number>();
  const keysTtl = Math.max(0, ...(keySet?.records ?? []).map(({ ttl }) => ttl));
  const said = (...faults: SigningFault[]): SigningFacts => ({ tags, by: [...by], keysTtl, faults });
  if (signers.length === 0 || !keySet) return said();
  const known = signers.filter(
    ({ data }) => data.length > 4 && ALGORITHMS[data.readUInt8(2)] && DIGESTS[data.readUInt8(3)],
  );
  if (known.length === 0) return said({ what: 'unknown-algorithm', set: `DS of ${zone}` });
  const vouched = keys.filter((key) => known.some((signer) => vouchesFor(signer, key, apex)));
  if (vouched.length === 0) return said({ what: 'no-key', set: `DNSKEY of ${zone}` });
  let until = Infinity;
  const faults = [keySet, ...sets.filter((set) => set !== keySet && set.type !== TYPES.DS)].flatMap(
    (set): SigningFault[] => {
      const result = checkSet(set, set === keySet ? vouched : keys, apex, now);
      if ('until' in result) {
        until = Math.min(until, result.until);
        if (set !== keySet) by.add(result.tag);
        return [];
      }
      return [{ ...result, set: `${typeName(set.type)} of ${written(set.owner)}` }];
    },
  );
  return { ...said(...faults), ...(until < Infinity ? { until } : {}) };
}

const written = (name: Buffer): string =>
  labelsOf(name)
    .map((label) => label.subarray(1).toString('latin1'))
    .join('.');

function vouchesFor({ data }: WireRecord, { record, algorithm, tag }: Key, apex: Buffer): boolean {
  const digest = DIGESTS[data.readUInt8(3)];
  return (
    digest !== undefined &&
    data.readUInt16BE(0) === tag &&
    data.readUInt8(2) === algorithm &&
    createHash(digest).update(apex).update(record.data).digest().equals(data.subarray(4))
  );
}

/** How good a signature is: the best of a set says what is wrong with it. */
const FROM_BEST = ['ended', 'early', 'wrong', 'unsigned'] as const;

function checkSet(
  set: RecordSet,
  keys: readonly Key[],
  apex: Buffer,
  now: number,
): Good | Omit<SigningFault, 'set'> {
  let worst: Omit<SigningFault, 'set'> = { what: 'unsigned' };
  let tried = 0;
  for (const signature of set.signatures) {
    if (!signature.signer.equals(apex)) continue;
    for (const key of keys) {
      if (key.tag !== signature.tag || key.algorithm !== signature.algorithm || ++tried > MAX_TRIED) continue;
      const met = checkSignature(set, signature, key, now);
      if ('until' in met) return met;
      if (FROM_BEST.indexOf(met.what) < FROM_BEST.indexOf(worst.what as typeof met.what)) worst = met;
    }
  }
  return worst;
}

/** Until when, and by which key. */
interface Good {
  readonly until: number;
  readonly tag: number;
}

type Met = Good | (Omit<SigningFault, 'set'> & { readonly what: (typeof FROM_BEST)[number] });

function checkSignature(set: RecordSet, signature: Signature, key: Key, now: number): Met {
  const { tag } = signature;
  if (!passes(set, signature, key)) return { what: 'wrong', tag };
  const ends = momentOf(signature.ends, now);
  if (ends < now) return { what: 'ended', tag, at: ends };
  const begins = momentOf(signature.begins, now);
  if (begins > now) return { what: 'early', tag, at: begins };
  return { until: ends, tag };
}

/** Seconds of 32 bits stand for the moment that is nearest to now (RFC 1982). Milliseconds since the epoch. */
function momentOf(seconds: number, now: number): number {
  const ROUND = 2 ** 32;
  const present = Math.floor(now / 1000);
  const distance = (((seconds - present) % ROUND) + ROUND) % ROUND;
  return (present + (distance < ROUND / 2 ? distance : distance - ROUND)) * 1000;
}

function passes({ owner, type, records }: RecordSet, signature: Signature, key: Key): boolean {
  const algorithm = ALGORITHMS[key.algorithm];
  if (!algorithm) return false;
  const labels = labelsOf(owner);
  if (signature.labels > labels.length) return false;
  // What a wildcard gave is signed under the wildcard's name.
  const name =
    signature.labels === labels.length
      ? owner
      : Buffer.concat([
          Buffer.from('\x01*'),
          ...labels.slice(labels.length - signature.labels),
          Buffer.of(0),
        ]);
  const head = Buffer.alloc(8);
  head.writeUInt16BE(type, 0);
  head.writeUInt16BE(1, 2);
  head.writeUInt32BE(signature.ttl, 4);
  const datas = [...new Map(records.map(({ data }) => [data.toString('hex'), data])).values()].sort(
    Buffer.compare,
  );
  const signed = Buffer.concat([
    signature.head,
    ...datas.flatMap((data) => {
      const length = Buffer.alloc(2);
      length.writeUInt16BE(data.length);
      return [name, head, length, data];
    }),
  ]);
  try {
    const publicKey: KeyObject = createPublicKey({
      format: 'jwk',
      key: algorithm.key(key.record.data.subarray(4)),
    });
    return verify(algorithm.hash, signed, { key: publicKey, dsaEncoding: 'ieee-p1363' }, signature.bytes);
  } catch {
    // No key at all, or one of another size.
    return false;
  }
}
