/** The same visits of another release, or with lines of `assign` that the config does not have. */
import { addRules, createRelabel } from '../../core/assign/add-rules.js';
import type { AssignRule } from '../../core/assign/cascade.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { compareWhatIf } from '../../core/visiting/what-if.js';
import type { SiteVisits, VisitOutcome } from '../../core/visiting/visit-outcome.js';
import type { VisitedSite } from '../../core/visiting/page-load.js';
import type { Store } from '../../stores/port.js';
import { viewSite } from '../host/view-site.js';
import { readSite } from '../host/read-site.js';
import type { Project } from '../project/open-project.js';
import { withStoreThere } from '../project/open-store.js';
import type { Progress } from '../progress.js';
import { surveyProject } from '../survey/survey-project.js';
import { sourceOf, withView } from '../trace/found-view.js';
import { recallSeen } from './seen-file.js';
import { placesOf } from './site-addresses.js';
import { visitRelease } from './visited-release.js';
import { loadPages, runVisits, type VisitOptions } from './visit-site.js';

export interface WhatIf {
  /** As they were given. */
  readonly lines: readonly string[];
  /** The same, with numbers that no rule of the config has. */
  readonly rules: readonly AssignRule[];
  /** Another release; undefined for what is visited anyhow. */
  readonly release: number | undefined;
}

/** What is visited otherwise: a release of a store, or the site folder. */
export interface Visited {
  readonly site: SiteVisits;
  readonly urls: readonly string[];
  /** Undefined for the folder. */
  readonly published: { readonly store: Store; readonly release: number } | undefined;
}

/** @throws FenestraError USAGE, RELEASE_MISSING */
export async function visitInstead(
  project: Project,
  visited: Visited,
  input: VisitOptions & { readonly whatIf: WhatIf | undefined },
  progress: Progress,
): Promise<Pick<VisitOutcome, 'other'>> {
  const { whatIf } = input;
  if (!whatIf) return {};
  const { site: was, urls, published } = visited;
  const seen = recallSeen(project);
  const visit = async (site: VisitedSite): Promise<Pick<VisitOutcome, 'other'>> => {
    const loads = await loadPages(site, urls, { ...input, seen }, progress);
    const instead = { loads, visits: runVisits(loads, was.plan) };
    const { release, lines } = whatIf;
    return { other: { site: instead, release, lines, differences: compareWhatIf(was, instead) } };
  };
  if (!published && whatIf.release === undefined)
    return visit(await folderWith(project, whatIf, was.at, progress));
  refuseEncoding(whatIf);
  const at = (store: Store, release: number): Promise<Pick<VisitOutcome, 'other'>> =>
    withRelease(project, store, release, whatIf, was.at, visit);
  if (published) return at(published.store, whatIf.release ?? published.release);
  return withStoreThere(project, (store) => at(store, whatIf.release ?? 0));
}

/** The folder as it would be published by a config that has the lines: also what is compressed is so. */
async function folderWith(
  project: Project,
  { rules }: WhatIf,
  at: number,
  progress: Progress,
): Promise<VisitedSite> {
  const { config, destination } = project;
  const other = { ...project, config: { ...config, assignments: addRules(config.assignments, rules) } };
  const survey = await surveyProject(other, progress);
  const { view } = viewSite(survey, destination.bucket, destination.settings, at);
  return visitRelease({
    withView: (work) => Promise.resolve(work(view)),
    read: readSite(other, survey.objects),
    ...placesOf(other),
    at,
  });
}

async function withRelease<T>(
  project: Project,
  store: Store,
  release: number,
  { rules }: WhatIf,
  at: number,
  work: (site: VisitedSite) => Promise<T>,
): Promise<T> {
  const { config, destination } = project;
  const snapshot = await store.open(destination.bucket, release);
  try {
    const relabel = createRelabel(config.assignments, rules, destination.under ?? '');
    const source = sourceOf(snapshot, { ...snapshot.state, access: 'open' });
    const find = async (key: string): Promise<StoredObject | undefined> => {
      const found = await source.find(key);
      return found && relabel(found);
    };
    const site = visitRelease({
      withView: (look) => withView({ ...source, find }, look),
      read: (object, range) => snapshot.read(object, range),
      ...placesOf(project),
      at,
    });
    return await work(site);
  } finally {
    await snapshot.close();
  }
}

/** @throws FenestraError USAGE */
function refuseEncoding({ rules }: WhatIf): void {
  if (rules.every(({ encoding }) => encoding === undefined)) return;
  throw new FenestraError('USAGE', {
    what: '--with names an encoding, and what is published has the bytes that it has.',
    fix: 'Add --unpublished: the folder is compressed as the line says.',
  });
}
