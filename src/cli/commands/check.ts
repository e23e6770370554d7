import { besideProgram } from '../../files/beside-program.js';
import { FenestraError, EXIT } from '../../core/errors/catalogue.js';
import { passesOnceKnown } from '../../core/check/baseline.js';
import { SAMPLE } from '../../core/check/sample.js';
import { quoteWord } from '../../core/words/command-line.js';
import type { Level } from '../../core/findings/finding.js';
import { formatBaseline, readBaseline } from '../../jobs/check/baseline-file.js';
import { DEFAULT_CONCURRENCY, POLITE_RATE } from '../../jobs/check/limits.js';
import { placeOfSite } from '../../jobs/project/site-place.js';
import { readEndpoint } from '../../jobs/trace/read-request.js';
import { openProject } from '../../jobs/project/open-project.js';
import { writeResult } from '../../jobs/project/write-result.js';
import { describeReportKinds, findReportKind } from '../../report/check-reports.js';
import { checkJson } from '../../report/json/check-json.js';
import { formatCheck } from '../../report/text/check-text.js';
import { assertWhole } from '../assert-whole.js';
import { checkLog } from '../check-log.js';
import { defineCommand } from '../command.js';
import { RUN_TIME } from '../../jobs/check/limits.js';
import { endpointOptions, readEndpointOptions } from '../endpoint-options.js';
import { failOnOption, inFullOption, toOption } from '../options.js';
import { placesInRepository } from '../../disk/repository.js';
import { VERSION } from '../version.js';

interface Args {
  readonly to: string | undefined;
  readonly at: string | undefined;
  readonly unpublished: boolean;
  readonly both: boolean;
  readonly against: string | undefined;
  readonly log: string | undefined;
  readonly add: boolean;
  readonly all: boolean;
  readonly everywhere: boolean;
  readonly expect: 'open' | 'closed';
  readonly 'in-full': boolean;
  readonly report: readonly string[];
  readonly baseline: string | undefined;
  readonly 'save-baseline': string | undefined;
  readonly 'fail-on': Level;
  readonly concurrency: number;
  readonly rate: number | undefined;
  readonly 'answer-time': number;
  readonly 'run-time': number;
  readonly ca: string | undefined;
}

/** What says how a check is made, which the reading of a log is not. */
const NOT_OF_A_LOG = [
  'at',
  'unpublished',
  'both',
  'against',
  'all',
  'everywhere',
  'baseline',
  'save-baseline',
] as const;

export default defineCommand<Args>({
  describe:
    'Inspects the release and asks an endpoint for every address of it: status, type, caching, bytes, validators, ranges.',
  examples: [
    ['fenestra check', "a self-test against Fenestra's own emulation"],
    ['fenestra check --at https://www.mill.example/', 'the published site'],
    [
      'fenestra check --to live --against rehearsal',
      'what the live site answers otherwise than the rehearsal',
    ],
    ['fenestra check --report check.html --report check.sarif', 'reports for people and for machines'],
    ['fenestra check --unpublished', 'before anything is published, as a build server does'],
    ['fenestra check --everywhere', 'what other hosts would answer differently'],
  ],
  groups: {
    'What is checked': ['to', 'at', 'unpublished', 'both', 'against', 'all', 'everywhere', 'expect'],
    'What it says': ['report', 'in-full', 'fail-on', 'baseline', 'save-baseline'],
    'What visitors ask for': ['log', 'add'],
    'How it asks': ['answer-time', 'run-time', 'ca', 'concurrency', 'rate'],
  },
  options: (yargs) => {
    const withReports = toOption(yargs)
      .option('at', {
        type: 'string',
        describe: "the endpoint to ask; without it, the store's own address, or our own emulation",
        requiresArg: true,
      })
      .option('unpublished', {
        type: 'boolean',
        default: false,
        describe: 'the site folder as it would be published, without a store: for build servers',
      })
      .option('both', {
        type: 'boolean',
        default: false,
        describe: 'with --at: ask our own emulation too, and set both side by side',
      })
      .option('against', {
        type: 'string',
        describe: 'ask another destination for every address too, and say what differs and whether it is to',
        requiresArg: true,
      })
      .option('log', {
        type: 'string',
        describe:
          'in place of a check: what visitors ask for by an access log and is gone, with where it may be now',
        requiresArg: true,
      })
      .option('add', {
        type: 'boolean',
        default: false,
        describe: 'with --log: write those into the config, as moved addresses',
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
        nargs: 1,
        default: [] as string[],
        describe: `write a report: ${describeReportKinds()}`,
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
      });
    const listed = inFullOption(withReports, 'every finding with every place, and every wrong answer');
    return endpointOptions(failOnOption(listed, 'the lowest level that ends with exit code 1'))
      .option('run-time', {
        type: 'number',
        default: RUN_TIME,
        describe: 'with --at: seconds for all answers',
        requiresArg: true,
      })
      .option('concurrency', {
        type: 'number',
        default: DEFAULT_CONCURRENCY,
        describe: 'requests under way at once',
        requiresArg: true,
      })
      .option('rate', {
        type: 'number',
        describe: `requests a second at most; elsewhere than on this machine ${POLITE_RATE}`,
        requiresArg: true,
      });
  },
  async run(args, terminal) {
    assertWhole('concurrency', args.concurrency, 256);
    if (args.rate !== undefined) assertWhole('rate', args.rate, 100_000);
    assertWhole('run-time', args['run-time'], 1_000_000);
    if (args.log !== undefined) {
      const beside = NOT_OF_A_LOG.find((name) => args[name] !== undefined && args[name] !== false);
      if (beside !== undefined)
        throw new FenestraError('USAGE', {
          what: `--log reads what visitors asked for, and --${beside} is for a check.`,
          fix: 'Leave one of them out.',
        });
      return checkLog(args, args.log, terminal);
    }
    if (args.add)
      throw new FenestraError('USAGE', {
        what: '--add writes what a log shows, and no log was named.',
        fix: 'Name it with --log FILE.',
      });
    const { answerTime, ca } = readEndpointOptions(args);
    if (args.both && args.at === undefined)
      throw new FenestraError('USAGE', {
        what: '--both sets an endpoint beside our own emulation, and no endpoint was named.',
        fix: 'Name it with --at URL.',
      });
    const files = [args.report].flat();
    if (args.unpublished && args.at !== undefined)
      throw new FenestraError('USAGE', {
        what: '--unpublished checks the site folder, which no endpoint has.',
        fix: 'Leave --at or --unpublished out.',
      });
    if (args.unpublished && args.against !== undefined)
      throw new FenestraError('USAGE', {
        what: '--against sets a place beside another, and --unpublished asks none.',
        fix: 'Leave --against or --unpublished out.',
      });
    const reports = files.map((file) => ({ file, kind: findReportKind(file) }));
    const baseline = args.baseline === undefined ? undefined : readBaseline(args.baseline);
    const saved = args['save-baseline'];
    const project = await openProject(args);
    const at = args.at === undefined ? undefined : readEndpoint(args.at, placeOfSite(project));
    const { both, against, all, everywhere, expect, concurrency, rate } = args;
    const options = {
      at,
      both,
      against,
      all,
      everywhere,
      expect,
      concurrency,
      rate,
      answerTime,
      runTime: args['run-time'],
      ca,
      failOn: args['fail-on'],
      baseline,
      command: terminal.paint.command,
    };
    const { checkProject, checkUnpublished } = await import('../../jobs/serving.js');
    const run = args.unpublished ? checkUnpublished : checkProject;
    const outcome = await run(project, options, terminal.progress);
    const { config, address } = project;
    const places = placesInRepository(config.folder, config.site);
    const context = { address, ...places, version: VERSION, rules: besideProgram('docs/findings.md') };
    for (const { file, kind } of reports) writeResult('--report', file, await kind.render(outcome, context));
    if (saved !== undefined) writeResult('--save-baseline', saved, formatBaseline(outcome));
    terminal.print(formatCheck(outcome, terminal.paint, args['in-full']));
    const written = [...files, ...(saved === undefined ? [] : [saved])];
    const passed = saved === undefined ? outcome.passed : passesOnceKnown(outcome);
    if (saved !== undefined && passed)
      terminal.print(
        `\nWhat was found is known from now on: ${terminal.paint.command(`check --baseline ${quoteWord(saved)}`)} fails on what is new alone.`,
      );
    if (written.length > 0) terminal.print(`\n${terminal.paint.soft('written:')} ${written.join(', ')}`);
    terminal.printJson(checkJson(outcome, terminal.paint.command));
    return passed ? EXIT.done : EXIT.found;
  },
});
