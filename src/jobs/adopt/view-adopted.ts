/** The bucket as it would be by a config that was found, and what of the site it lacks. */
import { keyOf, type LearnedSite, type SeenSite } from '../../core/adopting/learn-site.js';
import type { NotOnBuckets } from '../../core/adopting/list-not-on-buckets.js';
import type { SeenAnswer } from '../../core/adopting/seen.js';
import { createCascade } from '../../core/assign/cascade.js';
import { lookUpIn } from '../../core/hosting/find-in.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { viewSite } from '../host/view-site.js';
import type { Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';
import { surveyProject } from '../survey/survey-project.js';

interface Viewed {
  readonly view: BucketView;
  readonly keys: ReadonlySet<string>;
}

export async function viewFolder(project: Project, progress: Progress): Promise<Viewed> {
  const survey = await surveyProject(project, progress);
  const { bucket, settings } = project.destination;
  const { view, objects } = viewSite(survey, bucket, settings, Date.now());
  return { view, keys: new Set(objects.map(({ key }) => key)) };
}

/** The objects that the site shows, with what the config gives them. */
export function viewLearned({ config, destination }: Project, { objects }: LearnedSite): Viewed {
  const cascade = createCascade(config.assignments);
  const stored = objects.map(({ key, answer }): StoredObject => {
    const { headers } = cascade.decide(key, answer.isUtf8);
    return { key, headers, size: answer.size, digest: answer.digest, since: Date.now() };
  });
  const { bucket, settings } = destination;
  return {
    keys: new Set(objects.map(({ key }) => key)),
    view: { name: bucket, access: 'open', release: 0, settings, ...lookUpIn(stored) },
  };
}

/** Addresses that leave out the ending of their file. */
export function listWithoutEnding(answers: readonly SeenAnswer[], keys: ReadonlySet<string>): NotOnBuckets[] {
  const of = answers.flatMap(({ path, status }) => {
    const key = status === 200 && !path.endsWith('/') ? keyOf(path, '') : undefined;
    return key !== undefined && !keys.has(key) && keys.has(`${key}.html`) ? [path] : [];
  });
  const instead = 'publish visit.html as visit/index.html, and link to /visit/';
  return of.length === 0 ? [] : [{ what: 'addresses without the ending of their file', of, instead }];
}

export function listMissing(
  { answers, files }: SeenSite,
  keys: ReadonlySet<string>,
  { index }: LearnedSite,
): { readonly notThere: readonly string[]; readonly notHere: readonly string[] } {
  if (!files) return { notThere: [], notHere: [] };
  const shown = new Set<string>();
  const gone = new Set<string>();
  for (const { path, status } of answers) {
    const key = keyOf(path, index);
    if (key === undefined) continue;
    if (status === 200) shown.add(key);
    else if (status === 404 || status === 410) gone.add(key);
  }
  return {
    notThere: [...gone].filter((key) => keys.has(key) && !shown.has(key)).sort(),
    notHere: [...shown].filter((key) => !files.has(key)).sort(),
  };
}
