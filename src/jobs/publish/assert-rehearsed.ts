/** Publishing what was rehearsed: the folder and the config are to be as another destination has them. */
import { FenestraError } from '../../core/errors/catalogue.js';
import { bucketMissing } from '../../core/release/bucket-name.js';
import { countOf } from '../../core/words/counts.js';
import { openProject, type Project } from '../project/open-project.js';
import { withStoreThere } from '../project/open-store.js';
import { SILENT } from '../progress.js';
import { surveyProject } from '../survey/survey-project.js';
import { compareWithBucket } from './compare-with-bucket.js';
import { changesNothing, type Comparison } from './comparison.js';

const NAMED = 5;

export interface Rehearsed {
  readonly bucket: string;
  readonly release: number;
}

/**
 * @param like the name of the destination at which it was rehearsed
 * @throws FenestraError NOT_REHEARSED where anything is other than there; DESTINATION_UNKNOWN, BUCKET_MISSING
 */
export async function assertRehearsed(project: Project, like: string): Promise<Rehearsed> {
  const rehearsal = await openProject({ config: project.config.file, to: like });
  const { bucket, store: name } = rehearsal.destination;
  const site = await surveyProject(rehearsal, SILENT);
  return withStoreThere(rehearsal, async (store) => {
    const comparison = await compareWithBucket(site, rehearsal.destination.settings, store, bucket, {
      under: rehearsal.destination.under,
    });
    if (!comparison.bucket) throw bucketMissing(name, bucket, []);
    const { release } = comparison.bucket;
    if (release === 0) throw new FenestraError('NOTHING_PUBLISHED', { bucket });
    if (!changesNothing(comparison))
      throw new FenestraError('NOT_REHEARSED', { like, bucket, release, what: describeDrift(comparison) });
    const own = await surveyProject(project, SILENT);
    if (own.identity !== site.identity)
      throw new FenestraError('NOT_REHEARSED', {
        like,
        bucket,
        release,
        what: `the settings of ${project.destination.name} give objects other names or headers`,
      });
    return { bucket, release };
  });
}

function describeDrift({ entries, settings }: Comparison): string {
  const all = [
    ...entries.map(({ plainKey, key, change }) => `${plainKey ?? key} (${change})`),
    ...settings.map((each) => `${each.name} (setting)`),
  ];
  const more = all.length > NAMED ? ` and ${all.length - NAMED} more` : '';
  return `${countOf(all.length, 'change')} since: ${all.slice(0, NAMED).join(', ')}${more}`;
}
