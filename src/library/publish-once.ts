/** One publish of a project, as data. */
import { readMatching, readOverForeign } from '../jobs/project/matching.js';
import type { Project } from '../jobs/project/open-project.js';
import type { Progress } from '../jobs/progress.js';
import { failedProof, finishPublish, previewPublish } from '../jobs/publish/preview.js';
import { previewJson, type PublishJson } from '../report/json/publish-json.js';
import { describeOutcome } from '../report/text/findings-text.js';
import type { PublishOptions } from './project.js';
import { answerWithoutAsking } from './questions.js';

/** @throws FenestraError CHECK_FAILED where it was to be proved and does not pass, PUBLISHED_FAILS where it lies there */
export async function publishOnce(
  project: Project,
  { dryRun = false, matching, overForeign, note = '', sure, prove = false, ...rest }: PublishOptions,
  progress: Progress,
): Promise<PublishJson> {
  const proving = {
    failOn: (typeof prove === 'object' ? prove.failOn : undefined) ?? 'error',
    baseline: undefined,
  };
  const preview = await previewPublish(
    project,
    {
      ...rest,
      ...{
        dryRun,
        note,
        yes: true,
        matching: readMatching(matching),
        overForeign: readOverForeign(overForeign),
      },
      prove: prove === false ? undefined : proving,
    },
    progress,
  );
  try {
    const outcome = await finishPublish(preview, progress, answerWithoutAsking(sure));
    if (outcome.proof?.passed === false) throw failedProof(preview, outcome, describeOutcome(outcome.proof));
    return previewJson(preview, outcome.release);
  } finally {
    await preview.prepared.close();
  }
}
