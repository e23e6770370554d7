/** What a cache did, in the words of RFC 9211. */
import type { Forward } from './shared-cache.js';
import type { NotKept } from './shared-freshness.js';

export interface CacheStatus {
  readonly hit: boolean;
  readonly forward?: Forward | undefined;
  /** What the bucket answered, where it was asked. */
  readonly forwardStatus?: number | undefined;
  /** Whether the answer was kept. */
  readonly stored?: boolean | undefined;
  /** Seconds that it is still fresh; negative where it is stale. */
  readonly ttl?: number | undefined;
  readonly detail?: string | undefined;
}

/** The value of the header. */
export function formatCacheStatus({ hit, forward, forwardStatus, stored, ttl, detail }: CacheStatus): string {
  const parts = [
    'fenestra',
    ...(hit ? ['hit'] : []),
    ...(forward === undefined ? [] : [`fwd=${forward}`]),
    ...(forwardStatus === undefined ? [] : [`fwd-status=${forwardStatus}`]),
    ...(ttl === undefined ? [] : [`ttl=${Math.floor(ttl)}`]),
    ...(stored ? ['stored'] : []),
    ...(detail === undefined ? [] : [`detail="${detail}"`]),
  ];
  return parts.join('; ');
}

/** Why an answer was not kept, for people. */
export const NOT_KEPT: Readonly<Record<NotKept, string>> = {
  method: 'only answers to GET are kept',
  'request no-store': 'the visitor asked for it not to be kept',
  authorization: 'the visitor signed in, and the answer does not say that it is for everybody',
  'no-store': 'no-store',
  private: 'private: it is for one visitor',
  'set-cookie': 'it sets a cookie, and a cookie is for one visitor',
  vary: 'Vary: *: no other request is like this one',
  status: 'answers with this status are not kept without a lifetime',
  'nothing to go by': 'nothing says for how long, and nothing could confirm it',
  'too large': 'it is larger than the front keeps',
};
