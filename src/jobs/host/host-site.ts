/** The site folder as something to host: what the survey says would be published, open, following edits. */
import { join } from 'node:path';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { readPublished, streamPublished } from '../../disk/read-file.js';
import { Transform, type Readable } from 'node:stream';
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
  readonly objects: ReadonlyMap<string, { readonly survey: SurveyObject; readonly stored: StoredObject }>;
}

const QUIET_MS = 150;

/** Surveys the site and again whenever something in it or the config changes; a mistake keeps the last good edition. */
export async function hostUnpublished(project: Project, progress: Progress): Promise<HostedSite> {
  let edition = await readEdition(project, 1, progress);
  const reread = async (): Promise<void> => {
    try {
      const now = await openProject({ config: project.config.file, to: project.destination.name });
      await following.goOnWith(now.config);
      edition = await readEdition(now, edition.number + 1, progress, edition);
    } catch (error) {
      progress.remark(
        error instanceof FenestraError ? `${error.message}\nServing what was there before.` : String(error),
      );
    }
  };
  const following = await followEdits(project.config, QUIET_MS, reread, progress);
  return { hosted: hostEdition(() => edition), close: async () => following.close() };
}

async function readEdition(
  project: Project,
  number: number,
  progress: Progress,
  before?: Edition,
): Promise<Edition> {
  const { objects } = await surveyProject(project, progress);
  const now = Date.now();
  const entries = objects.map((survey): [string, { survey: SurveyObject; stored: StoredObject }] => {
    const old = before?.objects.get(survey.key)?.stored;
    const same =
      old?.digest === survey.digest && JSON.stringify(old.headers) === JSON.stringify(survey.headers);
    const { key, size, digest, headers } = survey;
    return [survey.key, { survey, stored: same && old ? old : { key, size, digest, headers, since: now } }];
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
  return { number, project, view, objects: known };
}

function hostEdition(now: () => Edition): Hosted {
  const sourceOf = (
    object: StoredObject,
  ): { path: string; encoding: SurveyObject['decision']['encoding'] } => {
    const { project, objects } = now();
    const survey = objects.get(object.key)?.survey;
    if (!survey) throw new FenestraError('FILE_CHANGING', { path: object.key });
    return { path: join(project.config.site, survey.path), encoding: survey.decision.encoding };
  };
  return {
    refresh: () => undefined,
    buckets() {
      const { project, objects, number } = now();
      const bytes = [...objects.values()].reduce((sum, { stored }) => sum + stored.size, 0);
      return [
        {
          name: project.destination.bucket,
          domains: project.destination.settings.domains,
          access: 'open',
          objects: objects.size,
          bytes,
          release: number,
        },
      ];
    },
    view: (bucket) => (bucket === now().view.name ? now().view : undefined),
    async read(object) {
      const { path, encoding } = sourceOf(object);
      const bytes = readPublished(path, encoding);
      if (bytes.length !== object.size) throw new FenestraError('FILE_CHANGING', { path });
      return bytes;
    },
    async stream(object, start, end) {
      const { path, encoding } = sourceOf(object);
      const whole = streamPublished(path, encoding);
      return start === 0 && end === object.size - 1 ? whole : slice(whole, start, end);
    },
  };
}

/** Bytes `start` to `end`, both included, of a stream. */
function slice(source: Readable, start: number, end: number): Readable {
  let at = 0;
  const cut = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      const from = Math.max(0, start - at);
      const to = Math.min(chunk.length, end + 1 - at);
      at += chunk.length;
      done(null, from < to ? chunk.subarray(from, to) : undefined);
      if (at > end) source.destroy();
    },
  });
  source.on('error', (error) => cut.destroy(error));
  source.on('close', () => cut.end());
  return source.pipe(cut, { end: false });
}
