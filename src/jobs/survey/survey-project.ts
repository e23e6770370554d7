/** The survey of a project's site, with its inspection. */
import { join } from 'node:path';
import { parsePattern } from '../../core/assign/pattern.js';
import { surveySite, type SurveyedSite } from '../../disk/survey-site.js';
import { BUILD } from '../project/build.js';
import type { Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';

/** Where the survey remembers the site of a config in this folder. */
export const surveyMemory = (folder: string): string => join(folder, '.fenestra', 'survey');

/** @throws FenestraError SITE_…, FILE_… */
export async function surveyProject(
  { config, destination }: Project,
  progress: Progress,
): Promise<SurveyedSite> {
  progress.step('survey');
  let counted = false;
  const { assignments, allow } = config;
  const buckets = config.destinations.map(({ bucket }) => bucket);
  const { settings } = destination;
  return surveySite(
    {
      site: config.site,
      links: config.links,
      assignments,
      readable: settings.readable,
      memory: surveyMemory(config.folder),
      inspectBasis: [settings, allow, buckets],
      build: BUILD ?? 'unbundled',
      inspect: async ({ objects, cascade, walked }) => {
        const { inspectSurvey } = await import('../../core/check/survey-rules.js');
        const allowed = allow.map(parsePattern);
        return inspectSurvey({
          objects,
          keys: new Set(objects.map(({ key }) => key)),
          cascade,
          assignments,
          settings,
          buckets,
          allowed: (key) => allowed.some((matches) => matches(key)),
          links: walked.links,
          now: Date.now(),
        });
      },
    },
    (done, all) => {
      // How many files have to be read is known once the folder was walked.
      if (!counted) progress.step('survey', { objects: all });
      counted = true;
      progress.advance(0, done);
    },
  );
}
