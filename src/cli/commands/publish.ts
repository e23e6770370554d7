import { parsePattern, patternFault } from '../../core/assign/pattern.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { newlyReadable, removesMost } from '../../core/release/guards.js';
import { listStale } from '../../core/release/stale.js';
import { countOf, formatBytes } from '../../core/site/format-bytes.js';
import { formatChanges, formatTotals } from '../../report/text/changes-text.js';
import { countFindings, formatFindings } from '../../report/text/findings-text.js';
import { columns } from '../../report/text/paint.js';
import type { BucketStore } from '../../stores/port.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { defineCommand } from '../command.js';
import type { Terminal } from '../terminal.js';
import { openProject, openStore, openStoreIfThere, surveyProject, type Project } from '../work/project.js';
import { changesNothing, compareWithBucket, publishChanges, type Changes } from '../work/publish-work.js';

interface Args {
  readonly to: string | undefined;
  readonly 'dry-run': boolean;
  readonly yes: boolean;
  readonly sure: string | undefined;
  readonly 'in-full': boolean;
  readonly matching: string | undefined;
  readonly note: string;
}

export default defineCommand<Args>({
  describe: 'Shows what would change in the bucket, asks, and publishes it at one instant.',
  examples: [
    ['fenestra publish --dry-run', 'only show the changes'],
    ['fenestra publish --to live --yes', 'publish to another destination without being asked'],
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
      }),
  async run(args, terminal) {
    const project = await openProject(args);
    const covers = readMatching(args.matching);
    const site = await surveyProject(project, terminal);
    const { findings } = site;
    const { bucket: name, settings } = project.destination;
    const dryRun = args['dry-run'];
    const store = await (dryRun ? openStoreIfThere(project) : openStore(project));
    try {
      const changes = await compareWithBucket(site, settings, store, name, covers);
      const report = (release: number | null): object => ({
        bucket: name,
        address: project.address,
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
      if (changesNothing(changes)) {
        const release = changes.bucket?.release ?? 0;
        terminal.print(
          `Nothing has changed: ${name} is at release ${release} with ${countOf(changes.totals.keep, 'object')}.`,
        );
        terminal.printJson(report(release));
        return undefined;
      }
      show(changes, project, args['in-full'], terminal);
      if (findings.length > 0) {
        const errors = findings.filter(({ level }) => level === 'error');
        terminal.print(
          `\n${terminal.paint.strong('Findings')}: ${countFindings(findings)}${errors.length === findings.length ? '' : terminal.paint.soft(' (fenestra survey --findings shows all)')}${errors.length > 0 ? `\n${formatFindings(errors, terminal.paint)}` : ''}`,
        );
      }
      if (dryRun || !store) {
        terminal.print(`\n${terminal.paint.soft('Nothing was published: this was a dry run.')}`);
        terminal.printJson(report(null));
        return undefined;
      }
      await agree(changes, site, project, args, terminal);
      const release = await publishChanges(
        changes,
        site,
        store,
        name,
        { folder: project.config.site, note: args.note },
        terminal,
      );
      await showPublished(release.release, changes, project, terminal, store);
      terminal.printJson(report(release.release));
      return undefined;
    } finally {
      await store?.close();
    }
  },
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

/** Asks, unless --yes; what removes most of a bucket or opens more of it asks for the bucket's name. */
async function agree(
  changes: Changes,
  site: SurveyedSite,
  { destination }: Project,
  args: Args,
  terminal: Terminal,
): Promise<void> {
  const { bucket, totals } = changes;
  const opened = newlyReadable(() => site.objects.map(({ key }) => key), bucket, changes.becomes);
  if (opened.length > 0) {
    terminal.print(
      `\n${terminal.paint.warn(`${countOf(opened.length, 'key')} that nobody could read will be readable by anyone`)}\n${columns(opened.slice(0, 20).map((key) => [key]))}`,
    );
  }
  if (removesMost(totals, bucket) || opened.length > 0) {
    const why =
      opened.length > 0
        ? `This lets anyone read ${countOf(opened.length, 'more key')} of ${destination.bucket}.`
        : `This removes ${totals.remove} of the ${countOf(bucket?.objects ?? 0, 'object')} in ${destination.bucket}.`;
    await terminal.confirmName(why, destination.bucket, args.sure);
    return;
  }
  if (args.yes) return;
  await terminal.confirm(
    `Publish to ${destination.bucket} in ${destination.store}: ${formatTotals(totals)}?`,
    '--yes',
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
  const state = await store.readBucket(project.destination.bucket);
  terminal.print(
    `\n${paint.good('Published')} release ${release} of ${paint.strong(project.destination.bucket)}: ${countOf(state?.objects ?? 0, 'object')}, ${formatBytes(state?.bytes ?? 0)}, at ${project.address}`,
  );
  if (state?.access === 'closed') {
    terminal.print(
      `The bucket is closed, so visitors get 403. Open it with: ${paint.strong(`fenestra access open --sure ${project.destination.bucket}`)}`,
    );
  }
  const stale = listStale(changes.changes, Date.now());
  const [longest] = stale;
  if (longest) {
    terminal.print(
      `${paint.warn('Visitors may still hold')} the old bytes or headers of ${countOf(stale.length, 'object')}, such as ${longest.key} until ${new Date(longest.until).toISOString().slice(0, 10)}; ${longest.because}. A new name cures that.`,
    );
  }
}
