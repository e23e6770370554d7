/** The check of the site folder as it would be published: without a store, for build servers. */
import { join } from 'node:path';
import type { CheckOutcome } from '../../core/check/outcome.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { SurveyObject } from '../../core/site/survey.js';
import type { ReadObject } from '../host/host-release.js';
import { viewSite } from '../host/view-site.js';
import { createSiteReader } from '../host/site-reader.js';
import type { Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';
import { surveyProject } from '../survey/survey-project.js';
import type { CheckOptions } from './check-release.js';
import { startThread } from './probe-release.js';
import { checkRelease } from './check-release.js';

/** @throws FenestraError SITE_…, FILE_CHANGING */
export async function checkUnpublished(
  project: Project,
  options: CheckOptions,
  progress: Progress,
): Promise<CheckOutcome> {
  const survey = await surveyProject(project, progress);
  const { bucket, settings } = project.destination;
  const { view, objects } = viewSite(survey, bucket, settings, Date.now());
  const thread = startThread(objects.length, options);
  const outcome = await checkRelease(
    {
      project,
      survey,
      view,
      objects,
      read: readSite(project, survey.objects),
      unpublished: 0,
      asSurveyed: true,
      staged: true,
      thread,
    },
    options,
    progress,
  ).finally(() => thread?.end());
  return { ...outcome, unpublished: true };
}

export function readSite({ config }: Project, objects: readonly SurveyObject[]): ReadObject {
  const known = new Map(objects.map((object) => [object.key, object]));
  const { pieces } = createSiteReader(({ key }) => {
    const object = known.get(key);
    if (!object) throw new FenestraError('FILE_CHANGING', { path: key });
    return {
      path: join(config.site, object.path),
      encoding: object.decision.encoding,
      rewrite: object.rewrite,
    };
  });
  return async function* (object, part) {
    if (object.size > 0) yield* pieces(object, part ?? { start: 0, end: object.size - 1 });
  };
}
