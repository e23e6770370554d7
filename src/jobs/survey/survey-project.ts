/** The survey of a project's site, with its inspection. */
import { parsePattern } from '../../core/assign/pattern.js';
import { createVersionable } from '../../core/versioning/versionable.js';
import { versionedUnder } from '../../core/site/site-in-subfolder.js';
import { surveySite, type SurveyedSite } from '../../disk/survey-site.js';
import { BUILD } from '../project/build.js';
import type { Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';
import { ownFiles } from './own-files.js';
import { withAppCopies } from './app-copies.js';
import { listFolderKeys, withFolderCopies } from './folder-copies.js';
import { surveyMemory } from './survey-memory.js';
import { versionSite } from '../versioning/version-site.js';
import { siteUnder } from './under-site.js';
import { inspectSurvey } from '../../core/check/survey-rules.js';

/** The site under the names that it is published with. @throws FenestraError SITE_…, FILE_… */
export async function surveyProject(project: Project, progress: Progress): Promise<SurveyedSite> {
  const survey = await surveyPlain(project, progress);
  const { versioned } = project.config.assignments;
  if (!versioned) return survey;
  const { under } = project.destination;
  return versionSite(
    project,
    survey,
    under === undefined ? versioned : versionedUnder(versioned, under),
    progress,
  );
}

/** The site under the names that its files have, in its folder of the bucket. @throws FenestraError SITE_…, FILE_… */
export async function surveyPlain(project: Project, progress: Progress): Promise<SurveyedSite> {
  const { under, siteSettings, instead } = project.destination;
  const own = withAppCopies(await surveyFolder(project, progress), siteSettings);
  const site = under === undefined ? own : siteUnder(own, under);
  return instead.folders === 'leave' ? site : withFolderCopies(site, siteSettings.documents.index);
}

async function surveyFolder(project: Project, progress: Progress): Promise<SurveyedSite> {
  const { config, destination } = project;
  progress.step('survey');
  let counted = false;
  const { assignments, allow } = config;
  const buckets = config.destinations.map(({ bucket }) => bucket);
  const { siteSettings: settings } = destination;
  const { folders } = destination.instead;
  return surveySite(
    {
      site: config.site,
      links: config.links,
      own: ownFiles(config),
      assignments,
      readable: settings.readable,
      memory: surveyMemory(config.folder),
      inspectBasis: [settings, allow, buckets, folders],
      build: BUILD ?? 'unbundled',
      inspect: async ({ objects, cascade, walked }) => {
        const allowed = allow.map(parsePattern);
        return inspectSurvey({
          objects,
          keys: new Set([
            ...objects.map(({ key }) => key),
            ...(folders === 'leave' ? [] : listFolderKeys(objects, settings.documents.index)),
          ]),
          cascade,
          assignments,
          versionable: assignments.versioned && createVersionable(assignments.versioned),
          settings,
          buckets,
          allowed: (key) => allowed.some((matches) => matches(key)),
          links: walked.links,
          own: walked.own,
          idle: walked.idle,
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
