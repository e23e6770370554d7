/** A release as browsers meet it: the resolver's answers, with the heads that the emulation sends with them. */
import type { Answer } from '../../core/hosting/answer.js';
import { headersToRecord } from '../../core/hosting/answer.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { renderNotice } from '../../core/hosting/notice-page.js';
import { resolve } from '../../core/hosting/resolve.js';
import { headerOf } from '../../core/hosting/answer.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { HEAD, type SiteAnswer, type VisitedSite } from '../../core/visiting/page-load.js';
import { headBytes } from '../../server/head.js';
import { essence } from '../../core/assign/media-type.js';
import { readingKind } from '../../core/reading/reading-kind.js';
import { pathInPlace } from '../project/site-place.js';
import { readText } from '../check/read-text.js';
import { readWhole, type ReadObject } from '../host/host-release.js';

export interface ReleaseSource {
  /** Does some work with a view of the release. */
  readonly withView: <T>(work: (view: BucketView) => T) => Promise<T>;
  readonly read: ReadObject;
  /** Hosts, with their ports, that are this site's. */
  readonly hosts: readonly string[];
  /** The path of them below which it lies, with its closing slash. */
  readonly place?: string;
  /** When it is visited: milliseconds since the epoch. */
  readonly at: number;
}

/** Texts above this are no pages. */
const MAX_READ = 32 * 2 ** 20;

export function visitRelease({ withView, read, hosts, place = '/', at }: ReleaseSource): VisitedSite {
  const own = new Set(hosts);
  const objects = new Map<string, StoredObject>();
  /** Pages that a host makes where there is no document. */
  const notices = new Map<string, string>();
  return {
    async ask(url) {
      const { host, pathname, search } = new URL(url);
      const path = pathInPlace(pathname, place);
      if (!own.has(host) || path === undefined) return undefined;
      return withView((view) => {
        const target = path + search;
        const answer = resolve({ method: 'GET', target, headers: {}, at }, view);
        if (answer.body.kind === 'object') objects.set(url, answer.body.object);
        else if (answer.body.kind === 'notice') notices.set(url, renderNotice(answer, view.name, undefined));
        return toAnswer(answer, view, at, target);
      });
    },
    async head(url) {
      const object = objects.get(url);
      if (!object || object.size === 0 || object.headers['Content-Encoding'] !== undefined) return undefined;
      const pieces: Uint8Array[] = [];
      for await (const piece of read(object, { start: 0, end: Math.min(HEAD, object.size) - 1 }))
        pieces.push(piece);
      return Buffer.concat(pieces);
    },
    async text(url) {
      const notice = notices.get(url);
      if (notice !== undefined) return notice;
      const object = objects.get(url);
      if (!object || object.size > MAX_READ || !mayLeadOn(object)) return undefined;
      return readText(object, await readWhole(read, object));
    },
  };
}

/** What is read for what it asks for; a graphic does in a frame. */
const mayLeadOn = (object: StoredObject): boolean =>
  readingKind(object) !== undefined || essence(object.headers['Content-Type'] ?? '') === 'image/svg+xml';

function toAnswer(answer: Answer, view: BucketView, at: number, target: string): SiteAnswer {
  const { status, body } = answer;
  let headers = answer.headers;
  let size = body.kind === 'object' ? body.object.size : 0;
  if (body.kind === 'notice') {
    size = Buffer.byteLength(renderNotice(answer, view.name, undefined));
    headers = [...headers, 'Content-Type', 'text/html; charset=utf-8', 'Content-Length', String(size)];
  } else if (body.kind === 'none') headers = [...headers, 'Content-Length', '0'];
  const record = headersToRecord(headers);
  const { key = undefined, plain = undefined } = body.kind === 'object' ? body.object : {};
  return {
    status,
    headers: record,
    head: headBytes(status, headers),
    confirmedHead: confirmedHead(view, at, target, headerOf(headers, 'ETag')),
    size,
    ...(key === undefined ? {} : { key }),
    ...(plain === undefined ? {} : { plain }),
    ...(answer.reason === 'app' ? { ofApp: true as const } : {}),
  };
}

/** The bytes of a 304 to the same. */
function confirmedHead(view: BucketView, at: number, target: string, etag: string | undefined): number {
  if (etag === undefined) return 0;
  const answer = resolve({ method: 'GET', target, headers: { 'if-none-match': etag }, at }, view);
  return headBytes(answer.status, answer.headers);
}
