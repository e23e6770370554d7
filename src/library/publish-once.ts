/** One publish of a project, as data. */
import { FenestraError } from '../core/errors/catalogue.js';
import type { Project } from '../jobs/project/open-project.js';
import { readMatching } from '../jobs/project/matching.js';
import type { Progress } from '../jobs/progress.js';
import { listChanges, assertAgreed } from '../jobs/publish/agreed-list.js';
import { changesNothing } from '../jobs/publish/comparison.js';
import { assertRehearsed } from '../jobs/publish/assert-rehearsed.js';
import { listMixes } from '../jobs/publish/list-mixes.js';
import { carryOut, heal, preparePublish } from '../jobs/publish/publish.js';
import { publishJson, type PublishJson } from '../report/json/publish-json.js';
import { describeOutcome } from '../report/text/findings-text.js';
import type { PublishOptions } from './project.js';
import { answerWithoutAsking } from './questions.js';

/** @throws FenestraError CHECK_FAILED where it was to be proved and does not pass */
export async function publishOnce(
  project: Project,
  { dryRun = false, agreed, matching, note = '', sure, prove = false, like, overForeign }: PublishOptions,
  progress: Progress,
): Promise<PublishJson> {
  if (like !== undefined) await assertRehearsed(project, like);
  const prepared = await preparePublish(
    project,
    { look: dryRun, matching: readMatching(matching), overForeign, thorough: agreed !== undefined },
    progress,
  );
  try {
    const { comparison, site } = prepared;
    const failOn = typeof prove === 'object' ? (prove.failOn ?? 'error') : 'error';
    const { bucket } = project.destination;
    if (agreed !== undefined) assertAgreed(agreed, project.destination, comparison);
    const code =
      dryRun && !changesNothing(comparison) ? listChanges(project.destination, comparison).code : undefined;
    const mixes = changesNothing(comparison) ? undefined : await listMixes(prepared, Date.now());
    const report = (release: number | null): PublishJson =>
      publishJson(
        comparison,
        {
          store: project.destination.store,
          requests: prepared.store?.requests,
          bucket,
          address: project.address,
          release,
          findings: site.findings,
          names: site.names,
          dryRun,
          code,
          ...(mixes ? { mixes } : {}),
        },
        Date.now(),
      );
    if (changesNothing(comparison)) {
      const release = comparison.bucket?.release ?? 0;
      if (!dryRun) await heal(prepared, progress);
      if (!dryRun && prove !== false) {
        const { provePublished } = await import('../jobs/serving.js');
        const proof = await provePublished(project, site, { failOn, baseline: undefined }, progress);
        if (!proof.passed)
          throw new FenestraError('PUBLISHED_FAILS', { bucket, release, what: describeOutcome(proof) });
      }
      return report(release);
    }
    if (dryRun) return report(null);
    const { release, proof, state } = await carryOut(
      prepared,
      { note, yes: true, prove: prove === false ? undefined : { failOn, baseline: undefined } },
      progress,
      answerWithoutAsking(sure),
    );
    if (release === null && proof)
      throw new FenestraError('CHECK_FAILED', {
        bucket,
        release: state.release,
        what: describeOutcome(proof),
      });
    return report(release);
  } finally {
    await prepared.close();
  }
}
