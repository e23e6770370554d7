/** Bucket names: one DNS label, because the name becomes part of a host name (RFC 1035, RFC 5891). */
import { FenestraError } from '../errors/catalogue.js';
import { nearestWord } from '../words/nearest-word.js';

/** Why a name cannot be a bucket's, or undefined. */
export function bucketNameFault(name: string): string | undefined {
  if (name === '') return 'it is empty';
  if (name !== name.trim()) return 'it has white space around it';
  if (/[A-Z]/.test(name)) return 'host names are compared without case, so it is written in lower case';
  if (name.includes('.'))
    return 'a dot would make it two labels of a host name, which certificates do not cover';
  if (name.includes('_')) return 'an underscore is not allowed in a host name';
  if (!/^[a-z0-9-]+$/.test(name)) return 'a host name holds only letters a to z, digits and hyphens';
  if (name.startsWith('-') || name.endsWith('-')) return 'a host name does not begin or end with a hyphen';
  if (name.length < 3 || name.length > 63) return `it has ${name.length} characters; a bucket has 3 to 63`;
  if (/^xn--/.test(name)) return '"xn--" marks a name in another script';
  if (name === 'localhost') return 'it is the name of this machine';
  return undefined;
}

/** The nearest allowed name to what was typed. */
export function suggestBucketName(typed: string): string {
  const plain = typed
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[\u0300-\u036f]/g, '')
    .split(/[^a-z0-9]+/)
    .filter((part) => part !== '')
    .join('-')
    .slice(0, 60);
  return plain.length >= 3 && bucketNameFault(plain) === undefined
    ? plain
    : `${plain || 'my'}-site`.replace(/^-+/, '');
}

/** @throws FenestraError BUCKET_NAME */
export function assertBucketName(name: string): void {
  const reason = bucketNameFault(name);
  if (reason !== undefined)
    throw new FenestraError('BUCKET_NAME', { name, reason, suggestion: suggestBucketName(name) });
}

/** @param isTaken whether a store has a bucket of a name */
export function bucketTaken(name: string, isTaken: (name: string) => boolean): FenestraError {
  let number = 2;
  while (isTaken(`${name}-${number}`)) number++;
  return new FenestraError('BUCKET_TAKEN', { name, suggestion: `${name}-${number}` });
}

/** @param known the buckets that the store has */
export function bucketMissing(store: string, name: string, known: readonly string[]): FenestraError {
  const nearest = nearestWord(name, known);
  return new FenestraError('BUCKET_MISSING', {
    store,
    name,
    nearest: nearest === undefined ? '' : `; there is ${nearest}`,
  });
}
