import { EXIT, FenestraError } from '../../core/errors/catalogue.js';
import { parseDuration } from '../../core/caching/duration.js';
import { writeResult } from '../../jobs/project/write-result.js';
import { openProject } from '../../jobs/project/open-project.js';
import { defineCommand } from '../command.js';
import { listExceeding, readBudget } from '../cost-budget.js';
import { toOption } from '../options.js';
import { formatCost } from '../../report/text/cost-text.js';
import { costJson } from '../../report/json/cost-json.js';
import { adviceLine } from '../../report/text/advice-text.js';

interface Args {
  readonly paths: string | readonly string[] | undefined;
  readonly to: string | undefined;
  readonly card: string | readonly string[] | undefined;
  readonly visitors: number;
  readonly pages: number;
  readonly returning: string;
  readonly after: string;
  readonly log: string | undefined;
  readonly span: string | undefined;
  readonly growing: string | undefined;
  readonly 'at-most': string | undefined;
  readonly report: string | undefined;
  readonly schema: boolean;
}

/** More is no month of anybody's. */
const MAX_VISITORS = 1e12;

export default defineCommand<Args>({
  positionals: '[paths..]',
  describe:
    "The month's cost of a destination by a rate card: from visits that are expected, or from an access log; and what caching saves of it.",
  examples: [
    ['fenestra cost --card quay.yaml', '20,000 visits of three pages, 40 % of them again'],
    ['fenestra cost --card quay.yaml --card lock.yaml --visitors 500000', 'two cards side by side'],
    ['fenestra cost --card quay.yaml --log access.log.gz', 'what really happened, for a month'],
  ],
  options: (yargs) =>
    toOption(
      yargs.positional('paths', {
        type: 'string',
        array: true,
        describe: 'pages of a visit; without any, --pages from the home page on',
      }),
    )
      .option('card', {
        type: 'string',
        array: true,
        describe: 'a rate card; several are set side by side',
        requiresArg: true,
      })
      .option('visitors', {
        type: 'number',
        default: 20_000,
        describe: 'visits in a month',
        requiresArg: true,
      })
      .option('pages', { type: 'number', default: 3, describe: 'pages of a visit', requiresArg: true })
      .option('returning', {
        type: 'string',
        default: '40%',
        describe: 'the part of the visits that come back',
        requiresArg: true,
      })
      .option('after', {
        type: 'string',
        default: '7 days',
        describe: 'after how long they come back',
        requiresArg: true,
      })
      .option('log', {
        type: 'string',
        describe: 'an access log: common, combined, or what serve --log writes; packed with gzip too',
        requiresArg: true,
      })
      .option('span', {
        type: 'string',
        describe: 'which time the log is of, in place of what its lines say',
        requiresArg: true,
      })
      .option('growing', {
        type: 'string',
        describe: 'twelve months, each with so much more traffic than the one before: 10%',
        requiresArg: true,
      })
      .option('at-most', {
        type: 'string',
        describe: 'a budget of a month, such as "5 EUR": exit code 1 where a card comes to more',
        requiresArg: true,
      })
      .option('report', {
        type: 'string',
        describe: 'write a page with plots: a file that ends in .html',
        requiresArg: true,
      })
      .option('schema', {
        type: 'boolean',
        default: false,
        describe: 'the JSON Schema of rate cards, and stop',
      }),
  async run(args, terminal) {
    if (args.schema) {
      const { createCardSchema } = await import('../../config/index.js');
      terminal.print(JSON.stringify(createCardSchema(), null, 2));
      terminal.printJson(createCardSchema());
      return undefined;
    }
    const names = [args.card ?? []].flat();
    if (names.length === 0)
      throw new FenestraError('USAGE', {
        what: 'There is no rate card to reckon with.',
        fix: 'Name one with --card FILE; demo/cards/quay.yaml is a made-up one, and docs/cost.md says how to write your own.',
      });
    if (args.report !== undefined && !/\.html?$/i.test(args.report))
      throw new FenestraError('USAGE', {
        what: `--report ${args.report} has no ending that is known.`,
        fix: 'Name a file that ends in .html; --json gives the same as data.',
      });
    const visitors = readCount(args.visitors, '--visitors', MAX_VISITORS);
    const pages = readCount(args.pages, '--pages', 1000);
    const returning = readShare('--returning', args.returning, 1000, 'part of the visits');
    const growth =
      args.growing === undefined ? undefined : BigInt(readShare('--growing', args.growing, 10_000, 'growth'));
    const after = readSeconds('--after', args.after);
    const span = args.span === undefined ? undefined : readSeconds('--span', args.span);
    if (span !== undefined && (args.log === undefined || span < 1))
      throw new FenestraError('USAGE', {
        what:
          args.log === undefined
            ? '--span says which time a log is of, and there is none.'
            : '--span is no time.',
        fix: args.log === undefined ? 'Name the log with --log.' : 'Give one such as "7 days".',
      });
    const { loadCard } = await import('../../config/index.js');
    const cards = await Promise.all(names.map((name) => loadCard(name)));
    const budget = args['at-most'] === undefined ? undefined : readBudget(args['at-most'], cards);
    const project = await openProject(args);
    const { estimateCost } = await import('../../jobs/visiting.js');
    const outcome = await estimateCost(
      project,
      {
        cards,
        visitors: { visitors, returning },
        paths: [args.paths ?? []].flat(),
        pages,
        after,
        log: args.log,
        span,
        growth,
      },
      adviceLine,
      terminal.progress,
    );
    const exceeding = budget ? listExceeding(outcome, budget) : [];
    terminal.print(formatCost(outcome, terminal.paint));
    for (const { card, month, sum } of exceeding)
      terminal.print(
        `\n${terminal.paint.bad(`${card}: month ${month} comes to ${sum} ${budget?.currency ?? ''}, more than ${budget?.text ?? ''}.`)}`,
      );
    if (args.report !== undefined) {
      const { renderCostPage } = await import('../../report/html/pages.js');
      writeResult('--report', args.report, renderCostPage(outcome, Date.now()));
      terminal.print(`\n${terminal.paint.soft('written:')} ${args.report}`);
    }
    terminal.printJson({ ...costJson(outcome), ...(budget ? { exceeding } : {}) });
    return exceeding.length > 0 ? EXIT.found : undefined;
  },
});

function readCount(value: number, option: string, most: number): number {
  if (Number.isInteger(value) && value >= 0 && value <= most) return value;
  throw new FenestraError('USAGE', {
    what: `${option} ${value} is not a number of them.`,
    fix: `Give a whole number up to ${most}.`,
  });
}

/** `40%` or `0.4`, in parts of a thousand. */
function readShare(option: string, text: string, most: number, what: string): number {
  const [, number = '', percent] = /^(\d{1,3}(?:\.\d{1,3})?)\s*(%)?$/.exec(text) ?? [];
  const share = Math.round(Number(number) * (percent ? 10 : 1000));
  if (number !== '' && share <= most) return share;
  throw new FenestraError('USAGE', {
    what: `${option} "${text}" is no ${what}.`,
    fix: 'Give one such as 40%.',
  });
}

function readSeconds(option: string, text: string): number {
  const parsed = parseDuration(text);
  if ('seconds' in parsed) return parsed.seconds;
  throw new FenestraError('USAGE', {
    what: `${option} "${text}" is no duration.`,
    fix: 'Give one such as "7 days".',
  });
}
