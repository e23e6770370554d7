/** Integrity metadata (Subresource Integrity, section 3): digests that a reference demands of its target. */
import type { Buffer } from 'node:buffer';

export type Digest = (
  algorithm: 'sha256' | 'sha384' | 'sha512',
  bytes: Buffer,
  form: 'hex' | 'base64',
) => string;

const TOKEN = /\b(sha256|sha384|sha512)-([A-Za-z0-9+/_-]+={0,2})/g;

/**
 * The same metadata for other bytes. A digest that was not the old bytes' own stays: it was wrong before, and a browser
 * that refuses them goes on to.
 */
export const renewIntegrity = (value: string, was: Buffer, becomes: Buffer, digest: Digest): string =>
  value.replace(TOKEN, (token, algorithm: 'sha256' | 'sha384' | 'sha512', written: string) => {
    const plain = written.replace(/-/g, '+').replace(/_/g, '/');
    return digest(algorithm, was, 'base64') === plain
      ? `${algorithm}-${digest(algorithm, becomes, 'base64')}`
      : token;
  });
