/** The reports of a check, by the endings of their names. */
import { extname } from 'node:path';
import type { CheckOutcome } from '../../core/check/outcome.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { VERSION } from '../command-table.js';
import { writeResult } from './baseline-file.js';
import type { Project } from './project.js';

type Render = (outcome: CheckOutcome, project: Project) => Promise<string>;

const KINDS: Readonly<Record<string, Render>> = {
  '.html': async (outcome, { address }) =>
    (await import('../../report/html/check-page.js')).renderCheckPage(outcome, address),
  '.xml': async (outcome) => (await import('../../report/junit/check-junit.js')).renderJunit(outcome),
  '.sarif': async (outcome, { config }) =>
    (await import('../../report/sarif/check-sarif.js')).renderSarif(outcome, config.siteAsWritten, VERSION),
  '.json': async (outcome) => `${JSON.stringify(checkJson(outcome), null, 2)}\n`,
};

/** @throws FenestraError REPORT_KIND, before anything is done */
export function needReportKinds(files: readonly string[]): void {
  for (const file of files)
    if (!KINDS[extname(file).toLowerCase()]) throw new FenestraError('REPORT_KIND', { file });
}

/** @throws FenestraError FILE_UNWRITABLE */
export async function writeReports(
  files: readonly string[],
  outcome: CheckOutcome,
  project: Project,
): Promise<void> {
  for (const file of files) {
    const text = await KINDS[extname(file).toLowerCase()]?.(outcome, project);
    if (text !== undefined) writeResult('--report', file, text);
  }
}

/** The one JSON document of a check. */
export const checkJson = (outcome: CheckOutcome): object => {
  const { at, selfTest, bucket, release, probes, failures, findings, passed, failOn } = outcome;
  return {
    at,
    selfTest,
    bucket,
    release,
    passed,
    failOn,
    probes,
    sample: { ...outcome.sample, of: outcome.objects },
    failures,
    findings,
    matrix: outcome.matrix,
    ...(outcome.beside ? { beside: outcome.beside } : {}),
    ...(outcome.baseline ? { baseline: outcome.baseline } : {}),
    inspection: outcome.inspection,
    seconds: outcome.seconds,
  };
};
