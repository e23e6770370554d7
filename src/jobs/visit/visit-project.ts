/** Visits of a project's site: as it is published, or as the folder would be. */
import { isPage } from '../../core/assign/defaults.js';
import { createReadPolicy } from '../../core/access/read-policy.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { BucketSettings, BucketView } from '../../core/hosting/bucket-view.js';
import { lookUpIn } from '../../core/hosting/find-in.js';
import { keyToPath } from '../../core/site/key.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { packObjects } from '../../core/site/object-columns.js';
import type { VisitOutcome } from '../../core/visiting/visit-outcome.js';
import type { Hosted } from '../../server/hosted.js';
import type { Snapshot, Store } from '../../stores/port.js';
import { viewSite } from '../host/view-site.js';
import { hostRelease } from '../host/host-release.js';
import { readSite } from '../check/check-unpublished.js';
import type { Project } from '../project/open-project.js';
import { withStoreThere } from '../project/open-store.js';
import type { Progress } from '../progress.js';
import { surveyProject } from '../survey/survey-project.js';
import { readTraceRequest } from '../trace/read-request.js';
import { sourceOf, withView } from '../trace/found-view.js';
import { readChangeHistory } from './change-history.js';
import { visitRelease } from './visited-release.js';
import { adviseOn, browseToo, plainFinder, ruleFinder, type VisitInput } from './conclude.js';
import { visitSite } from './visit-site.js';

/** @throws FenestraError BUCKET_MISSING, NOTHING_PUBLISHED, URL_INVALID, SITE_… */
export async function visitProject(
  project: Project,
  input: VisitInput,
  progress: Progress,
): Promise<VisitOutcome> {
  return input.unpublished
    ? visitUnpublished(project, input, progress)
    : withStoreThere(project, (store) => visitPublished(project, store, input, progress));
}

async function visitPublished(
  project: Project,
  store: Store,
  input: VisitInput,
  progress: Progress,
): Promise<VisitOutcome> {
  const { bucket } = project.destination;
  const snapshot = await store.open(bucket);
  try {
    const { state } = snapshot;
    if (state.release === 0) throw new FenestraError('NOTHING_PUBLISHED', { bucket });
    const open = { ...state, access: 'open' } as const;
    const at = Date.now();
    const paths = input.everyPage
      ? await listPages(snapshot.objects(), state.settings)
      : input.paths.map((path) => targetOf(project, path));
    const site = visitRelease({
      withView: (work) => withView(sourceOf(snapshot, open), work),
      read: (object, range) => snapshot.read(object, range),
      hosts: hostsOf(project),
      at,
    });
    const urls = urlsOf(project, paths);
    const visits = await visitSite(site, urls, input, at, progress);
    return {
      ...visits,
      ...(await browseToo(
        input.browser === undefined ? undefined : { hosted: await hostSnapshot(snapshot), bucket },
        urls,
        visits,
        input,
        progress,
      )),
      bucket,
      paths,
      release: state.release,
      closed: state.access === 'closed',
      ruleOf: ruleFinder(project, visits),
      plainOf: plainFinder(visits),
      ...adviseOn(visits, await readChangeHistory(store, bucket, at)),
    };
  } finally {
    await snapshot.close();
  }
}

async function visitUnpublished(
  project: Project,
  input: VisitInput,
  progress: Progress,
): Promise<VisitOutcome> {
  const survey = await surveyProject(project, progress);
  const at = Date.now();
  const { bucket, settings } = project.destination;
  const { view, objects } = viewSite(survey, bucket, settings, at);
  const paths = input.everyPage
    ? await listPages(objects, settings)
    : input.paths.map((path) => targetOf(project, path));
  const site = visitRelease({
    withView: (work) => Promise.resolve(work(view)),
    read: readSite(project, survey.objects),
    hosts: hostsOf(project),
    at,
  });
  const urls = urlsOf(project, paths);
  const visits = await visitSite(site, urls, input, at, progress);
  const read = readSite(project, survey.objects);
  return {
    ...visits,
    ...(await browseToo(
      input.browser === undefined
        ? undefined
        : { hosted: hostRelease(view, packObjects(objects), read), bucket },
      urls,
      visits,
      input,
      progress,
    )),
    bucket,
    paths,
    release: undefined,
    closed: false,
    ruleOf: ruleFinder(project, visits),
    plainOf: plainFinder(visits),
    ...adviseOn(visits, undefined),
  };
}

/** The release as it is once its bucket is open. */
async function hostSnapshot(snapshot: Snapshot): Promise<Hosted> {
  const objects: StoredObject[] = [];
  for await (const object of snapshot.objects()) objects.push(object);
  const view: BucketView = { ...snapshot.state, access: 'open', ...lookUpIn(objects) };
  return hostRelease(view, packObjects(objects), (object, range) => snapshot.read(object, range));
}

const hostsOf = ({ address, destination }: Project): string[] => [
  new URL(address).host,
  ...destination.settings.domains,
];

const urlsOf = ({ address }: Project, paths: readonly string[]): string[] =>
  paths.map((path) => new URL(path, address).href);

/** @throws FenestraError URL_INVALID */
function targetOf(project: Project, path: string): string {
  const { target, url } = readTraceRequest(path);
  if (url && !hostsOf(project).includes(url.host))
    throw new FenestraError('URL_INVALID', {
      url: path,
      reason: `its host is not this site's, which is ${hostsOf(project).join(', ')}`,
    });
  return target;
}

/** The addresses of all pages that the public may read, in the order of their keys. */
export async function listPages(
  objects: AsyncIterable<StoredObject> | Iterable<StoredObject>,
  { documents, readable }: BucketSettings,
): Promise<string[]> {
  const policy = createReadPolicy(readable);
  const paths: string[] = [];
  for await (const { key, headers } of objects) {
    if (!isPage(headers['Content-Type'] ?? '') || !policy.isReadable(key) || key === documents.error)
      continue;
    const isIndex = key === documents.index || key.endsWith(`/${documents.index}`);
    paths.push(keyToPath(isIndex ? key.slice(0, -documents.index.length) : key));
  }
  return paths;
}
