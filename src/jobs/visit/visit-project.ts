/** Visits of a project's site: as it is published, or as the folder would be. */
import { createCascade } from '../../core/assign/cascade.js';
import { essence, isText } from '../../core/assign/media-type.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { lookUpIn } from '../../core/hosting/find-in.js';
import type { ChangeHistory } from '../../core/release/change-history.js';
import { listKeptPastChanges, withRule, type CachedObject } from '../../core/release/kept-too-long.js';
import { hasVersionQuery } from '../../core/site/names.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { packObjects } from '../../core/site/object-columns.js';
import { typicalTimeOut } from '../../core/visiting/time-out.js';
import type { SiteVisits, VisitOutcome } from '../../core/visiting/visit-outcome.js';
import type { Hosted } from '../../server/hosted.js';
import type { Snapshot, Store } from '../../stores/port.js';
import { viewSite } from '../host/view-site.js';
import { hostRelease } from '../host/host-release.js';
import { readSite } from '../host/read-site.js';
import type { Project } from '../project/open-project.js';
import { withStoreThere } from '../project/open-store.js';
import type { Progress } from '../progress.js';
import { surveyProject } from '../survey/survey-project.js';
import { sourceOf, withView } from '../trace/found-view.js';
import { readChangeHistory } from '../history/change-history.js';
import { visitRelease } from './visited-release.js';
import { adviseOn, browseToo, plainFinder, ruleFinder, weighBudgets, type VisitInput } from './conclude.js';
import { learnSeen } from './remember-seen.js';
import { recallSeen } from './seen-file.js';
import { placesOf, listPages, targetOf, urlsOf } from './site-addresses.js';
import { visitSite } from './visit-site.js';
import { visitInstead } from './what-if.js';

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
    const all = input.everyPage ? await viewAll(snapshot) : undefined;
    const paths = all
      ? (await listPages(all.objects, state.settings)).map(({ path }) => path)
      : input.paths.map((path) => targetOf(project, path));
    const site = visitRelease({
      // Of every page nearly every object is asked for.
      withView: all
        ? (work) => Promise.resolve(work(all.view))
        : (work) => withView(sourceOf(snapshot, open), work),
      read: (object, range) => snapshot.read(object, range),
      ...placesOf(project),
      at,
    });
    const urls = urlsOf(project, paths);
    const releases = store.guarantees.history ? ((await store.releases?.(bucket)) ?? []) : [];
    const time = {
      at,
      since: releases.find(({ release }) => release === state.release)?.at ?? at,
      timeOut: typicalTimeOut(releases.map((each) => each.at)),
    };
    const visits = await visitSite(site, urls, { ...input, seen: recallSeen(project) }, time, progress);
    const history = await readChangeHistory(store, bucket, at);
    return {
      ...visits,
      ...(await browseToo(
        input.browser === undefined ? undefined : { hosted: await hostSnapshot(snapshot), bucket },
        urls,
        visits,
        input,
        progress,
        (browsed, screen) => learnSeen(project, site, browsed, screen),
      )),
      bucket,
      paths,
      release: state.release,
      closed: state.access === 'closed',
      ruleOf: ruleFinder(project, visits),
      plainOf: plainFinder(visits),
      ...weighBudgets(project, visits),
      ...(await visitInstead(
        project,
        { site: visits, urls, published: { store, release: state.release } },
        input,
        progress,
      )),
      ...adviseOn(visits, history),
      ...(history && state.access === 'open' ? await listTooLong(project, snapshot, visits, history) : {}),
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
    ? (await listPages(objects, settings)).map(({ path }) => path)
    : input.paths.map((path) => targetOf(project, path));
  const site = visitRelease({
    withView: (work) => Promise.resolve(work(view)),
    read: readSite(project, survey.objects),
    ...placesOf(project),
    at,
  });
  const urls = urlsOf(project, paths);
  const time = { at, since: at, timeOut: typicalTimeOut([]) };
  const visits = await visitSite(site, urls, { ...input, seen: recallSeen(project) }, time, progress);
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
      (browsed, screen) => learnSeen(project, site, browsed, screen),
    )),
    bucket,
    paths,
    release: undefined,
    closed: false,
    ruleOf: ruleFinder(project, visits),
    plainOf: plainFinder(visits),
    ...weighBudgets(project, visits),
    ...(await visitInstead(project, { site: visits, urls, published: undefined }, input, progress)),
    ...adviseOn(visits, undefined),
  };
}

/** What the visits met that is kept for longer than it has lasted so far. */
async function listTooLong(
  { config }: Project,
  snapshot: Snapshot,
  { loads, plan: { at } }: SiteVisits,
  history: ChangeHistory,
): Promise<Pick<VisitOutcome, 'keptTooLong'>> {
  const met = new Map<string, CachedObject>();
  for (const { load, answers } of loads)
    for (const { url } of load.wanted) {
      const { key, plain, status, headers = {} } = answers.get(url) ?? {};
      // A version in the query is the author's own way of giving new bytes a new address.
      if (key !== undefined && status === 200 && !hasVersionQuery(url)) met.set(key, { key, plain, headers });
    }
  const tooLong = listKeptPastChanges(met.values(), history, at);
  if (tooLong.length === 0) return {};
  // The rule covers more than what was met.
  const objects: StoredObject[] = [];
  for await (const object of snapshot.objects()) objects.push(object);
  const { decide } = createCascade(config.assignments);
  const keptTooLong = withRule(
    tooLong,
    objects,
    ({ key, plain, headers }) =>
      decide(plain ?? key, isText(essence(headers['Content-Type'] ?? '')), plain === undefined).decidedBy
        .cache?.by,
  );
  return keptTooLong ? { keptTooLong } : {};
}

/** The release as it is once its bucket is open. */
async function viewAll(
  snapshot: Snapshot,
): Promise<{ readonly view: BucketView; readonly objects: readonly StoredObject[] }> {
  const objects: StoredObject[] = [];
  for await (const object of snapshot.objects()) objects.push(object);
  return { view: { ...snapshot.state, access: 'open', ...lookUpIn(objects) }, objects };
}

async function hostSnapshot(snapshot: Snapshot): Promise<Hosted> {
  const { view, objects } = await viewAll(snapshot);
  return hostRelease(view, packObjects(objects), (object, range) => snapshot.read(object, range));
}
