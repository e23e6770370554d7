/** Visits of a project's site: as it is published, as the folder would be, or as an endpoint really sends it. */
import { isPage } from '../../core/assign/defaults.js';
import { createReadPolicy } from '../../core/access/read-policy.js';
import { createCascade } from '../../core/assign/cascade.js';
import { essence, isText } from '../../core/assign/media-type.js';
import { fieldOf } from '../../core/caching/freshness.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { BucketSettings, BucketView } from '../../core/hosting/bucket-view.js';
import { publicUrl } from '../../core/words/public-url.js';
import { findIn } from '../../core/hosting/find-in.js';
import { keyToPath } from '../../core/site/key.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { packObjects } from '../../core/site/object-columns.js';
import type { SiteVisits, VisitOutcome } from '../../core/visiting/visit-outcome.js';
import { adviseCaching, type ChangeHistory } from '../../core/visiting/advice.js';
import { compareVisits } from '../../core/visiting/compare-visits.js';
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
import { withView } from '../trace/found-view.js';
import type { HostedRelease } from './browse.js';
import { readChangeHistory } from './change-history.js';
import type { EndpointSettings } from './visited-endpoint.js';
import { visitRelease } from './visited-release.js';
import { runVisits, visitSite, type VisitOptions } from './visit-site.js';

export interface VisitInput extends VisitOptions {
  /** Paths or whole addresses. */
  readonly paths: readonly string[];
  /** Every page of the site, instead of the paths. */
  readonly everyPage: boolean;
  readonly unpublished: boolean;
  /** The program of a browser that makes the same visits. */
  readonly browser: string | undefined;
}

/**
 * Visits of an endpoint, whoever runs it.
 * @param project whose config knows the rules; undefined where there is none
 * @throws FenestraError ENDPOINT_DEAD, URL_INVALID
 */
export async function visitLive(
  at: URL,
  project: Project | undefined,
  input: VisitInput & EndpointSettings,
  progress: Progress,
): Promise<VisitOutcome> {
  const { visitEndpoint } = await import('./visited-endpoint.js');
  const site = visitEndpoint(at, input);
  try {
    const paths = input.paths.map((path) => {
      const { target, url } = readTraceRequest(path);
      if (!url || url.host === at.host) return target;
      throw new FenestraError('URL_INVALID', {
        url: path,
        reason: `its host is not that of --at, ${at.host}`,
      });
    });
    const base = publicUrl(at).href;
    const urls = paths.map((path) => new URL(path, base).href);
    const visits = await visitSite(site, urls, input, Date.now(), progress);
    return {
      ...visits,
      bucket: undefined,
      endpoint: base,
      paths,
      release: undefined,
      closed: false,
      ...(await browseToo(undefined, urls, visits, input, progress)),
      ruleOf: project ? ruleFinder(project, visits) : () => undefined,
      ...adviseOn(visits, undefined),
    };
  } finally {
    await site.close();
  }
}

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
      withView: (work) => withView({ state: open, find: (key) => snapshot.find(key) }, work),
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
  const hosted = hostRelease(view, packObjects(objects), readSite(project, survey.objects));
  return {
    ...visits,
    ...(await browseToo({ hosted, bucket }, urls, visits, input, progress)),
    bucket,
    paths,
    release: undefined,
    closed: false,
    ruleOf: ruleFinder(project, visits),
    ...adviseOn(visits, undefined),
  };
}

/** What one page more costs is the same on the next thousand. */
const MOST_ADVISED = 200;

function adviseOn(
  { loads, visits, plan }: SiteVisits,
  history: ChangeHistory | undefined,
): Pick<VisitOutcome, 'advice' | 'advisedOn'> {
  const step = Math.ceil(loads.length / MOST_ADVISED);
  const sample = step <= 1 ? loads : loads.filter((_, at) => at % step === 0);
  const bare = { ...plan, reload: false, forced: false, inFull: false };
  const before = sample === loads ? visits : runVisits(sample, bare);
  const advice = adviseCaching(sample, before, history, (change) => runVisits(sample, bare, change));
  return { advice, advisedOn: sample.length };
}

/** The release as it is once its bucket is open. */
async function hostSnapshot(snapshot: Snapshot): Promise<Hosted> {
  const objects: StoredObject[] = [];
  for await (const object of snapshot.objects()) objects.push(object);
  const view: BucketView = { ...snapshot.state, access: 'open', find: findIn(objects) };
  return hostRelease(view, packObjects(objects), (object, range) => snapshot.read(object, range));
}

/** @param hosted the release to browse; undefined for the endpoint itself */
async function browseToo(
  hosted: HostedRelease | undefined,
  urls: readonly string[],
  { visits, plan }: SiteVisits,
  { browser: program, screen }: VisitInput,
  progress: Progress,
): Promise<Pick<VisitOutcome, 'browsed'>> {
  if (program === undefined) return {};
  const { browse, browseLive } = await import('./browse.js');
  const input = { urls, plan, screen, program };
  const browsed = hosted ? await browse(hosted, input, progress) : await browseLive(input, progress);
  return { browsed: { ...browsed, differences: compareVisits(visits, browsed.visits) } };
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
async function listPages(
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

function ruleFinder({ config }: Project, { loads }: SiteVisits): VisitOutcome['ruleOf'] {
  const { decide } = createCascade(config.assignments);
  const [first] = loads;
  return (url) => {
    const { key, headers = {} } = first?.answers.get(url) ?? {};
    if (key === undefined) return undefined;
    const { decidedBy, headers: decided } = decide(
      key,
      isText(essence(fieldOf(headers, 'Content-Type') ?? '')),
    );
    const isSent = ['Cache-Control', 'Expires'].every((name) => decided[name] === fieldOf(headers, name));
    return isSent ? decidedBy.cache?.by : undefined;
  };
}
