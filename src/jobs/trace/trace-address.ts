/** Why an address answers as it does, from the bucket as it is published. */
import { essence, isText } from '../../core/assign/media-type.js';
import { createCascade } from '../../core/assign/cascade.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { Answer, WebRequest } from '../../core/hosting/answer.js';
import { pageKey } from '../../core/hosting/folder-copy.js';
import { decideFix, type DiagnosisInput, type Fix } from '../../core/hosting/diagnose.js';
import { hostsOf } from '../../core/hosting/bucket-view.js';
import { resolveHost } from '../../core/hosting/host.js';
import { traceRequest, type Trace } from '../../core/hosting/trace.js';
import { plainKey } from '../../core/site/site-object.js';
import type { Snapshot, Store } from '../../stores/port.js';
import type { Destination } from '../../config/config.js';
import { pathInPlace, placeOfSite } from '../project/site-place.js';
import type { Project } from '../project/open-project.js';
import { sourceOf, withView } from './found-view.js';
import { readSiteKeys } from './site-keys.js';

export interface AskedOf {
  /** The whole address, where one was given: its host names the bucket. */
  readonly url?: URL | undefined;
  /** The live endpoint that is asked the same. */
  readonly at?: URL | undefined;
}

export interface TracedAddress extends Trace {
  /** What the bucket was asked for: the path below which it lies is no part of it. */
  readonly request: WebRequest;
  readonly bucket: string;
  /** The destination that publishes it; undefined where the config has none. */
  readonly destination: Destination | undefined;
  readonly fix?: Fix;
}

/**
 * @throws FenestraError BUCKET_MISSING, HOST_UNKNOWN, URL_INVALID
 */
export async function traceAddress(
  project: Project,
  store: Store,
  asked: WebRequest,
  { url, at }: AskedOf,
): Promise<TracedAddress> {
  const request = withinPlace(project, asked, { url, at });
  const { bucket, because } = await chooseBucket(project, store, url);
  const snapshot = await store.open(bucket);
  try {
    const { decide } = createCascade(project.config.assignments);
    const destination = destinationOf(project, bucket, request.target);
    const under = destination?.under ?? '';
    const siteKey = (key: string): string => (key.startsWith(under) ? key.slice(under.length) : key);
    const { index } = snapshot.state.settings.documents;
    const trace = await withView(sourceOf(snapshot), (view) =>
      traceRequest(request, view, because, (object, type) =>
        decide(siteKey(pageKey(plainKey(object), index)), isText(essence(type)), object.plain === undefined),
      ),
    );
    const site = destination && readSiteKeys(project);
    const inSite = (key: string): boolean => key.startsWith(under) && site?.().has(siteKey(key)) === true;
    const fix = await findFix(trace.answer, store, snapshot, { under, inSite });
    return { ...trace, request, bucket, destination, ...(fix ? { fix } : {}) };
  } finally {
    await snapshot.close();
  }
}

/** The whole address of a request, as it may be shown. */
export function addressOfRequest(project: Project, { target }: WebRequest, { url, at }: AskedOf): string {
  if (!at && url) return url.href;
  const place = at ? at.pathname : placeOfSite(project);
  return new URL(place.slice(0, -1) + target, at?.origin ?? project.address).href;
}

/** Of a whole address what the bucket is asked for, where it is served below a path. @throws FenestraError URL_INVALID */
function withinPlace(project: Project, request: WebRequest, { url, at }: AskedOf): WebRequest {
  if (!url) return request;
  const isAsked = url.host === at?.host;
  const isOwn =
    url.host === new URL(project.address).host || url.hostname === `${project.destination.bucket}.localhost`;
  const place = isAsked ? at.pathname : isOwn ? placeOfSite(project) : '/';
  if (place === '/') return request;
  const target = pathInPlace(request.target, place);
  if (target !== undefined) return { ...request, target };
  throw new FenestraError('URL_INVALID', { url: url.href, reason: `this site lies below ${place}` });
}

/** The destination that publishes what is asked for: several may share a bucket. */
function destinationOf(
  { config, destination }: Project,
  bucket: string,
  target: string,
): Destination | undefined {
  const sharing = [destination, ...config.destinations].filter(
    (each) => each.store === destination.store && each.bucket === bucket,
  );
  const deepest = sharing
    .filter(({ under = '' }) => target.startsWith(`/${under}`))
    .sort((a, b) => (b.under ?? '').length - (a.under ?? '').length);
  return deepest[0] ?? sharing[0];
}

interface Chosen {
  readonly bucket: string;
  /** Why it is this one. */
  readonly because: string;
}

async function chooseBucket(
  { destination, address }: Project,
  store: Store,
  url: URL | undefined,
): Promise<Chosen> {
  const { bucket, name } = destination;
  if (!url) return { bucket, because: `the bucket of the destination ${name}` };
  if (url.host === new URL(address).host) return { bucket, because: `${url.host} is its address` };
  const others = (await store.buckets()).filter((state) => state.name !== bucket);
  const hosted = [{ name: bucket, domains: hostsOf(destination.settings) }, ...others.map(toHosted)];
  const verdict = resolveHost(url.host, hosted);
  if (verdict.kind === 'bucket') return { bucket: verdict.name, because: verdict.because };
  throw new FenestraError('HOST_UNKNOWN', {
    host: url.host,
    store: store.name,
    known: hosted.flatMap((each) => [`${each.name}.localhost`, ...each.domains]).join(', '),
  });
}

const toHosted = ({ name, settings }: Snapshot['state']): { name: string; domains: readonly string[] } => ({
  name,
  domains: hostsOf(settings),
});

/** Reasons for which it matters what else there is. */
const LOOKED_AROUND: ReadonlySet<Answer['reason']> = new Set(['unreadable', 'missing', 'error-document']);

async function findFix(
  answer: Answer,
  store: Store,
  snapshot: Snapshot,
  site: Pick<DiagnosisInput, 'under' | 'inSite'>,
): Promise<Fix | undefined> {
  const { name: bucket, settings, release } = snapshot.state;
  if (!LOOKED_AROUND.has(answer.reason)) return decideFix(answer, { bucket, settings });
  const keys: string[] = [];
  let versionedAs: string | undefined;
  for await (const { key, plain, waits } of snapshot.objects()) {
    keys.push(key);
    if (plain !== undefined && plain === answer.key && !waits) versionedAs = key;
  }
  const published = new Set(keys);
  const removed = answer.key === undefined ? undefined : await findRemoval(store, bucket, answer.key);
  return decideFix(answer, {
    bucket,
    settings,
    release,
    keys: () => keys,
    has: (key) => published.has(key),
    versionedAs,
    ...site,
    removedIn: removed?.release,
    renamedTo: removed && (await findBytes(snapshot, removed.digest)),
  });
}

/** The key that has some bytes now; undefined where none has, or where there are none. */
async function findBytes(snapshot: Snapshot, digest: string): Promise<string | undefined> {
  for await (const object of snapshot.objects())
    if (object.digest === digest && object.size > 0) return object.key;
  return undefined;
}

/** The latest release that removed a key which is not there now; undefined when none that is kept did. */
async function findRemoval(
  store: Store,
  bucket: string,
  key: string,
): Promise<{ readonly release: number; readonly digest: string } | undefined> {
  const releases = (store.guarantees.history ? await store.releases?.(bucket) : undefined) ?? [];
  for (const { release } of releases.slice(1)) {
    const snapshot = await store.open(bucket, release);
    try {
      const was = await snapshot.find(key);
      if (was) return { release: release + 1, digest: was.digest };
    } finally {
      await snapshot.close();
    }
  }
  return undefined;
}
