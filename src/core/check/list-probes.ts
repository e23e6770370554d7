/** The probes of a release: every expected answer comes from the resolver. */
import { createReadPolicy } from '../access/read-policy.js';
import { parseHttpDate } from '../caching/http-date.js';
import { resolve } from '../hosting/resolve.js';
import { headerOf, type Answer, type WebRequest } from '../hosting/answer.js';
import type { BucketView } from '../hosting/bucket-view.js';
import { keyToPath } from '../site/key.js';
import { plainKey, type StoredObject } from '../site/site-object.js';
import { listPrivateProbes, MAX_SPELLED, SPELLED_REQUESTS } from './private-probes.js';
import { isDatedNow, single, sliceOf, type Kind, type Observed, type Probe } from './probe.js';

const ask = (
  view: BucketView,
  about: Kind,
  target: string,
  method = 'GET',
  headers: WebRequest['headers'] = {},
): Probe => {
  const request = { method, target, headers };
  return { request, about, expected: resolve(request, view), view };
};

/** The same request as another release of the bucket must answer it. */
export function askAgain({ request, about, hides }: Probe, view: BucketView): Probe {
  const probe = { request, about, expected: resolve(request, view), view };
  if (hides) return { ...probe, hides };
  return withFollowUps(probe);
}

const withFollowUps = (probe: Probe): Probe =>
  probe.about === 'object' && probe.expected.status === 200 && probe.expected.body.kind === 'object'
    ? { ...probe, followUps: (first) => listFollowUps(probe.view, probe, first) }
    : probe;

/** A name that no site has. */
const NOBODY = 'no-such-page-7f3a';
const MAX_FOLDERS = 20;

/** Every folder that has an index document, as its key with the slash; the root is ''. */
export function listFolders(objects: Iterable<StoredObject>, index: string): string[] {
  const folders: string[] = [];
  for (const { key } of objects)
    if (key === index || key.endsWith(`/${index}`)) folders.push(key.slice(0, -index.length));
  return folders;
}

/**
 * Lists the probes of one release; `objects` may be a sample of it. Made one by one, so that a large site takes little
 * memory.
 * @param withheld what was not published, since nobody may read it
 */
export function* listProbes(
  view: BucketView,
  objects: Iterable<StoredObject>,
  withheld: readonly StoredObject[] = [],
): Generator<Probe> {
  const hidden: StoredObject[] = withheld.slice(0, MAX_SPELLED);
  for (const object of objects) {
    const probe = ask(view, 'object', keyToPath(object.key));
    const isPrivate = probe.expected.reason === 'unreadable';
    if (isPrivate && hidden.length < MAX_SPELLED) hidden.push(object);
    yield isPrivate ? { ...probe, about: 'private object', hides: object } : withFollowUps(probe);
  }
  yield* listPrivateProbes(view, hidden);
  for (const folder of listFolders(objects, view.settings.documents.index)) {
    yield ask(view, 'folder', folder === '' ? '/' : keyToPath(folder));
    if (folder !== '') yield ask(view, 'folder without slash', keyToPath(folder.slice(0, -1)));
  }
  const { permanently, temporarily } = view.settings.moved;
  for (const address of [...Object.keys(permanently), ...Object.keys(temporarily)])
    yield ask(view, 'moved address', encodeURI(address.replace('*', 'some/page')));
  for (const host of view.settings.movedHosts?.hosts ?? [])
    for (const target of ['/', '/some/page?day=2']) yield ask(view, 'moved host', target, 'GET', { host });
  yield* listAppProbes(view);
  yield* listSharingProbes(view, objects);
  yield* listMistakes(view, objects);
  yield ask(view, 'another method', '/', 'POST');
  // Asked of a key that does not exist, so that nothing is lost where anyone may write.
  yield ask(view, 'another method', `/${NOBODY}`, 'DELETE');
}

/** How often what was published last is asked for, of a store whose copies may differ. */
const TIMES = 10;
const MAX_REPEATED = 40;

/** Of a store that keeps several copies, one may be old for a while: what was published last is asked for again and again. */
export function* repeatProbes(view: BucketView, objects: readonly StoredObject[]): Generator<Probe> {
  const last = objects.reduce((latest, { since }) => Math.max(latest, since), 0);
  const recent = objects.filter(({ since }) => since === last).slice(0, MAX_REPEATED);
  for (let time = 1; time < TIMES; time++)
    for (const { key } of recent) {
      const probe = ask(view, 'object', keyToPath(key));
      if (probe.expected.status === 200) yield probe;
    }
}

/** How many probes a release has at the most, those that follow on answers too. */
export function countProbes({ settings }: BucketView, objects: readonly StoredObject[]): number {
  const { permanently, temporarily } = settings.moved;
  const moved = Object.keys(permanently).length + Object.keys(temporarily).length;
  const folders = listFolders(objects, settings.documents.index).length;
  const hosts = (settings.movedHosts?.hosts.length ?? 0) * 2;
  const policy = createReadPolicy(settings);
  let hidden = 0;
  for (const object of objects) if (hidden < MAX_SPELLED && !policy.isReadable(plainKey(object))) hidden++;
  return (
    hidden * SPELLED_REQUESTS +
    objects.length * 5 +
    folders * 2 +
    moved +
    appPathsOf({ settings }).length * 2 +
    hosts +
    (settings.sharing ? MAX_SHARED * 2 : 0) +
    topFolders(objects).size * 2 +
    5
  );
}

/** A name that nobody shares anything with (RFC 2606). */
const STRANGER = 'https://no-such-site.invalid';
const MAX_SHARED = 20;

/** As pages of other sites ask: of one that may read, and of one that may not. */
function* listSharingProbes(view: BucketView, objects: Iterable<StoredObject>): Generator<Probe> {
  const { sharing } = view.settings;
  if (!sharing) return;
  const origins = sharing.origins === 'everyone' ? [STRANGER] : [...sharing.origins.slice(0, 1), STRANGER];
  let left = MAX_SHARED;
  for (const { key } of objects) {
    const target = keyToPath(key);
    if (resolve({ method: 'GET', target, headers: {} }, view).status !== 200) continue;
    for (const origin of origins) yield ask(view, 'for another site', target, 'GET', { origin });
    if (--left === 0) return;
  }
}

/** Addresses of applications, and files below them that nobody published. */
function* listAppProbes(view: BucketView): Generator<Probe> {
  for (const path of appPathsOf(view)) {
    const address = path.replaceAll('**', `some/${NOBODY}`).replaceAll('*', NOBODY);
    if (/[?[\]{}\\]/.test(address)) continue;
    yield ask(view, 'address of the app', keyToPath(address.slice(1)));
    yield ask(view, 'wrong address', keyToPath(`${address.slice(1).replace(/\/$/, '')}/${NOBODY}.js`));
  }
}

const MAX_APP_PATHS = 200;
const appPathsOf = ({ settings: { apps = [] } }: Pick<BucketView, 'settings'>): string[] =>
  apps.flatMap(({ paths }) => paths).slice(0, MAX_APP_PATHS);

/** Wrong addresses at several depths, beside the site's own folders too. */
function* listMistakes(view: BucketView, objects: Iterable<StoredObject>): Generator<Probe> {
  yield ask(view, 'wrong address', `/${NOBODY}`);
  yield ask(view, 'wrong address', `/${NOBODY}/`);
  yield ask(view, 'wrong address', `/no-such/folder/at/depth/${NOBODY}.html`);
  for (const folder of topFolders(objects)) {
    yield ask(view, 'wrong address', keyToPath(`${folder}/${NOBODY}`));
    yield ask(view, 'wrong address', keyToPath(`${folder}/no-such/${NOBODY}/`));
  }
}

/** The first folders right below the root. */
function topFolders(objects: Iterable<StoredObject>): Set<string> {
  const folders = new Set<string>();
  for (const { key } of objects) {
    if (folders.size >= MAX_FOLDERS) break;
    if (key.includes('/')) folders.add(key.slice(0, key.indexOf('/')));
  }
  return folders;
}

/**
 * Requests that follow an object's own, with the conditions and the range that its answer allows. They are sent with
 * the endpoint's own validators; what they must get is what the resolver says to the same with the validators of ours.
 */
function* listFollowUps(view: BucketView, probe: Probe, first: Observed): Generator<Probe> {
  const { target } = probe.request;
  for (const { about, sent, same = sent } of followUpsOf(probe.expected, first)) {
    const method = about === 'HEAD' ? 'HEAD' : 'GET';
    yield {
      request: { method, target, headers: sent },
      about,
      expected: resolve({ method, target, headers: same }, view),
      view,
    };
  }
}

interface FollowUp {
  readonly about: Kind;
  readonly sent: Readonly<Record<string, string>>;
  /** What the resolver is asked with in its place. */
  readonly same?: Readonly<Record<string, string>>;
}

function followUpsOf({ body, headers: ours }: Answer, first: Observed): FollowUp[] {
  const list: FollowUp[] = [{ about: 'HEAD', sent: {} }];
  const etag = single(first.headers['etag']);
  if (etag !== undefined)
    list.push({
      about: 'unchanged by ETag',
      sent: { 'if-none-match': etag },
      same: { 'if-none-match': headerOf(ours, 'ETag') ?? etag },
    });
  const date = single(first.headers['last-modified']);
  // A date that was given because the object's own lies ahead of the endpoint's clock says nothing for sure.
  if (date !== undefined && !isAhead(headerOf(ours, 'Last-Modified'), first))
    list.push({
      about: 'unchanged by date',
      sent: { 'if-modified-since': date },
      same: { 'if-modified-since': headerOf(ours, 'Last-Modified') ?? date },
    });
  const slice = body.kind === 'object' ? sliceOf(body.object.size) : undefined;
  if (slice) list.push({ about: 'a range', sent: { range: `bytes=${slice.start}-${slice.end}` } });
  return list;
}

const isAhead = (ours: string | undefined, observed: Observed): boolean =>
  isDatedNow(observed) &&
  (parseHttpDate(ours ?? '') ?? 0) > (parseHttpDate(single(observed.headers['last-modified']) ?? '') ?? 0);
