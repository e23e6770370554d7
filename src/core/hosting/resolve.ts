/** The one resolver: a request and a bucket's release to the answer. Pure; nothing else decides an answer. */
import { formatWhen } from '../words/moments.js';
import { fileName } from '../site/key.js';
import type { StoredObject } from '../site/site-object.js';
import type { Answer, Recorder, WebRequest } from './answer.js';
import { resolveApp } from './app-page.js';
import type { BucketView } from './bucket-view.js';
import { resolveFolder } from './folder.js';
import { resolveMovedHost } from './moved-host.js';
import { resolveMoved } from './moved.js';
import { challenge, notice, refuse, resolveMissing } from './no-object.js';
import { resolveObject } from './representation.js';
import { policyOf, quirksOf } from './memoized-settings.js';
import type { Quirks } from './quirks.js';
import { isPreflight, resolvePreflight, withSharing } from './sharing.js';
import { parseTarget } from './target.js';

/** Methods that stores of objects have for those who have signed in. */
const WRITING: ReadonlySet<string> = new Set(['POST', 'PUT', 'DELETE']);

export const ALLOWED = 'GET, HEAD, OPTIONS';

/**
 * Resolves a request against one release of a bucket.
 * @param trace takes every step with its reason; left out, none of that text is built
 */
export function resolve(request: WebRequest, bucket: BucketView, trace?: Recorder): Answer {
  const { sharing } = bucket.settings;
  const quirks = quirksOf(bucket.settings);
  if (isPreflight(request)) {
    const allowed = resolvePreflight(request, sharing, quirks, trace);
    if (allowed) return allowed;
    if (quirks.sharing !== 'every-answer')
      return notice(401, 'options', 'this host refuses what a browser asks beforehand');
  }
  const answer = resolveAlone(request, bucket, trace);
  return sharing ? withSharing(answer, request, sharing, quirks, trace) : answer;
}

/** The same as if nobody's pages but the site's own would read it. */
function resolveAlone(request: WebRequest, bucket: BucketView, trace?: Recorder): Answer {
  const { method } = request;
  const { settings } = bucket;
  const quirks = quirksOf(settings);
  if (method !== 'GET' && method !== 'HEAD') {
    trace?.note('method', method, `a bucket host answers ${ALLOWED}`);
    if (method === 'OPTIONS')
      return {
        status: quirks.optionsStatus,
        headers: ['Allow', ALLOWED],
        body: { kind: 'none' },
        reason: 'options',
      };
    const because = `a published site is read with GET and HEAD, not ${method}`;
    if (quirks.otherMethods === 401 && method === 'COPY')
      return notice(412, 'method', 'COPY needs a place to copy to');
    return quirks.otherMethods === 401 && WRITING.has(method)
      ? notice(401, 'method', because, undefined, challenge(bucket))
      : notice(405, 'method', because, undefined, ['Allow', ALLOWED]);
  }
  trace?.note('method', method, 'reading is what a bucket host is for');

  if (quirks.hostNames === 'as-written' && isUnusual(request.headers['host'])) {
    const because = `this host knows no bucket under ${String(request.headers['host'])}`;
    trace?.note('host', 'unknown', because);
    return notice(statusWithoutBucket(request.target), 'no-bucket', because);
  }
  const target = parseTarget(request.target, {
    whole: quirks.hostNames === 'as-written',
    asWritten: quirks.malformedAddress === 'as-written',
    composed: quirks.letterForms === 'composed',
  });
  if ('status' in target) {
    trace?.note('target', String(target.status), target.because);
    return notice(target.status, target.status === 414 ? 'too-long' : 'malformed', target.because);
  }
  const key = target.path.slice(1);
  trace?.note(
    'target',
    key === '' ? 'the root' : key,
    `the decoded path ${target.path}${target.query === '' ? '' : '; the query plays no part'}`,
  );
  if (target.path === '*') return notice(400, 'malformed', 'the target * goes with OPTIONS alone');

  const elsewhere = resolveMovedHost(request, settings.movedHosts, target.rawPath + target.query);
  if (elsewhere) {
    const because = `${elsewhere.host} is under movedHosts`;
    trace?.note('moved', `301 to ${elsewhere.location}`, because);
    return {
      status: 301,
      headers: ['Location', elsewhere.location],
      body: { kind: 'none' },
      reason: 'moved',
      key,
      because,
    };
  }

  trace?.note(
    'access',
    bucket.access,
    bucket.access === 'open'
      ? 'the bucket is open to the public'
      : 'a new bucket is closed until it is opened on purpose',
  );
  if (bucket.access === 'closed')
    return refuse(
      request,
      bucket,
      quirks,
      quirks.closedBucket,
      'closed',
      `bucket ${bucket.name} is closed to the public`,
      key,
      trace,
    );

  const moved = resolveMoved(settings.moved, target.path, target.rawPath, target.query);
  if (moved) {
    trace?.note(
      'moved',
      `${moved.status} to ${moved.location}`,
      `"${moved.from}" is under moved.${moved.status === 301 ? 'permanently' : 'temporarily'}`,
    );
    return {
      status: moved.status,
      headers: ['Location', moved.location],
      body: { kind: 'none' },
      reason: 'moved',
      key,
      because: `${moved.from} has moved`,
    };
  }
  trace?.note('moved', 'no', 'no moved address covers it');

  const folder = key === '' || key.endsWith('/');
  const served =
    folder && (key === '' || quirks.indexDocuments === 'every-folder') ? key + settings.documents.index : key;
  const policy = policyOf(settings);
  // Patterns match plain names, which an object knows of itself. Of no other key is it looked whether it is there.
  const named =
    settings.versioned && MAY_BE_VERSIONED.test(fileName(served))
      ? (bucket.find(served)?.plain ?? served)
      : served;
  if (trace) {
    const { readable, because } = policy.explain(named);
    trace.note('policy', readable ? 'readable' : 'not readable', `${because} (${named})`);
  }
  const isReadable = policy.isReadable(named);
  if (!isReadable && quirks.privateKey === 'missing') {
    trace?.note('key', 'missing', 'this host has no policy by key, so what nobody may read never reaches it');
    return resolveMissing(request, bucket, served, quirks, policy, trace);
  }
  if (!isReadable)
    return refuse(
      request,
      bucket,
      quirks,
      403,
      'unreadable',
      `the public-read policy does not cover ${served}`,
      served,
      trace,
    );

  const object = bucket.find(served);
  // Such a host asks its store for the address as it is, before it looks for documents.
  if ((folder ? key !== '' : !object) && quirks.conditions === 'each-alone' && asksForAny(request)) {
    trace?.note(
      'preconditions',
      'failed',
      `If-Match asks for any object at ${target.path}, and there is none`,
    );
    return notice(412, 'precondition', `bucket ${bucket.name} has no object ${key}`, served);
  }
  if (object) {
    const isIndex = served !== key;
    if (isIndex) trace?.note('index', served, `the index document of ${key === '' ? 'the root' : key}`);
    else trace?.note('key', served, describeObject(object));
    const answer = resolveObject(request, object, 200, isIndex ? 'index' : 'object', quirks, trace);
    const instead = insteadOf(answer.status, folder && key !== '', settings.documents.error !== null, quirks);
    return instead === answer.status
      ? answer
      : notice(instead, 'missing', `this host answers so in place of ${answer.status}`, served);
  }
  trace?.note(folder ? 'index' : 'key', 'missing', `release ${bucket.release} has no object ${served}`);

  if (!folder) {
    const answer = resolveFolder(request, bucket, key, target.query, quirks, policy, trace);
    if (answer) return answer;
  }
  const own = resolveApp(request, bucket, key, quirks, policy, trace);
  if (own) return own;
  return resolveMissing(request, bucket, served, quirks, policy, trace);
}

/** What conditions and ranges come to where the object is not sent. */
const OUTCOMES: ReadonlySet<number> = new Set([304, 412, 416]);

/** The status that a host gives in place of one that conditions and ranges came to. */
function insteadOf(status: number, below: boolean, hasErrorDocument: boolean, quirks: Quirks): number {
  if (!OUTCOMES.has(status)) return status;
  if (quirks.conditionOutcome === 'missing-with-error-document') return hasErrorDocument ? 404 : status;
  return quirks.conditionOutcome === 'failure-at-folders' && below && status !== 304 ? 500 : status;
}

/** What a host answers that finds no bucket by its name, and takes the address for one of its own interface. */
function statusWithoutBucket(target: string): number {
  const segments = target.replace(/\?.*/, '').split('/').filter(Boolean).length;
  return segments === 0 ? 404 : segments === 1 ? 412 : 400;
}

/** Whether a host name is written as the standards allow and browsers never do: in upper case, or with a closing dot. */
export const isUnusual = (host: string | string[] | undefined): boolean =>
  /[A-Z]|\.(?::\d*)?$/.test(String(host ?? ''));

/** Whether a name may have a hash in it. */
const MAY_BE_VERSIONED = /[0-9a-f]{8}/;

const describeObject = ({ size, plain, waits, neededUntil = 0 }: StoredObject): string =>
  [
    `published, ${size} bytes`,
    ...(plain === undefined ? [] : [`the versioned name of ${plain}`]),
    ...(waits
      ? [`no page of the release names it any more, and it is removed after ${formatWhen(neededUntil)}`]
      : []),
  ].join('; ');

const asksForAny = ({ headers }: WebRequest): boolean => String(headers['if-match'] ?? '').includes('*');
