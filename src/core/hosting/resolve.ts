/** The one resolver: a request and a bucket's release to the answer. Pure; nothing else decides an answer. */
import { createReadPolicy, type ReadPolicy, type ReadableSetting } from '../access/read-policy.js';
import { fileName, keyToPath } from '../site/key.js';
import type { StoredObject } from '../site/site-object.js';
import type { Answer, Recorder, WebRequest } from './answer.js';
import type { BucketSettings, BucketView } from './bucket-view.js';
import { resolveMovedHost } from './moved-host.js';
import { resolveMoved } from './moved.js';
import { DEFAULT_QUIRKS, type Quirks } from './quirks.js';
import { resolveObject } from './representation.js';
import { parseTarget } from './target.js';

/** Methods that stores of objects have for those who have signed in. */
const WRITING: ReadonlySet<string> = new Set(['POST', 'PUT', 'DELETE', 'COPY']);

export const ALLOWED = 'GET, HEAD, OPTIONS';

/**
 * Resolves a request against one release of a bucket.
 * @param trace takes every step with its reason; left out, none of that text is built
 */
export function resolve(request: WebRequest, bucket: BucketView, trace?: Recorder): Answer {
  const { method } = request;
  const { settings } = bucket;
  const quirks = quirksOf(settings);
  if (method !== 'GET' && method !== 'HEAD') {
    trace?.note('method', method, `a bucket host answers ${ALLOWED}`);
    if (method === 'OPTIONS')
      return { status: 204, headers: ['Allow', ALLOWED], body: { kind: 'none' }, reason: 'options' };
    const because = `a published site is read with GET and HEAD, not ${method}`;
    return quirks.otherMethods === 401 && WRITING.has(method)
      ? notice(401, 'method', because, undefined, challenge(bucket))
      : notice(405, 'method', because, undefined, ['Allow', ALLOWED]);
  }
  trace?.note('method', method, 'reading is what a bucket host is for');

  const target = parseTarget(request.target, quirks.malformedAddress === 'as-written');
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
  const policy = policyOf(settings.readable);
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
    if (folder) trace?.note('index', served, `the index document of ${key === '' ? 'the root' : key}`);
    else trace?.note('key', served, describeObject(object));
    return resolveObject(request, object, 200, folder ? 'index' : 'object', quirks, trace);
  }
  trace?.note(folder ? 'index' : 'key', 'missing', `release ${bucket.release} has no object ${served}`);

  if (!folder) {
    const answer = resolveFolder(request, bucket, key, target.query, quirks, policy, trace);
    if (answer) return answer;
  }
  return resolveMissing(request, bucket, served, quirks, policy, trace);
}

/** Whether a name may have a hash in it. */
const MAY_BE_VERSIONED = /[0-9a-f]{8}/;

const describeObject = ({ size, plain, waits, neededUntil = 0 }: StoredObject): string =>
  [
    `published, ${size} bytes`,
    ...(plain === undefined ? [] : [`the versioned name of ${plain}`]),
    ...(waits
      ? [
          `no page of the release names it any more, and it is removed after ${new Date(neededUntil).toISOString().slice(0, 16).replace('T', ' ')} UTC`,
        ]
      : []),
  ].join('; ');

/** `folder` asked for without its slash, where `folder/` has an index document that anyone may read. */
function resolveFolder(
  request: WebRequest,
  bucket: BucketView,
  key: string,
  query: string,
  quirks: Quirks,
  policy: ReadPolicy,
  trace?: Recorder,
): Answer | undefined {
  const indexKey = `${key}/${bucket.settings.documents.index}`;
  const possible =
    quirks.folderWithoutSlash !== 'missing' &&
    quirks.indexDocuments === 'every-folder' &&
    !key.startsWith('/');
  const index = possible && policy.isReadable(indexKey) ? bucket.find(indexKey) : undefined;
  const isFolder =
    index !== undefined ||
    (possible && quirks.folderWithoutIndex === 'redirect' && (bucket.hasBelow?.(`${key}/`) ?? false));
  if (!isFolder) {
    trace?.note(
      'folder',
      'no',
      possible ? `there is no ${indexKey} either` : 'this host does not look for folders',
    );
    return undefined;
  }
  if (index && quirks.folderWithoutSlash === 'index') {
    trace?.note('folder', indexKey, 'this host serves the index document at the address without the slash');
    return resolveObject(request, index, 200, 'index', quirks, trace);
  }
  const location =
    quirks.folderRedirectForm === 'path'
      ? `${keyToPath(key)}/${query}`
      : `${originOf(request)}${keyToPath(key)}/`;
  trace?.note(
    'folder',
    `${quirks.folderRedirectStatus} to ${location}`,
    index
      ? `${indexKey} exists, so the folder's address has a closing slash`
      : `keys lie below ${key}/, and this host looks no further`,
  );
  return {
    status: quirks.folderRedirectStatus,
    headers: ['Location', location],
    body: { kind: 'none' },
    reason: 'folder',
    key,
    because: index ? `${key}/ is a folder with an index document` : `${key}/ is a folder`,
  };
}

const asksForAny = ({ headers }: WebRequest): boolean => String(headers['if-match'] ?? '').includes('*');

/** Where the request went, as far as it tells; nothing where it does not, so that what is joined with it is a path. */
function originOf({ headers }: WebRequest): string {
  const host = headers['host'];
  return typeof host === 'string' && /^[\w.:[\]-]+$/.test(host) ? `http://${host}` : '';
}

/** What a 401 has to ask for (RFC 9110 section 15.5.2); no browser opens a dialog for it. */
const challenge = ({ name }: BucketView): readonly string[] => ['WWW-Authenticate', `Token realm="${name}"`];

function resolveMissing(
  request: WebRequest,
  bucket: BucketView,
  key: string,
  quirks: Quirks,
  policy: ReadPolicy,
  trace?: Recorder,
): Answer {
  const status = quirks.missingKey;
  const document = errorDocument(policy, bucket, trace);
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

function refuse(
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
    const document = errorDocument(policyOf(bucket.settings.readable), bucket, trace);
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

function errorDocument(policy: ReadPolicy, bucket: BucketView, trace?: Recorder): StoredObject | undefined {
  const key = bucket.settings.documents.error;
  if (key === null) {
    trace?.note('error document', 'none', 'the site names no error document');
    return undefined;
  }
  const object = policy.isReadable(key) ? bucket.find(key) : undefined;
  trace?.note(
    'error document',
    object ? key : 'not served',
    object
      ? 'named under documents.error'
      : policy.isReadable(key)
        ? `${key} was never published`
        : `the public-read policy does not cover ${key}`,
  );
  return object;
}

const notice = (
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

const quirksCache = new WeakMap<BucketSettings, Quirks>();
function quirksOf(settings: BucketSettings): Quirks {
  let quirks = quirksCache.get(settings);
  if (!quirks) quirksCache.set(settings, (quirks = { ...DEFAULT_QUIRKS, ...settings.quirks }));
  return quirks;
}

const policyCache = new WeakMap<object, ReadPolicy>();
const DEFAULT_POLICY = remembering(createReadPolicy(null));
function policyOf(setting: ReadableSetting): ReadPolicy {
  if (setting === null) return DEFAULT_POLICY;
  let policy = policyCache.get(setting);
  if (!policy) policyCache.set(setting, (policy = remembering(createReadPolicy(setting))));
  return policy;
}

const MOST_KEYS = 1000;

/** The same keys are asked for again and again. */
function remembering({ isReadable, explain }: ReadPolicy): ReadPolicy {
  const known = new Map<string, boolean>();
  return {
    explain,
    isReadable(key) {
      let readable = known.get(key);
      if (readable === undefined) {
        if (known.size >= MOST_KEYS) known.clear();
        known.set(key, (readable = isReadable(key)));
      }
      return readable;
    },
  };
}
