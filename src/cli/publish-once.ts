/** One publish of a project, shown on the terminal. */
import type { Baseline } from '../core/check/baseline.js';
import { FenestraError } from '../core/errors/catalogue.js';
import { listFrontHeld, type FrontHeld } from '../core/release/front-held.js';
import { listStale } from '../core/release/stale.js';
import { listWaiting } from '../core/release/waiting.js';
import { quoteWord } from '../core/words/command-line.js';
import { bucketMissing } from '../core/release/bucket-name.js';
import type { Level } from '../core/findings/finding.js';
import type { Matching } from '../jobs/project/matching.js';
import type { Project } from '../jobs/project/open-project.js';
import { addressOf } from '../jobs/project/open-store.js';
import { writeResult } from '../jobs/project/write-result.js';
import { changesNothing } from '../jobs/publish/comparison.js';
import type { Prepared } from '../jobs/publish/prepared.js';
import { listNewNames } from '../jobs/publish/list-new-names.js';
import { carryOut, compareOthers, heal, preparePublish, type Published } from '../jobs/publish/publish.js';
import type { ReleaseRecord } from '../core/release/release.js';
import type { CheckOutcome } from '../core/check/outcome.js';
import { checkJson } from '../report/json/check-json.js';
import { publishJson, type PublishJson } from '../report/json/publish-json.js';
import { formatCheck } from '../report/text/check-text.js';
import { describeOutcome } from '../report/text/findings-text.js';
import { createPaint } from '../report/text/paint.js';
import {
  formatComparison,
  formatDamage,
  formatDryRun,
  formatReaders,
  formatForeign,
  formatOthers,
  formatPublished,
  formatFrontHeld,
  formatStale,
  formatSurveyFindings,
  formatTakenBack,
  formatUnchanged,
} from '../report/text/publish-text.js';
import { formatNameCounts } from '../report/text/format-names.js';
import { formatWaiting } from '../report/text/postponed-removals-text.js';
import { sayNotServed } from './say-not-served.js';
import type { Terminal } from './terminal.js';
import { assertRehearsed } from '../jobs/publish/assert-rehearsed.js';
import { assertAgreed, listChanges } from '../jobs/publish/agreed-list.js';
import { renderList } from '../report/kept-list.js';
import { formatBodyDiff } from '../report/text/diff-text.js';

/** The options of `fenestra publish` that say what to do with one project. */
export interface PublishOptions {
  readonly dryRun: boolean;
  readonly yes: boolean;
  readonly sure: string | undefined;
  readonly inFull: boolean;
  readonly diff: string | undefined;
  readonly matching: Matching | undefined;
  readonly note: string;
  readonly save: string | undefined;
  /** A file for the addresses that the front has to be told to forget. */
  readonly frontList?: string | undefined;
  readonly agreed: string | undefined;
  /** The destination at which it was rehearsed. */
  readonly like?: string | undefined;
  readonly overForeign?: boolean;
  readonly prove: { readonly failOn: Level; readonly baseline: Baseline | undefined } | undefined;
  /** Whether a bucket that is gone was removed by somebody, so that it is not made again. */
  readonly bucketIsThere?: boolean;
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
  const { diff, save, agreed } = options;
  const look = options.dryRun || diff !== undefined;
  if (options.like !== undefined) {
    const { bucket, release } = await assertRehearsed(project, options.like);
    terminal.print(`As rehearsed: release ${release} of ${bucket}.\n`);
  }
  const prepared = await preparePublish(
    project,
    {
      look,
      matching: options.matching,
      overForeign: options.overForeign,
      thorough: [diff, save, agreed].some((each) => each !== undefined),
    },
    terminal.progress,
  );
  try {
    if (diff === undefined) await publishPrepared(prepared, look, options, terminal);
    else await showDiff(diff, prepared, terminal);
    return !changesNothing(prepared.comparison);
  } finally {
    await prepared.close();
  }
}

async function publishPrepared(
  prepared: Prepared,
  look: boolean,
  options: PublishOptions,
  terminal: Terminal,
): Promise<void> {
  const { comparison, project, site, store } = prepared;
  const { destination } = project;
  const address = store ? await addressOf(project, store) : project.address;
  const { paint } = terminal;
  if (options.agreed !== undefined) {
    assertAgreed(options.agreed, destination, comparison);
  }
  const mixes = await readMixes(prepared);
  const front = readFrontHeld(prepared, address);
  const list = options.dryRun ? await keepList(prepared, options, terminal) : undefined;
  const report = (release: number | null): PublishJson =>
    publishJson(
      comparison,
      {
        store: destination.store,
        requests: store?.requests,
        bucket: destination.bucket,
        address,
        release,
        findings: site.findings,
        names: site.names,
        dryRun: options.dryRun,
        code: list?.code,
        mixes,
        front,
      },
      Date.now(),
    );
  if (changesNothing(comparison)) {
    const release = comparison.bucket?.release ?? 0;
    terminal.print(formatUnchanged(destination.bucket, release, comparison.totals.keep));
    const others = formatForeign(comparison.foreign ?? [], comparison.entries, paint);
    if (others !== '') terminal.print(`\n${others}`);
    if (!look) await heal(prepared, terminal.progress);
    const said = formatDamage(comparison.damage, look ? 'would be' : 'were', paint);
    if (said !== '') terminal.print(`\n${said}`);
    const proof = look ? undefined : await proveAsItLies(prepared, options, terminal);
    terminal.printJson({ ...report(release), ...(proof ? { proof: checkJson(proof) } : {}) });
    if (proof?.passed === false)
      throw new FenestraError('PUBLISHED_FAILS', {
        bucket: destination.bucket,
        release,
        what: describeOutcome(proof),
      });
    return;
  }
  const shown = [
    formatComparison(
      comparison,
      destination,
      store?.guarantees,
      extentOf(options),
      paint,
      listNewNames(site, comparison.entries),
    ),
    formatReaders(comparison.readers, paint, options.inFull),
    formatNameCounts(site.names),
    formatDamage(comparison.damage, 'are', paint),
    formatTakenBack(await readRestored(prepared), paint),
    formatWaiting(listWaiting(comparison), options.inFull, paint),
    formatStale(comparison.entries, comparison.bucket?.access, mixes, Date.now(), paint),
    formatFrontHeld(front ?? [], options.frontList, paint),
    formatOthers(await compareOthers(prepared), paint),
    formatSurveyFindings(site.findings, paint, options.inFull),
  ];
  terminal.print(shown.filter((part) => part !== '').join('\n\n'));
  if (look || !store) {
    terminal.print(`\n${formatDryRun(list?.agree, options.save, paint)}`);
    terminal.printJson(report(null));
    return;
  }
  if (options.bucketIsThere && !comparison.bucket)
    throw bucketMissing(destination.store, destination.bucket, []);
  const published = await carryOut(
    prepared,
    // What was agreed on needs no further yes; what asks for the bucket's name still does.
    { note: options.note, yes: options.yes || options.agreed !== undefined, prove: options.prove },
    terminal.progress,
    terminal.questions(options.sure),
  );
  const { state, release } = published;
  if (published.proof) terminal.print(`\n${paint.strong('Proof')} ${formatCheck(published.proof, paint)}`);
  if (release === null) throw refused(published, published.proof, terminal);
  const objects = state.objects ?? objectsAfter(prepared);
  terminal.print(`\n${formatPublished(release, state, { objects, bytes: state.bytes }, address, paint)}`);
  if (options.frontList !== undefined)
    writeResult('--front-list', options.frontList, (front ?? []).map((held) => `${held.address}\n`).join(''));
  if (state.access === 'open') await sayNotServed(project, terminal);
  terminal.printJson(report(release));
}

/** What lies there already is proved too, where that is asked for. */
async function proveAsItLies(
  { project, site }: Prepared,
  { prove }: PublishOptions,
  terminal: Terminal,
): Promise<CheckOutcome | undefined> {
  if (!prove) return undefined;
  const { provePublished } = await import('../jobs/serving.js');
  const proof = await provePublished(project, site, prove, terminal.progress);
  terminal.print(`\n${terminal.paint.strong('Proof')} ${formatCheck(proof, terminal.paint)}`);
  return proof;
}

/** Undefined where no front keeps a cache, or nobody could read anything. */
function readFrontHeld({ comparison, project }: Prepared, address: string): FrontHeld[] | undefined {
  const { front, settings } = project.destination;
  if (!front?.shared) return undefined;
  if (comparison.bucket?.access !== 'open') return [];
  return listFrontHeld(comparison.entries, address, settings.documents.index, Date.now());
}

/** What reads texts is loaded where an old copy may be held at all. */
async function readMixes(prepared: Prepared): Promise<ReadonlyMap<string, readonly string[]>> {
  const now = Date.now();
  if (changesNothing(prepared.comparison) || listStale(prepared.comparison.entries, now).length === 0)
    return new Map();
  const { listMixes } = await import('../jobs/serving.js');
  return listMixes(prepared, now);
}

/** What a dry run leaves behind for whoever is to agree. */
async function keepList(
  { comparison, project: { destination } }: Prepared,
  { save, matching }: PublishOptions,
  { paint }: Terminal,
): Promise<{ readonly code: string; readonly agree: string } | undefined> {
  if (changesNothing(comparison) && save === undefined) return undefined;
  const list = listChanges(destination, comparison);
  const part = matching === undefined ? '' : ` --matching ${quoteWord(matching.pattern)}`;
  const agree = paint.command(`publish --agreed ${list.code}${part}`);
  if (save !== undefined) {
    writeResult('--save', save, await renderList(save, list, agree));
  }
  return { code: list.code, agree };
}

/** Whether the bucket is where somebody went back to: publishing takes that back. */
async function readRestored({ comparison, store }: Prepared): Promise<ReleaseRecord | undefined> {
  if (!comparison.bucket || !store?.guarantees.history) return undefined;
  const [head] = (await store.releases?.(comparison.bucket.name)) ?? [];
  return head?.restores === undefined ? undefined : head;
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
    diff: formatBodyDiff(diff, createPaint(false, terminal.paint.width)),
  });
}

/** A proof that failed: its outcome is the result, and the error says that nothing was published. */
function refused({ state }: Published, proof: CheckOutcome | undefined, terminal: Terminal): FenestraError {
  if (!proof) throw new Error('a release was refused without a proof');
  terminal.printJson({ bucket: state.name, release: null, proof: checkJson(proof) });
  return new FenestraError('CHECK_FAILED', {
    bucket: state.name,
    release: state.release,
    what: describeOutcome(proof),
  });
}
