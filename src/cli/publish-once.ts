/** One publish of a project, shown on the terminal. */
import type { CheckOutcome } from '../core/check/outcome.js';
import { quoteWord } from '../core/words/command-line.js';
import type { Project } from '../jobs/project/open-project.js';
import { writeResult } from '../jobs/project/write-result.js';
import {
  failedProof,
  finishPublish,
  previewPublish,
  type PublishOutcome,
  type PublishPreview,
  type PublishRequest,
} from '../jobs/publish/preview.js';
import type { Prepared } from '../jobs/publish/prepared.js';
import { checkJson } from '../report/json/check-json.js';
import { previewJson } from '../report/json/publish-json.js';
import { renderList } from '../report/kept-list.js';
import { formatCheck } from '../report/text/check-text.js';
import { formatBodyDiff } from '../report/text/diff-text.js';
import { describeOutcome } from '../report/text/findings-text.js';
import { createPaint } from '../report/text/paint.js';
import { formatPreview, formatSame } from '../report/text/preview-text.js';
import { formatDamage, formatDryRun, formatPublished } from '../report/text/publish-text.js';
import { sayNotServed } from './say-not-served.js';
import type { Terminal } from './terminal.js';

/** A request of `fenestra publish`, with how it is shown and what is written of it. */
export interface PublishOptions extends PublishRequest {
  readonly sure: string | undefined;
  readonly inFull: boolean;
  /** The key of which alone it is shown what would change in it. */
  readonly diff: string | undefined;
  readonly save: string | undefined;
  /** A file for the addresses that the front has to be told to forget. */
  readonly frontList?: string | undefined;
}

/**
 * Surveys, compares, shows, asks, publishes.
 * @returns whether there was anything to change
 * @throws FenestraError whatever stops it; then nothing is published
 */
export async function publishOnce(
  project: Project,
  options: PublishOptions,
  terminal: Terminal,
): Promise<boolean> {
  const { diff, save } = options;
  const request = {
    ...options,
    dryRun: options.dryRun || diff !== undefined,
    thorough: diff !== undefined || save !== undefined,
  };
  const preview = await previewPublish(project, request, terminal.progress);
  const { prepared, rehearsed, changes } = preview;
  try {
    if (rehearsed) terminal.print(`As rehearsed: release ${rehearsed.release} of ${rehearsed.bucket}.\n`);
    if (diff !== undefined) await showDiff(diff, prepared, terminal);
    else if (changes) await publishChanges(preview, options, terminal);
    else await publishNothing(preview, options, terminal);
    return changes;
  } finally {
    await prepared.close();
  }
}

/** Nothing would change: what is damaged is mended, and what lies there is proved where that is asked for. */
async function publishNothing(
  preview: PublishPreview,
  { dryRun, save, matching }: PublishOptions,
  terminal: Terminal,
): Promise<void> {
  const { comparison } = preview.prepared;
  const { paint } = terminal;
  const { bucket } = preview.prepared.project.destination;
  terminal.print(formatSame(bucket, comparison, paint));
  await keepList(preview, { save, matching }, terminal);
  const outcome = await finishPublish(preview, terminal.progress, terminal.questions(undefined));
  const said = formatDamage(comparison.damage, dryRun ? 'would be' : 'were', paint);
  if (said !== '') terminal.print(`\n${said}`);
  const { proof, release } = outcome;
  if (proof) showProof(proof, terminal);
  terminal.printJson({ ...previewJson(preview, release), ...(proof ? { proof: checkJson(proof) } : {}) });
  if (proof?.passed === false) throw failedProof(preview, outcome, describeOutcome(proof));
}

async function publishChanges(
  preview: PublishPreview,
  options: PublishOptions,
  terminal: Terminal,
): Promise<void> {
  const { prepared, address, front = [] } = preview;
  const { store, project } = prepared;
  const { paint } = terminal;
  const agree = options.dryRun ? await keepList(preview, options, terminal) : undefined;
  const extent = extentOf(options);
  const { inFull, frontList } = options;
  const show = { extent, inFull, frontList, now: Date.now() };
  terminal.print(formatPreview(preview, show, paint));
  if (options.dryRun || !store) {
    terminal.print(`\n${formatDryRun(agree, options.save, paint)}`);
    terminal.printJson(previewJson(preview, null));
    return;
  }
  const questions = terminal.questions(options.sure, () => {
    terminal.print(`\n${formatPreview(preview, { ...show, extent: 'in-full', inFull: true }, paint)}\n`);
  });
  const outcome = await finishPublish(preview, terminal.progress, questions);
  const { state, release, proof } = outcome;
  if (proof) showProof(proof, terminal);
  if (release === null || !state) throw refused(preview, outcome, terminal);
  const objects = state.objects ?? objectsAfter(prepared);
  terminal.print(`\n${formatPublished(release, state, { objects, bytes: state.bytes }, address, paint)}`);
  if (options.frontList !== undefined)
    writeResult('--front-list', options.frontList, front.map((held) => `${held.address}\n`).join(''));
  if (state.access === 'open') await sayNotServed(project, terminal);
  terminal.printJson(previewJson(preview, release));
}

const showProof = (proof: CheckOutcome, terminal: Terminal): void =>
  terminal.print(`\n${terminal.paint.strong('Proof')} ${formatCheck(proof, terminal.paint)}`);

/** What a dry run leaves behind for whoever is to agree. @returns the command that agrees */
async function keepList(
  { list }: PublishPreview,
  { save, matching }: Pick<PublishOptions, 'save' | 'matching'>,
  { paint }: Terminal,
): Promise<string | undefined> {
  if (!list) return undefined;
  const part = matching === undefined ? '' : ` --matching ${quoteWord(matching.pattern)}`;
  const agree = paint.command(`publish --agreed ${list.code}${part}`);
  if (save !== undefined) writeResult('--save', save, await renderList(save, list, agree));
  return agree;
}

/** What was agreed on was seen. */
const extentOf = ({ inFull, agreed }: PublishOptions): 'few' | 'in-full' | 'totals' =>
  inFull ? 'in-full' : agreed === undefined ? 'few' : 'totals';

const objectsAfter = ({ comparison: { totals } }: Prepared): number =>
  totals.add + totals.replace + totals.relabel + totals.keep;

async function showDiff(key: string, prepared: Prepared, terminal: Terminal): Promise<void> {
  const { diffBody } = await import('../jobs/publish/diff-body.js');
  const diff = await diffBody(key, prepared);
  terminal.print(formatBodyDiff(diff, terminal.paint));
  const { bucket } = prepared.project.destination;
  terminal.printJson({
    bucket,
    key,
    diff: formatBodyDiff(diff, createPaint(0, terminal.paint.width)),
  });
}

/** A proof that failed: its outcome is the result, and the error says that nothing was published. */
function refused(preview: PublishPreview, outcome: PublishOutcome, terminal: Terminal): Error {
  const { proof, state } = outcome;
  if (!proof) throw new Error('a release was refused without a proof');
  terminal.printJson({ bucket: state?.name, release: null, proof: checkJson(proof) });
  return failedProof(preview, outcome, describeOutcome(proof));
}
