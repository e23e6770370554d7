/** The site folder as something to host: what the survey says would be published, open, following edits. */
import { join, sep } from 'node:path';
import { hostsOf, type BucketView } from '../../core/hosting/bucket-view.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { siteObject, type StoredObject } from '../../core/site/site-object.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { sinceAfter } from '../../core/release/since.js';
import { createSiteReader } from './site-reader.js';
import type { Hosted } from '../../server/hosted.js';
import { followEdits } from '../project/follow-edits.js';
import { openProject, type Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';
import { surveyProject } from '../survey/survey-project.js';

export interface HostedSite {
  readonly hosted: Hosted;
  close(): Promise<void>;
}

interface Edition {
  readonly number: number;
  readonly project: Project;
  readonly view: BucketView;
  /** The latest `since` of its objects or of those before. */
  readonly latest: number;
  readonly objects: ReadonlyMap<string, { readonly survey: SurveyObject; readonly stored: StoredObject }>;
}

const QUIET_MS = 150;

/**
 * Surveys the site and again whenever something in it or the config changes. While the config has a mistake, the last
 * good one stays in force; while the site has one, the last good edition.
 */
export async function hostUnpublished(project: Project, progress: Progress): Promise<HostedSite> {
  let edition = await readEdition(project, 1, progress);
  let trouble: string | undefined;
  const reread = async (): Promise<void> => {
    const complain = (error: unknown): void => {
      const said = error instanceof Error ? error.message : String(error);
      progress.remark(`${said}\nServing what was there before.`);
      // Where it lies on this machine is nobody else's matter.
      trouble = said.replaceAll(project.config.folder + sep, '');
    };
    let now = edition.project;
    trouble = undefined;
    try {
      now = await openProject({ config: project.config.file, to: project.destination.name });
      await following.goOnWith(now.config);
    } catch (error) {
      complain(error);
    }
    try {
      edition = await readEdition(now, edition.number + 1, progress, edition);
    } catch (error) {
      complain(error);
    }
  };
  const following = await followEdits(project.config, QUIET_MS, reread, progress);
  const hosted = hostEdition(
    () => edition,
    () => trouble,
    async () => following.lookNow(),
  );
  return { hosted, close: async () => following.close() };
}

async function readEdition(
  project: Project,
  number: number,
  progress: Progress,
  before?: Edition,
): Promise<Edition> {
  const { objects } = await surveyProject(project, progress);
  const since = sinceAfter(Date.now(), before?.latest ?? 0);
  let latest = before?.latest ?? 0;
  const entries = objects.map((survey): [string, { survey: SurveyObject; stored: StoredObject }] => {
    const old = before?.objects.get(survey.key)?.stored;
    const same =
      old?.digest === survey.digest && JSON.stringify(old.headers) === JSON.stringify(survey.headers);
    if (same && old) return [survey.key, { survey, stored: old }];
    latest = since;
    return [survey.key, { survey, stored: { ...siteObject(survey), since } }];
  });
  const known = new Map(entries);
  const { bucket: name, settings } = project.destination;
  const view: BucketView = {
    name,
    access: 'open',
    release: number,
    settings,
    find: (key) => known.get(key)?.stored,
  };
  return { number, project, view, latest, objects: known };
}

function hostEdition(
  now: () => Edition,
  trouble: () => string | undefined,
  catchUp: () => Promise<void>,
): Hosted {
  const reader = createSiteReader((object) => {
    const { project, objects } = now();
    const survey = objects.get(object.key)?.survey;
    if (!survey) throw new FenestraError('FILE_CHANGING', { path: object.key });
    return {
      path: join(project.config.site, survey.path),
      encoding: survey.decision.encoding,
      rewrite: survey.rewrite,
    };
  });
  return {
    refresh: () => undefined,
    trouble,
    catchUp,
    buckets() {
      const { project, objects, number } = now();
      const bytes = [...objects.values()].reduce((sum, { stored }) => sum + stored.size, 0);
      return [
        {
          name: project.destination.bucket,
          domains: hostsOf(project.destination.settings),
          access: 'open',
          objects: objects.size,
          bytes,
          release: number,
        },
      ];
    },
    view: (bucket) => (bucket === now().view.name ? now().view : undefined),
    read: async (object) => reader.read(object),
    pieces: (object, part) => reader.pieces(object, part),
  };
}
