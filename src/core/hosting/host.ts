/** Host names to buckets. */
import { nearestWord } from '../words/nearest-word.js';

export interface HostedName {
  readonly name: string;
  readonly domains: readonly string[];
}

export type HostVerdict =
  | { readonly kind: 'bucket'; readonly name: string; readonly because: string }
  | { readonly kind: 'front' }
  | { readonly kind: 'unknown'; readonly because: string };

const BARE = /^(?:localhost|127(?:\.\d{1,3}){3}|\[[0-9a-f:.]+\]|0\.0\.0\.0)$/;

/**
 * Which bucket a Host header names: `NAME.localhost`, or one of a bucket's own domains. A bare address shows the
 * front page.
 */
export function resolveHost(host: string | undefined, buckets: readonly HostedName[]): HostVerdict {
  const name = (host ?? '').replace(/:\d*$/, '').replace(/\.$/, '').toLowerCase();
  if (name === '' || BARE.test(name)) return { kind: 'front' };
  const label = name.endsWith('.localhost') ? name.slice(0, -'.localhost'.length) : undefined;
  for (const bucket of buckets) {
    if (bucket.name === label) return { kind: 'bucket', name: bucket.name, because: `${name} names it` };
    if (bucket.domains.includes(name))
      return { kind: 'bucket', name: bucket.name, because: `${name} is one of its domains` };
  }
  const nearest = nearestWord(
    label ?? name,
    buckets.map((bucket) => bucket.name),
  );
  return {
    kind: 'unknown',
    because: `no bucket answers for the host ${name}${nearest === undefined ? '' : `; there is ${nearest}`}`,
  };
}
