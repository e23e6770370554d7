/** The headers and the slice of an object that exists and may be read: preconditions, range, headers. */
import { formatHttpDate } from '../caching/http-date.js';
import type { StoredObject } from '../site/site-object.js';
import { headerOf, type Answer, type Recorder, type Reason, type WebRequest } from './answer.js';
import { decideRange, type ByteRange } from './byte-range.js';
import { decideEachAlone, decidePreconditions, ifRangeHolds } from './preconditions.js';
import type { Quirks } from './quirks.js';
import { makeMultipart, readRanges } from './several-ranges.js';

/** The entity tag of an object: strong, from its bytes alone. */
export const entityTag = (object: StoredObject): string => `"${object.digest.slice(0, 32)}"`;

/** Last-Modified in whole seconds, as HTTP dates carry them. */
export const lastModified = (object: StoredObject): number => Math.floor(object.since / 1000) * 1000;

interface Prepared {
  readonly object: StoredObject;
  readonly quirks: Quirks;
  readonly etag: string;
  readonly lastModified: number;
  readonly whole: readonly string[];
  readonly notModified: readonly string[];
}

/** What was worked out of some objects that were asked for lately, each in the place that its digest gives. */
const prepared: Prepared[] = [];

/** From two bits each of its first three digits; 0 where it has none. */
const placeOf = (digest: string): number =>
  ((digest.charCodeAt(0) & 3) << 4) | ((digest.charCodeAt(1) & 3) << 2) | (digest.charCodeAt(2) & 3);

const KEPT_ON_304 = new Set(['Cache-Control', 'Expires', 'Pragma', 'Content-Location', 'Vary']);

function prepare(object: StoredObject, quirks: Quirks): Prepared {
  const place = placeOf(object.digest);
  const known = prepared[place];
  if (known?.object === object && known.quirks === quirks) return known;
  const labels = prepareLabels(object.headers, quirks);
  const tag = entityTag(object);
  const validators = [
    'ETag',
    quirks.entityTag === 'bare' ? tag.slice(1, -1) : tag,
    'Last-Modified',
    formatHttpDate(lastModified(object)),
  ];
  const all = [...labels.whole, ...validators, 'Accept-Ranges', 'bytes'];
  const made: Prepared = {
    object,
    quirks,
    etag: tag,
    lastModified: lastModified(object),
    whole: [...all, 'Content-Length', String(object.size)],
    notModified: quirks.conditionalHeaders === 'all' ? all : [...labels.notModified, ...validators],
  };
  prepared[place] = made;
  return made;
}

// There are not many sets of labels in a release.
const preparedLabels = new WeakMap<StoredObject['headers'], Labels>();

type Labels = Pick<Prepared, 'quirks' | 'whole' | 'notModified'>;

function prepareLabels(headers: StoredObject['headers'], quirks: Quirks): Labels {
  const known = preparedLabels.get(headers);
  if (known?.quirks === quirks) return known;
  const labels = Object.entries(headers).filter(
    ([name]) => name !== 'Pragma' || quirks.pragmaHeader === 'sent',
  );
  if (headers['Content-Type'] === undefined && quirks.unlabelledType !== 'none')
    labels.unshift(['Content-Type', quirks.unlabelledType]);
  const made: Labels = {
    quirks,
    whole: labels.flat(),
    notModified: labels.filter(([name]) => KEPT_ON_304.has(name)).flat(),
  };
  preparedLabels.set(headers, made);
  return made;
}

/** Last-Modified never lies after Date (RFC 9110 section 8.8.2.1), as it would where the clock has gone back. */
function datedBy(at: number | undefined, object: StoredObject, headers: Prepared): Prepared {
  if (at === undefined || object.since <= at) return headers;
  const [own, now] = [lastModified(object), Math.floor(at / 1000) * 1000].map(formatHttpDate);
  const dated = (list: readonly string[]): string[] =>
    list.map((each, place) => (each === own && list[place - 1] === 'Last-Modified' ? (now ?? own) : each));
  return { ...headers, whole: dated(headers.whole), notModified: dated(headers.notModified) };
}

/**
 * Answers with an object.
 * @param status 200, or an error's status when the object is the error document
 */
export function resolveObject(
  request: WebRequest,
  object: StoredObject,
  status: number,
  reason: Reason,
  quirks: Quirks,
  trace?: Recorder,
): Answer {
  const known = prepare(object, quirks);
  const { whole, notModified } = datedBy(request.at, object, known);
  const key = object.key;
  const body = { kind: 'object', object } as const;
  if (status !== 200 || reason === 'error-document') {
    trace?.note(
      'headers',
      `${status}`,
      `${reason === 'app' ? 'a page' : 'a document'} in place of what is missing is sent whole: conditions and ranges are for what was asked`,
    );
    return { status, headers: withoutRanges(whole), body, reason, key };
  }
  const validators = { etag: known.etag, lastModified: known.lastModified, at: request.at };
  const decide = quirks.conditions === 'in-order' ? decidePreconditions : decideEachAlone;
  const verdict = decide(request.headers, validators);
  trace?.note(
    'preconditions',
    verdict.outcome,
    verdict.field === undefined
      ? 'the request sets no condition'
      : `${verdict.field} was compared with ${validators.etag} and the date of the release`,
  );
  if (verdict.outcome === 'not-modified') {
    return { status: 304, headers: notModified, body: { kind: 'none' }, reason: 'not-modified', key };
  }
  if (verdict.outcome === 'failed') {
    return {
      status: 412,
      headers: quirks.conditionalHeaders === 'all' ? describing(notModified) : [],
      body: { kind: 'notice' },
      reason: 'precondition',
      key,
      because: `${verdict.field} does not hold for the object as published`,
    };
  }
  const wanted = request.headers['range'];
  if (wanted === undefined || request.method !== 'GET') return { status, headers: whole, body, reason, key };
  const holds = quirks.ifRange === 'ignored' || ifRangeHolds(request.headers, validators);
  const asked = holds ? wantedRanges(String(wanted), object.size, quirks) : 'whole';
  if (typeof asked === 'object' && asked.length > 1) {
    trace?.note('range', `${asked.length} parts`, `Range: ${String(wanted)}`);
    return severalParts(object, whole, asked);
  }
  const range = typeof asked === 'string' ? asked : (asked[0] ?? 'whole');
  trace?.note(
    'range',
    typeof range === 'string' ? range : `${range.start}-${range.end}`,
    holds ? `Range: ${String(wanted)}` : 'If-Range names another representation, so the whole is sent',
  );
  if (range === 'whole') return { status, headers: whole, body, reason, key };
  if (range === 'unsatisfiable') {
    return {
      status: 416,
      headers: [
        ...(quirks.conditionalHeaders === 'all' ? describing(notModified) : []),
        'Content-Range',
        `bytes */${object.size}`,
      ],
      body: { kind: 'notice' },
      reason: 'unsatisfiable',
      key,
      because: `the object has ${object.size} bytes, and the range asks for none of them`,
    };
  }
  const headers = [
    ...whole.slice(0, -2),
    'Content-Range',
    `bytes ${range.start}-${range.end}/${object.size}`,
    'Content-Length',
    String(range.end - range.start + 1),
  ];
  return { status: 206, headers, body: { kind: 'object', object, range }, reason: 'range', key };
}

const wantedRanges = (
  header: string,
  size: number,
  { ranges }: Quirks,
): readonly ByteRange[] | 'whole' | 'unsatisfiable' => {
  if (ranges === 'each') return readRanges(header, size);
  const range = decideRange(header, size);
  return typeof range === 'string' ? range : [range];
};

/** @param whole the headers of the whole object, its length last */
function severalParts(object: StoredObject, whole: readonly string[], ranges: readonly ByteRange[]): Answer {
  const { type, length, parts } = makeMultipart(object, headerOf(whole, 'Content-Type'), ranges);
  const described = whole
    .slice(0, -2)
    .map((each, place) => (whole[place - 1] === 'Content-Type' && place % 2 === 1 ? type : each));
  const headers = [...described, 'Content-Length', String(length)];
  return { status: 206, headers, body: { kind: 'object', object, parts }, reason: 'range', key: object.key };
}

/** What says something of the object, and nothing of the notice that is sent in its place. */
const describing = (headers: readonly string[]): string[] => {
  const kept: string[] = [];
  for (let at = 0; at < headers.length; at += 2)
    if (!OF_THE_BODY.has(headers[at] ?? '')) kept.push(headers[at] ?? '', headers[at + 1] ?? '');
  return kept;
};
const OF_THE_BODY = new Set(['Content-Type', 'Content-Encoding', 'Content-Language', 'Content-Disposition']);

function withoutRanges(headers: readonly string[]): string[] {
  const kept: string[] = [];
  for (let at = 0; at < headers.length; at += 2) {
    if (headers[at] !== 'Accept-Ranges') kept.push(headers[at] ?? '', headers[at + 1] ?? '');
  }
  return kept;
}
