/** One publish of a project, from the survey to the release. */
import { folderMeant, parsePattern, patternFault } from '../../core/assign/pattern.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { CHANGE_KINDS } from '../../core/release/change-list.js';
import { listStale } from '../../core/release/stale.js';
import { countOf } from '../../core/words/counts.js';
import type { Level } from '../../core/findings/finding.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { createPaint } from '../../report/text/paint.js';
import type { Terminal } from '../terminal.js';
import { agreeToChanges } from './agree.js';
import { readBaseline } from './baseline-file.js';
import { describeOtherDestinations } from './other-destinations.js';
import { glanceAtBucket, openStore, openStoreIfThere, surveyProject, type Project } from './project.js';
import { show, showFindings, showPublished } from './publish-text.js';
import {
  changesNothing,
  compareWithBucket,
  compareWithSame,
  publishChanges,
  type Changes,
} from './publish-work.js';
import { needAgreed, savePlan } from './saved-plan.js';

/** The options of `fenestra publish` that say what to do with one project. */
export interface PublishArgs {
  readonly 'dry-run': boolean;
  readonly yes: boolean;
  readonly sure: string | undefined;
  readonly 'in-full': boolean;
  readonly diff: string | undefined;
  readonly matching: string | undefined;
  readonly note: string;
  readonly save: string | undefined;
  readonly agreed: string | undefined;
  readonly prove: boolean;
  readonly 'fail-on': Level;
  readonly baseline: string | undefined;
}

/** Surveys, compares, asks, publishes. @throws FenestraError whatever stops it; then nothing is published */
export async function publishOnce(project: Project, args: PublishArgs, terminal: Terminal): Promise<void> {
  const covers = readMatching(args.matching);
  const baseline = args.baseline === undefined ? undefined : readBaseline(args.baseline);
  const site = await surveyProject(project, terminal);
  const { bucket: name, settings } = project.destination;
  const looksOnly = args['dry-run'] || args.diff !== undefined;
  const report = (of: Changes, release: number | null): object => toJson(of, project, site, release);
  const asked = [args.diff, args.save, args.agreed, covers].some((each) => each !== undefined);
  const same = asked ? undefined : compareWithSame(site, settings, glanceAtBucket(project));
  if (same) return sayNothingChanged(same, name, report, terminal);
  const store = await (looksOnly ? openStoreIfThere(project) : openStore(project));
  try {
    const changes = await compareWithBucket(site, settings, store, name, covers);
    if (covers) needMatches(args.matching ?? '', site, changes);
    if (args.diff !== undefined) {
      const { formatBodyDiff } = await import('./body-diff.js');
      const paint = terminal.json ? createPaint(false, terminal.paint.width) : terminal.paint;
      const diff = await formatBodyDiff(args.diff, changes, project, site, store, paint);
      terminal.print(diff);
      terminal.printJson({ bucket: name, key: args.diff, diff });
      return;
    }
    if (args.save !== undefined) savePlan(args.save, name, changes);
    if (args.agreed !== undefined) needAgreed(args.agreed, name, changes);
    if (changesNothing(changes)) {
      if (!looksOnly) store?.keepGlance();
      return sayNothingChanged(changes, name, report, terminal);
    }
    show(changes, project, args['in-full'], terminal);
    const others = store ? await describeOtherDestinations(project, site, store, terminal.paint) : '';
    if (others !== '') terminal.print(others);
    showFindings(site, terminal);
    if (looksOnly || !store) {
      terminal.print(
        `\n${terminal.paint.soft(`Nothing was published: this was a dry run.${args.save === undefined ? '' : ` The change list is in ${args.save}.`}`)}`,
      );
      terminal.printJson(report(changes, null));
      return;
    }
    // What was agreed on in a file needs no further yes; what asks for the bucket's name still does.
    await agreeToChanges(
      changes,
      site,
      project,
      { yes: args.yes || args.agreed !== undefined, sure: args.sure },
      terminal,
    );
    const { listBodies } = await import('./list-bodies.js');
    const bodies = listBodies(site, changes, project.config.site);
    const record = await publishChanges(
      changes,
      bodies,
      store,
      name,
      {
        note: args.note,
        keep: project.config.historyDepth,
        ...(args.prove
          ? {
              prove: async () => {
                const { proveRelease } = await import('./prove-release.js');
                await proveRelease(changes, project, site, store, { ...args, baseline }, terminal);
              },
            }
          : {}),
      },
      terminal,
    );
    await showPublished(record.release, changes, project, terminal, store);
    terminal.printJson(report(changes, record.release));
    store.keepGlance();
  } finally {
    await store?.close();
  }
}

function sayNothingChanged(
  changes: Changes,
  bucket: string,
  report: (of: Changes, release: number) => object,
  terminal: Terminal,
): void {
  const release = changes.bucket?.release ?? 0;
  terminal.print(
    `Nothing has changed: ${bucket} is at release ${release} with ${countOf(changes.totals.keep, 'object')}.`,
  );
  terminal.printJson(report(changes, release));
}

const toJson = (
  changes: Changes,
  { destination, address }: Project,
  { findings }: SurveyedSite,
  release: number | null,
): object => ({
  bucket: destination.bucket,
  address,
  release,
  changes: changes.changes,
  settings: changes.settings,
  totals: { ...changes.totals, toSend: changes.toSend },
  findings,
  stale: listStale(changes.changes, Date.now()).map((stale) => ({
    ...stale,
    until: new Date(stale.until).toISOString(),
  })),
});

/** A part without any key is a mistake in the pattern. @throws FenestraError USAGE */
function needMatches(pattern: string, { objects }: SurveyedSite, { totals }: Changes): void {
  if (CHANGE_KINDS.some((kind) => totals[kind] > 0)) return;
  const keys = objects.map(({ key }) => key);
  const folder = folderMeant(pattern, keys);
  throw new FenestraError('USAGE', {
    what: `--matching ${pattern} matches no key of the site or the bucket.`,
    fix: folder === undefined ? '`fenestra survey` lists the keys.' : `Did you mean '${folder}'?`,
  });
}

function readMatching(pattern: string | undefined): ((key: string) => boolean) | undefined {
  if (pattern === undefined) return undefined;
  const fault = patternFault(pattern);
  if (fault)
    throw new FenestraError('USAGE', {
      what: `--matching: ${fault.fault}.`,
      fix: fault.becomes === undefined ? 'Correct the pattern.' : `Did you mean '${fault.becomes}'?`,
    });
  return parsePattern(pattern);
}
