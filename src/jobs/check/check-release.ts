/** A whole check of one release: inspection, probes, portability, what is known already, and the verdict. */
import {
  bucketClosed,
  bucketOpen,
  changesOfOthers,
  unpublishedEdits,
} from '../../core/check/check-findings.js';
import { createReadPolicy } from '../../core/access/read-policy.js';
import type { ForeignChange } from '../../core/release/foreign.js';
import type { SettingDrift } from '../../core/release/setting-drift.js';
import type { Failure } from '../../core/check/compare-answer.js';
import { fileName, keyToPath } from '../../core/site/key.js';
import { pathOf } from '../../core/words/path-of.js';
import { closedStatus } from '../../core/hosting/quirks.js';
import { comparePortability } from '../../core/check/portability.js';
import { partByBaseline, type Baseline } from '../../core/check/baseline.js';
import { passes, shareByCaching, shareByType, type CheckOutcome } from '../../core/check/outcome.js';
import { byLevel } from '../../core/check/survey-rules.js';
import { packObjects } from '../../core/site/object-columns.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { plainCommand, type CommandLine } from '../../core/words/command-line.js';
import { countOf } from '../../core/words/counts.js';
import type { Finding, Level } from '../../core/findings/finding.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { closedView, hostRelease, openView, readWhole, type ReadObject } from '../host/host-release.js';
import { placeOfSite } from '../project/site-place.js';
import type { Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';
import type { Release } from './inspect-release.js';
import { probeEndpoint, probeOurselves, sampleOf, type ProbeSettings } from './probe-release.js';
import type { ProbeThread } from '../../endpoint/probe-thread.js';
import { siteObject, type StoredObject } from '../../core/site/site-object.js';
import { FenestraError } from '../../core/errors/catalogue.js';

export interface CheckOptions extends ProbeSettings {
  /** The endpoint to ask; undefined for our own emulation alone. */
  readonly at?: URL | undefined;
  /** Asks our own emulation too, beside the endpoint. */
  readonly both?: boolean;
  readonly expect: 'open' | 'closed';
  readonly everywhere?: boolean;
  readonly failOn: Level;
  readonly baseline?: Baseline | undefined;
  /** Makes the commands in findings. */
  readonly command?: CommandLine | undefined;
}

export interface CheckInput {
  readonly project: Project;
  readonly survey: SurveyedSite;
  /** The release as it is now. */
  readonly view: BucketView;
  readonly objects: Release['objects'];
  /** All objects of a bucket of which the site has a part; `objects` where it has all. */
  readonly hosted?: Release['objects'];
  /** Reads the bytes of its objects. */
  readonly read: ReadObject;
  /** Asks our own emulation for all that is hosted, where that was begun in good time. */
  readonly thread?: ProbeThread | undefined;
  /** Whether its store keeps several copies, which may differ for a while. */
  readonly hasCopies?: boolean;
  /** Objects in which the site folder differs. */
  readonly unpublished: number;
  /** What somebody else has changed of the bucket, past Fenestra. */
  readonly byOthers?: {
    readonly foreign: readonly ForeignChange[];
    readonly drift: readonly SettingDrift[];
  };
  /** Whether the release is the site folder as it was surveyed. */
  readonly asSurveyed: boolean;
  readonly withheld?: Release['withheld'];
  /** What else lies in the store, where that is known. */
  readonly others?: Release['others'];
  /** Whether it is not published yet, so that its bucket's access says nothing of input. */
  readonly staged?: boolean;
  /** The bucket as it is now; the same view as long as nothing was published. */
  readonly newest?: () => Promise<BucketView>;
}

/** @throws FenestraError ENDPOINT_DEAD, BODY_DAMAGED */
export async function checkRelease(
  input: CheckInput,
  options: CheckOptions,
  progress: Progress,
): Promise<CheckOutcome> {
  const began = performance.now();
  const { command = plainCommand } = options;
  const { view, objects, project } = input;
  const open = openView(view);
  const hosts = options.at ? [options.at.host] : [];
  // Parsers of pages and styles are heavy, and only a check needs them.
  const { inspect } = await import('../texts.js');
  const inspection = await inspect(
    {
      view: open,
      objects,
      read: (object) => readOwn(input, object),
      asSurveyed: input.asSurveyed,
      place: options.at?.pathname ?? placeOfSite(project),
      withheld: input.withheld,
      others: input.others,
    },
    project,
    input.survey,
    hosts,
    options.everywhere ?? false,
    progress,
  );
  const inspected = (performance.now() - began) / 1000;
  const expected: BucketView = options.expect === 'open' ? open : closedView(view);
  const sample = sampleOf(open, objects, options.all);
  const packed = packObjects(input.hosted ?? objects);
  const ourselves =
    options.at && !options.both
      ? undefined
      : await probeOurselves(
          hostRelease(options.expect === 'open' ? open : view, packed, input.read),
          expected,
          sample,
          packed,
          options,
          progress,
          input.thread,
        );
  const asExpected = (now: BucketView): BucketView =>
    options.expect === 'open' ? openView(now) : closedView(now);
  const newest = input.newest && (async () => asExpected((await input.newest?.()) ?? view));
  const endpoint =
    options.at &&
    (await probeEndpoint(
      options.at,
      expected,
      sample,
      {
        ...options,
        newest,
        copied: input.hasCopies ? objects : undefined,
        withheld: input.withheld?.map((object) => ({ ...siteObject(object), since: 0 })),
      },
      progress,
    ));
  const meanwhile = endpoint && newest ? (await newest()).release : view.release;
  const main = endpoint ?? ourselves;
  if (!main) throw new Error('nothing was probed');
  const front =
    project.destination.front || options.at?.protocol === 'https:'
      ? await (await import('./check-front.js')).listFrontFindings(project, options.at, options.ca)
      : [];
  const { hosted: all = objects, read } = input;
  const overBudget =
    project.config.budgets.length > 0
      ? await (
          await import('../visiting.js')
        ).listBudgetFindings({ view: open, objects: all, read }, project, command, progress)
      : [];
  const found: Finding[] = [
    ...accessFindings(input, options.expect, command),
    // A bucket that is closed here is refused there for that very reason.
    ...(endpoint?.refuses && (input.view.access === 'open' || options.expect === 'closed')
      ? [endpoint.refuses]
      : []),
    ...inspection.findings,
    ...front,
    ...overBudget,
    ...(options.everywhere ? comparePortability(open, inspection.addresses, placeOfSite(project)) : []),
    ...(input.byOthers
      ? changesOfOthers(
          view.name,
          input.byOthers.foreign,
          input.byOthers.drift,
          createReadPolicy(view.settings).isReadable,
          command,
        )
      : []),
    ...(input.unpublished > 0
      ? [unpublishedEdits(view.release, countOf(input.unpublished, 'object'), command)]
      : []),
  ].sort(byLevel);
  const { baseline } = options;
  const explained = explainByOthers(main.failures, input);
  const { findings, failures, known, gone } = partByBaseline(found, explained, baseline);
  const emulation = endpoint && ourselves;
  return {
    ...main,
    failures,
    bucket: view.name,
    release: view.release,
    objects: objects.length,
    bytes: objects.reduce((sum, { size }) => sum + size, 0),
    sample: { objects: sample.objects.length, kinds: sample.kinds },
    ...(meanwhile === view.release ? {} : { meanwhile }),
    ...(emulation ? { beside: emulation } : {}),
    findings,
    ...(baseline ? { baseline: { known, gone } } : {}),
    failOn: options.failOn,
    passed: passes(findings, [{ failures }, ...(emulation ? [emulation] : [])], options.failOn),
    inspection: { read: inspection.read, seconds: inspected },
    seconds: (performance.now() - began) / 1000,
    when: Date.now(),
    byType: shareByType(objects),
    byCaching: shareByCaching(objects, Date.now()),
  };
}

/** What somebody else has changed is named as that; there is nothing to read in it. @throws FenestraError BODY_DAMAGED */
async function readOwn({ read, byOthers }: CheckInput, object: StoredObject): Promise<Buffer | undefined> {
  try {
    return await readWhole(read, object);
  } catch (error) {
    const isGone = error instanceof FenestraError && error.code === 'BODY_DAMAGED';
    if (isGone && byOthers?.foreign.some(({ key }) => key === object.key)) return undefined;
    throw error;
  }
}

/** What answers otherwise because somebody else has changed it has that for its cause. */
function explainByOthers(failures: readonly Failure[], { byOthers, view }: CheckInput): readonly Failure[] {
  if (!byOthers || byOthers.foreign.length === 0) return failures;
  const { index } = view.settings.documents;
  const changed = new Set(
    byOthers.foreign.flatMap(({ key }) => {
      const path = keyToPath(key);
      return fileName(key) === index ? [path, path.slice(0, -keyToPath(index).length + 1)] : [path];
    }),
  );
  return failures.map((failure) =>
    changed.has(pathOf(failure.url)) ? { ...failure, cause: 'by-others' } : failure,
  );
}

function accessFindings(
  { view, staged }: CheckInput,
  expect: CheckOptions['expect'],
  command: CommandLine,
): Finding[] {
  if (staged) return [];
  if (view.access === 'closed' && expect === 'open')
    return [bucketClosed(view.name, closedStatus(view.settings), command)];
  return view.access === 'open' && expect === 'closed' ? [bucketOpen(view.name, command)] : [];
}
