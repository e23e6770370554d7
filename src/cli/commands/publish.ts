import { parsePattern, patternFault } from '../../core/assign/pattern.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { Level } from '../../core/site/site-object.js';
import { listStale } from '../../core/release/stale.js';
import { countOf, formatBytes } from '../../core/site/format-bytes.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { formatChanges, formatTotals } from '../../report/text/changes-text.js';
import { countFindings, formatFindings } from '../../report/text/findings-text.js';
import type { BucketStore } from '../../stores/port.js';
import { defineCommand } from '../command.js';
import type { Terminal } from '../terminal.js';
import { agreeToChanges } from '../work/agree.js';
import { describeOtherDestinations } from '../work/other-destinations.js';
import {
  glanceAtBucket,
  openProject,
  openStore,
  openStoreIfThere,
  surveyProject,
  type Project,
} from '../work/project.js';
import {
  changesNothing,
  compareWithBucket,
  compareWithSame,
  publishChanges,
  type Changes,
} from '../work/publish-work.js';
import { readBaseline } from '../work/baseline-file.js';
import { needAgreed, savePlan } from '../work/saved-plan.js';
import { watchAndPublish } from '../work/watch-publish.js';

interface Args {
  readonly config: string;
  readonly to: string | undefined;
  readonly 'dry-run': boolean;
  readonly yes: boolean;
  readonly sure: string | undefined;
  readonly 'in-full': boolean;
  readonly diff: string | undefined;
  readonly matching: string | undefined;
  readonly note: string;
  readonly save: string | undefined;
  readonly agreed: string | undefined;
  readonly watch: boolean;
  readonly prove: boolean;
  readonly 'fail-on': Level;
  readonly baseline: string | undefined;
}

export default defineCommand<Args>({
  describe: 'Shows what would change in the bucket, asks, and publishes it at one instant.',
  examples: [
    ['fenestra publish --dry-run', 'only show the changes'],
    ['fenestra publish --to live --yes', 'publish to another destination without being asked'],
    ['fenestra publish --dry-run --save changes.json', 'keep the change list, to be agreed on'],
    ['fenestra publish --agreed changes.json', 'publish exactly that, or refuse'],
    ['fenestra publish --prove --yes', 'publish only what passes the check'],
  ],
  options: (yargs) =>
    yargs
      .option('to', {
        type: 'string',
        describe: 'the destination, when it is not the first',
        requiresArg: true,
      })
      .option('dry-run', { type: 'boolean', default: false, describe: 'show the changes and stop' })
      .option('yes', { type: 'boolean', default: false, describe: 'publish without being asked' })
      .option('sure', {
        type: 'string',
        describe: "the bucket's name, where a change asks for it",
        requiresArg: true,
      })
      .option('in-full', { type: 'boolean', default: false, describe: 'every change with every property' })
      .option('diff', {
        type: 'string',
        describe: 'show how the text of one key would change, and stop',
        requiresArg: true,
      })
      .option('matching', {
        type: 'string',
        describe: 'publish only keys that match a pattern; settings stay',
        requiresArg: true,
      })
      .option('note', {
        type: 'string',
        default: '',
        describe: 'a message to keep with the release',
        requiresArg: true,
      })
      .option('save', {
        type: 'string',
        describe: 'with --dry-run: keep the change list in a file',
        requiresArg: true,
      })
      .option('agreed', {
        type: 'string',
        describe: 'publish exactly the change list in a file, or refuse',
        requiresArg: true,
      })
      .option('watch', {
        type: 'boolean',
        default: false,
        describe: 'go on publishing whenever files change',
      })
      .option('prove', {
        type: 'boolean',
        default: false,
        describe: 'check the release where no visitor sees it, and publish it only if it passes',
      })
      .option('fail-on', {
        choices: ['error', 'warning', 'note'] as const,
        default: 'error' as const,
        describe: 'with --prove: the lowest level that stops it',
      })
      .option('baseline', {
        type: 'string',
        describe: 'with --prove: a file of what is known already',
        requiresArg: true,
      }),
  async run(args, terminal) {
    if (args.save !== undefined && !args['dry-run'])
      throw new FenestraError('USAGE', {
        what: '--save keeps what a dry run shows.',
        remedy: 'Add --dry-run.',
      });
    if (args.baseline !== undefined && !args.prove)
      throw new FenestraError('USAGE', {
        what: '--baseline says what is known to the check of --prove, and nothing is to be proved.',
        remedy: 'Add --prove, or leave it out.',
      });
    if (args.prove && args['dry-run'])
      throw new FenestraError('USAGE', {
        what: '--prove checks what is about to be published, and a dry run publishes nothing.',
        remedy: 'Leave one of them out.',
      });
    if (args.watch && (args['dry-run'] || args.agreed !== undefined || args.diff !== undefined)) {
      throw new FenestraError('USAGE', {
        what: '--watch publishes again and again, so it goes with none of --dry-run, --agreed and --diff.',
        remedy: 'Leave it out.',
      });
    }
    const project = await openProject(args);
    await publishOnce(project, args, terminal);
    if (args.watch)
      await watchAndPublish(project, terminal, async (now) =>
        publishOnce(now, { ...args, yes: true }, terminal),
      );
    return undefined;
  },
});

async function publishOnce(project: Project, args: Args, terminal: Terminal): Promise<void> {
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
    if (args.diff !== undefined) {
      const { formatBodyDiff } = await import('../work/body-diff.js');
      terminal.print(await formatBodyDiff(args.diff, changes, project, site, store, terminal.paint));
      return;
    }
    if (args.save !== undefined) savePlan(args.save, name, changes);
    if (args.agreed !== undefined) needAgreed(args.agreed, name, changes);
    if (changesNothing(changes)) {
      if (!looksOnly) store?.keepGlance();
      return sayNothingChanged(changes, name, report, terminal);
    }
    show(changes, project, args['in-full'], terminal);
    if (store) terminal.print(await describeOtherDestinations(project, site, store, terminal.paint));
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
    const { listBodies } = await import('../work/list-bodies.js');
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
                const { proveRelease } = await import('../work/prove-release.js');
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
  totals: changes.totals,
  findings,
  stale: listStale(changes.changes, Date.now()).map((stale) => ({
    ...stale,
    until: new Date(stale.until).toISOString(),
  })),
});

function readMatching(pattern: string | undefined): ((key: string) => boolean) | undefined {
  if (pattern === undefined) return undefined;
  const fault = patternFault(pattern);
  if (fault)
    throw new FenestraError('USAGE', {
      what: `--matching: ${fault.fault}.`,
      remedy: fault.becomes === undefined ? 'Correct the pattern.' : `Did you mean '${fault.becomes}'?`,
    });
  return parsePattern(pattern);
}

function show(changes: Changes, { destination }: Project, inFull: boolean, terminal: Terminal): void {
  const { paint } = terminal;
  const where = changes.bucket
    ? `${changes.bucket.access}, at release ${changes.bucket.release}`
    : 'a new bucket, closed until you open it';
  terminal.print(
    `${paint.strong(destination.bucket)} in ${destination.store} (${destination.name}): ${where}\n`,
  );
  terminal.print(formatChanges(changes.changes, changes.settings, paint, inFull));
  terminal.print(`\n${formatTotals(changes.totals)}`);
}

function showFindings({ findings }: SurveyedSite, { print, paint }: Terminal): void {
  if (findings.length === 0) return;
  const errors = findings.filter(({ level }) => level === 'error');
  const rest = errors.length === findings.length ? '' : paint.soft(' (fenestra survey --findings shows all)');
  print(
    `\n${paint.strong('Findings')}: ${countFindings(findings)}${rest}${errors.length > 0 ? `\n${formatFindings(errors, paint)}` : ''}`,
  );
}

async function showPublished(
  release: number,
  changes: Changes,
  project: Project,
  terminal: Terminal,
  store: BucketStore,
): Promise<void> {
  const { paint } = terminal;
  const { bucket } = project.destination;
  const state = await store.readBucket(bucket);
  terminal.print(
    `\n${paint.good('Published')} release ${release} of ${paint.strong(bucket)}: ${countOf(state?.objects ?? 0, 'object')}, ${formatBytes(state?.bytes ?? 0)}, at ${project.address}`,
  );
  if (state?.access === 'closed')
    terminal.print(
      `The bucket is closed, so visitors get 403. Open it with: ${paint.strong(`fenestra access open --sure ${bucket}`)}`,
    );
  // Nobody holds anything of a bucket that nobody could read.
  const stale = state?.access === 'open' ? listStale(changes.changes, Date.now()) : [];
  const [longest] = stale;
  if (longest) {
    terminal.print(
      `${paint.warn('Visitors may still hold')} the old bytes or headers of ${countOf(stale.length, 'object')}, such as ${longest.key} until ${new Date(longest.until).toISOString().slice(0, 16).replace('T', ' ')}; ${longest.because}. A new name cures that.`,
    );
  }
}
