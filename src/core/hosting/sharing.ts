/**
 * Sharing with pages of other sites, by the Fetch standard (CORS protocol): whose scripts may read an answer, and what a
 * browser asks before a request that is not simple.
 */
import type { Answer, Recorder, WebRequest } from './answer.js';
import type { Quirks } from './quirks.js';

export interface SharingSetting {
  /** Origins such as `https://app.example`, without a closing slash. */
  readonly origins: 'everyone' | readonly string[];
  /** Names of headers that scripts may read beside those that they always may. */
  readonly expose: readonly string[];
  /** For how long a browser remembers what it was told beforehand, in seconds; null for its own time. */
  readonly keptFor: number | null;
}

const METHODS = 'GET, HEAD';
/** Bytes of the names of headers that a browser asks leave for. */
const MAX_ASKED = 4096;
const NAMES = /^[\w!#$%&'*+.^`|~-]+(?:[ \t]*,[ \t]*[\w!#$%&'*+.^`|~-]+)*$/;
/** What carries an object, whole or in part, or says that it has not changed. */
const OF_OBJECTS: ReadonlySet<number> = new Set([200, 206, 304]);

const single = (value: string | readonly string[] | undefined): string | undefined =>
  typeof value === 'string' ? value : undefined;

/** The origin that an answer is for: `*` for everyone; undefined for one that has no leave. */
function allowedOrigin({ origins }: SharingSetting, origin: string): string | undefined {
  if (origins === 'everyone') return '*';
  return origins.includes(origin) ? origin : undefined;
}

/** Whether it is what a browser asks beforehand. */
export const isPreflight = ({ method, headers }: WebRequest): boolean =>
  method === 'OPTIONS' &&
  headers['origin'] !== undefined &&
  headers['access-control-request-method'] !== undefined;

/** Undefined where the bucket gives no leave: then the answer is that of a bucket that is shared with nobody. */
export function resolvePreflight(
  { headers }: WebRequest,
  sharing: SharingSetting | undefined,
  quirks: Quirks,
  trace?: Recorder,
): Answer | undefined {
  const origin = single(headers['origin']) ?? '';
  const allowed = sharing && allowedOrigin(sharing, origin);
  if (!sharing || allowed === undefined) {
    trace?.note('sharing', 'refused', `sharedWith has no leave for ${origin}, so its pages get nothing`);
    return undefined;
  }
  trace?.note('sharing', allowed, `pages of ${origin} may read with GET and HEAD`);
  const asked = single(headers['access-control-request-headers']) ?? '';
  const mayAsk = asked.length <= MAX_ASKED && NAMES.test(asked);
  return {
    status: quirks.optionsStatus,
    headers: [
      'Access-Control-Allow-Origin',
      allowed,
      'Access-Control-Allow-Methods',
      METHODS,
      ...(mayAsk ? ['Access-Control-Allow-Headers', asked] : []),
      ...(sharing.keptFor === null ? [] : ['Access-Control-Max-Age', String(sharing.keptFor)]),
      'Vary',
      'Origin, Access-Control-Request-Method, Access-Control-Request-Headers',
    ],
    body: { kind: 'none' },
    reason: 'options',
  };
}

/** An answer with what it says of other sites. */
export function withSharing(
  answer: Answer,
  { headers }: WebRequest,
  sharing: SharingSetting,
  quirks: Quirks,
  trace?: Recorder,
): Answer {
  const origin = single(headers['origin']);
  const byStandard = quirks.sharing === 'every-answer';
  if (quirks.sharing === 'objects' && !OF_OBJECTS.has(answer.status)) return answer;
  if (quirks.sharing === 'asked' && (answer.reason === 'folder' || answer.status === 500)) return answer;
  const allowed = origin === undefined ? undefined : allowedOrigin(sharing, origin);
  const isForSome = sharing.origins !== 'everyone';
  if (origin !== undefined)
    trace?.note(
      'sharing',
      allowed ?? 'not shared',
      allowed === undefined
        ? `sharedWith does not name ${origin}: its pages cannot read this`
        : `pages of ${isForSome ? origin : 'any site'} may read this`,
    );
  const added = [
    // Asked for without an origin, it is another answer too: a cache must not give that to pages of other sites.
    ...(isForSome && (byStandard || allowed !== undefined) ? ['Vary', 'Origin'] : []),
    ...(allowed === undefined && (isForSome || !byStandard)
      ? []
      : ['Access-Control-Allow-Origin', allowed ?? '*']),
    ...(allowed !== undefined && sharing.expose.length > 0
      ? ['Access-Control-Expose-Headers', sharing.expose.join(', ')]
      : []),
  ];
  return added.length === 0 ? answer : { ...answer, headers: [...answer.headers, ...added] };
}
