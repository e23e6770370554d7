import { FenestraError, EXIT } from '../../core/errors/catalogue.js';
import { SAMPLE } from '../../core/check/sample.js';
import type { Level } from '../../core/findings/finding.js';
import type { ObjectHeaders, StoredObject } from '../../core/site/site-object.js';
import { formatCheck } from '../../report/text/check-text.js';
import { defineCommand } from '../command.js';
import { formatBaseline, readBaseline, writeResult } from '../work/baseline-file.js';
import { needBucket, openProject, surveyProject, withStore } from '../work/project.js';
import { compareWithBucket } from '../work/publish-work.js';
import { readUrl } from '../work/read-url.js';
import { checkJson, needReportKinds, writeReports } from '../work/write-reports.js';

interface Args {
  readonly to: string | undefined;
  readonly at: string | undefined;
  readonly both: boolean;
  readonly all: boolean;
  readonly everywhere: boolean;
  readonly expect: 'open' | 'closed';
  readonly report: readonly string[];
  readonly baseline: string | undefined;
  readonly 'save-baseline': string | undefined;
  readonly 'fail-on': Level;
  readonly concurrency: number;
  readonly rate: number | undefined;
}

/** Requests a second that an endpoint elsewhere is asked at most, unless told otherwise. */
const POLITE = 100;

export default defineCommand<Args>({
  describe:
    'Inspects the release and asks an endpoint for every address of it: status, type, caching, bytes, validators, ranges.',
  examples: [
    ['fenestra check', "a self-test against Fenestra's own emulation"],
    ['fenestra check --at https://www.mill.example/', 'the published site'],
    ['fenestra check --report check.html --report check.sarif', 'reports for people and for machines'],
    ['fenestra check --everywhere', 'what other hosts would answer differently'],
  ],
  options: (yargs) =>
    yargs
      .option('to', {
        type: 'string',
        describe: 'the destination, when it is not the first',
        requiresArg: true,
      })
      .option('at', {
        type: 'string',
        describe: 'the endpoint to ask; without it, our own emulation',
        requiresArg: true,
      })
      .option('both', {
        type: 'boolean',
        default: false,
        describe: 'with --at: ask our own emulation too, and set both side by side',
      })
      .option('all', {
        type: 'boolean',
        default: false,
        describe: `ask for every object; without it, a sample of ${SAMPLE} on larger sites, with some of every kind`,
      })
      .option('everywhere', {
        type: 'boolean',
        default: false,
        describe: 'list the addresses that hosts set up in other common ways would answer differently',
      })
      .option('expect', {
        choices: ['open', 'closed'] as const,
        default: 'open' as const,
        describe: 'whether the bucket is meant to be open',
      })
      .option('report', {
        type: 'string',
        array: true,
        default: [] as string[],
        describe: 'write a report: .html, .xml (JUnit), .sarif or .json',
        requiresArg: true,
      })
      .option('baseline', {
        type: 'string',
        describe: 'a file of what is known already and does not fail the check',
        requiresArg: true,
      })
      .option('save-baseline', {
        type: 'string',
        describe: 'write what was found to a file, as known from now on',
        requiresArg: true,
      })
      .option('fail-on', {
        choices: ['error', 'warning', 'note'] as const,
        default: 'error' as const,
        describe: 'the lowest level that ends with exit code 1',
      })
      .option('concurrency', {
        type: 'number',
        default: 16,
        describe: 'requests under way at once',
        requiresArg: true,
      })
      .option('rate', {
        type: 'number',
        describe: `requests a second at most; elsewhere than on this machine ${POLITE}`,
        requiresArg: true,
      }),
  async run(args, terminal) {
    const at = args.at === undefined ? undefined : readUrl(args.at);
    needWhole('concurrency', args.concurrency, 256);
    if (args.rate !== undefined) needWhole('rate', args.rate, 100_000);
    if (args.both && !at)
      throw new FenestraError('USAGE', {
        what: '--both sets an endpoint beside our own emulation, and no endpoint was named.',
        fix: 'Name it with --at URL.',
      });
    needReportKinds(args.report);
    const baseline = args.baseline === undefined ? undefined : readBaseline(args.baseline);
    const project = await openProject(args);
    const { checkRelease } = await import('../work/check-release.js');
    const { hostStore } = await import('../work/hosted-store.js');
    const survey = await surveyProject(project, terminal);
    return withStore(project, async (store) => {
      const { bucket } = project.destination;
      const state = await needBucket(store, bucket);
      if (state.release === 0) throw new FenestraError('NOTHING_PUBLISHED', { bucket });
      const { totals } = await compareWithBucket(survey, project.destination.settings, store, bucket);
      const unpublished = totals.add + totals.replace + totals.relabel + totals.remove;
      const view = store.view(bucket);
      if (!view) throw new FenestraError('BUCKET_MISSING', { store: store.name, name: bucket, nearest: '' });
      const outcome = await checkRelease(
        {
          project,
          survey,
          view,
          objects: [...shareHeaders(store.listObjects(bucket))],
          hosted: hostStore(store, args.expect === 'open'),
          unpublished,
          asSurveyed: unpublished === 0,
        },
        {
          at,
          both: args.both,
          all: args.all,
          everywhere: args.everywhere,
          expect: args.expect,
          failOn: args['fail-on'],
          baseline,
          concurrency: args.concurrency,
          rate: args.rate ?? (at && !isHere(at) ? POLITE : undefined),
        },
        terminal,
      );
      await writeReports(args.report, outcome, project);
      if (args['save-baseline'] !== undefined)
        writeResult('--save-baseline', args['save-baseline'], formatBaseline(outcome));
      terminal.print(formatCheck(outcome, terminal.paint));
      const written = [
        ...args.report,
        ...(args['save-baseline'] === undefined ? [] : [args['save-baseline']]),
      ];
      if (written.length > 0) terminal.print(`\n${terminal.paint.soft('written:')} ${written.join(', ')}`);
      terminal.printJson(checkJson(outcome));
      return outcome.passed ? EXIT.done : EXIT.found;
    });
  },
});

function needWhole(option: string, value: number, most: number): void {
  if (Number.isInteger(value) && value >= 1 && value <= most) return;
  throw new FenestraError('USAGE', {
    what: `--${option} ${value} cannot be used.`,
    fix: `Give a whole number from 1 to ${most}.`,
  });
}

const isHere = ({ hostname }: URL): boolean =>
  hostname === 'localhost' ||
  hostname.endsWith('.localhost') ||
  hostname.startsWith('127.') ||
  hostname === '[::1]';

/** A large site has few different headers; each is kept once. */
function* shareHeaders(objects: Iterable<StoredObject>): Generator<StoredObject> {
  const known = new Map<string, ObjectHeaders>();
  for (const object of objects) {
    const text = JSON.stringify(object.headers);
    let headers = known.get(text);
    if (!headers) known.set(text, (headers = object.headers));
    yield { ...object, headers };
  }
}
