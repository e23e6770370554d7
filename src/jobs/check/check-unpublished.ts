/** The check of the site folder as it would be published: without a store, for build servers. */
import type { CheckOutcome } from '../../core/check/outcome.js';
import { viewSite } from '../host/view-site.js';
import { readSite } from '../host/read-site.js';
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
