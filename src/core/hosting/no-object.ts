/** Answers where there is no object to send, or none for everybody: the error document, or a notice. */
import type { ReadPolicy } from '../access/read-policy.js';
import type { StoredObject } from '../site/site-object.js';
import type { Answer, Recorder, WebRequest } from './answer.js';
import { errorKey } from './app-page.js';
import type { BucketView } from './bucket-view.js';
import type { Quirks } from './quirks.js';
import { resolveObject } from './representation.js';
import { policyOf } from './memoized-settings.js';

/** What a 401 has to ask for (RFC 9110 section 15.5.2); no browser opens a dialog for it. */
export const challenge = ({ name }: BucketView): readonly string[] => [
  'WWW-Authenticate',
  `Token realm="${name}"`,
];

export function resolveMissing(
  request: WebRequest,
  bucket: BucketView,
  key: string,
  quirks: Quirks,
  policy: ReadPolicy,
  trace?: Recorder,
): Answer {
  const status = quirks.missingKey;
  const document = errorDocument(policy, bucket, quirks, trace);
  const because = `bucket ${bucket.name} has no object ${key}`;
  if (!document) return notice(status, 'missing', because, key);
  if (request.method === 'HEAD' && quirks.missingHead === 500) {
    trace?.note('error document', '500', 'this host fails at HEAD of what is missing');
    return notice(500, 'missing', because, key);
  }
  const sent = quirks.errorDocumentStatus === 'as-is' ? status : 200;
  return {
    ...resolveObject(request, document, sent, 'error-document', quirks, trace),
    key,
    because,
  };
}

export function refuse(
  request: WebRequest,
  bucket: BucketView,
  quirks: Quirks,
  status: number,
  reason: 'closed' | 'unreadable',
  because: string,
  key: string,
  trace?: Recorder,
): Answer {
  if (quirks.refusalDocument === 'error' && reason === 'unreadable') {
    const document = errorDocument(policyOf(bucket.settings), bucket, quirks, trace);
    if (document)
      return {
        ...resolveObject(request, document, status, 'error-document', quirks, trace),
        key,
        reason,
        because,
      };
  }
  return notice(status, reason, because, key, status === 401 ? challenge(bucket) : []);
}

function errorDocument(
  policy: ReadPolicy,
  bucket: BucketView,
  quirks: Quirks,
  trace?: Recorder,
): StoredObject | undefined {
  const { documents } = bucket.settings;
  const key = quirks.appPages === 'error-document' ? errorKey(bucket.settings) : documents.error;
  if (key === null) {
    trace?.note('error document', 'none', 'the site names no error document');
    return undefined;
  }
  const object = policy.isReadable(key) ? bucket.find(key) : undefined;
  trace?.note(
    'error document',
    object ? key : 'not served',
    object
      ? key === documents.error
        ? 'named under documents.error'
        : 'the page of the app: this host has one error document for everything'
      : policy.isReadable(key)
        ? `${key} was never published`
        : `the public-read policy does not cover ${key}`,
  );
  return object;
}

export const notice = (
  status: number,
  reason: Answer['reason'],
  because: string,
  key?: string,
  headers: readonly string[] = [],
): Answer => ({
  status,
  headers,
  body: { kind: 'notice' },
  reason,
  because,
  ...(key === undefined ? {} : { key }),
});
