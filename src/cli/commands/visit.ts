import { EXIT, FenestraError } from '../../core/errors/catalogue.js';
import { CONNECTIONS, DEFAULT_CONNECTION } from '../../core/visiting/connection.js';
import { DEFAULT_SCREEN } from '../../core/visiting/screen.js';
import { writeResult } from '../../jobs/project/write-result.js';
import { readVisit, type VisitArgs } from '../visit-words.js';
import { defineCommand } from '../command.js';
import { endpointOptions, readEndpointOptions } from '../endpoint-options.js';
import { inFullOption, toOption } from '../options.js';
import { countFront } from '../../core/visiting/front-visits.js';
import { formatFrontVisits } from '../../report/text/front-text.js';
import { formatVisits } from '../../report/text/visit-text.js';
import { visitJson } from '../../report/json/visit-json.js';

/** What says of what visits something is told, which --best decides itself. */
const NOT_OF_BEST = [
  'with',
  'release',
  'after',
  'sequence',
  'reload',
  'forced',
  'front',
  'browser',
  'report',
] as const;

export default defineCommand<VisitArgs>({
  positionals: '[paths..]',
  describe:
    'Loads pages as a browser would, for the first time and again: what is asked for, what comes from its cache, what a line of the config would save.',
  examples: [
    ['fenestra visit', 'the home page, first and again'],
    ['fenestra visit / /visit/ /times/', 'a walk over three pages'],
    ["fenestra visit --after '0 seconds, 1 day, 30 days'", 'returns at these moments'],
    ['fenestra visit / --at https://www.mill.example/', 'any site that is published'],
    ['fenestra visit / /visit/ --report visit.html', 'a page with a time line of each load'],
    ['fenestra visit --site --unpublished', 'every page of the folder, before it is published'],
    [
      `fenestra visit --with '- { to: "*.css", cache: 30 days }'`,
      'the same with a line more under assign, side by side',
    ],
    [
      "fenestra visit --site --best --stale-at-most '1 minute, 1 hour, 1 day'",
      'the lines with which returning visitors ask for least, and what each bound costs',
    ],
  ],
  groups: {
    'What is visited': ['to', 'site', 'unpublished', 'release', 'with', 'at', 'front', 'browser'],
    'The best lines': ['best', 'stale-at-most', 'write', 'yes'],
    'How often, and by whom': ['after', 'sequence', 'reload', 'forced', 'connection', 'viewport'],
    'What it says': ['in-full', 'report'],
    'How it asks': ['answer-time', 'ca'],
  },
  options: (yargs) =>
    inFullOption(
      endpointOptions(
        toOption(
          yargs.positional('paths', {
            type: 'string',
            array: true,
            describe: 'pages, in the order in which they are walked; without any, the home page',
          }),
        ),
      ),
      'every response: what became of it, and why',
    )
      .option('site', { type: 'boolean', default: false, describe: 'every page of the site' })
      .option('unpublished', {
        type: 'boolean',
        default: false,
        describe: 'the site folder as it would be published',
      })
      .option('with', {
        type: 'string',
        array: true,
        nargs: 1,
        describe: 'the same with a line more under assign, side by side; several count in their order',
        requiresArg: true,
      })
      .option('release', {
        type: 'number',
        describe: 'the same of another release, side by side',
        requiresArg: true,
      })
      .option('best', {
        type: 'boolean',
        default: false,
        describe: 'find the lines of assign with which returning visitors ask for least',
      })
      .option('stale-at-most', {
        type: 'string',
        describe:
          'with --best: for how long anybody may see something old, 1 hour without it; several side by side',
        requiresArg: true,
      })
      .option('write', {
        type: 'boolean',
        default: false,
        describe: 'with --best: put them into the config, in place of those under assign',
      })
      .option('yes', { type: 'boolean', default: false, describe: 'with --write: do not ask', alias: 'y' })
      .option('report', {
        type: 'string',
        describe: 'write a page with plots and a time line of each load: a file that ends in .html',
        requiresArg: true,
      })
      .option('at', {
        type: 'string',
        describe:
          'a live endpoint: each of its addresses is asked once, and the headers that it sends are believed',
        requiresArg: true,
      })
      .option('after', {
        type: 'string',
        describe: "when somebody returns, as in '0 seconds, 1 day'; without it, when something has expired",
        requiresArg: true,
      })
      .option('sequence', {
        type: 'boolean',
        default: false,
        describe: 'each return follows on the one before, not on the first visit',
      })
      .option('reload', {
        type: 'boolean',
        default: false,
        describe: 'reload each page that was returned to',
      })
      .option('front', {
        type: 'boolean',
        default: false,
        describe: 'what reaches the bucket where a cache for everybody stands before it',
      })
      .option('forced', { type: 'boolean', default: false, describe: 'and reload it without its cache' })
      .option('browser', {
        type: 'string',
        describe: 'make the same visits with a Chromium, found or named, and say where it does otherwise',
      })
      .option('connection', {
        type: 'string',
        default: DEFAULT_CONNECTION,
        describe: `the line that times are computed for: round trip and bandwidth, or ${Object.keys(CONNECTIONS).join(', ')}`,
        requiresArg: true,
      })
      .option('viewport', {
        type: 'string',
        default: `${DEFAULT_SCREEN.width}x${DEFAULT_SCREEN.height}`,
        describe: 'the size of the window, in CSS pixels; with @2 for two device pixels each',
        requiresArg: true,
      }),
  async run(args, terminal) {
    const { source, input } = await readVisit(args, terminal.json);
    if (args.best) {
      const beside = NOT_OF_BEST.find((name) => args[name] !== undefined && args[name] !== false);
      if ('at' in source || beside !== undefined)
        throw new FenestraError('USAGE', {
          what: `--best finds lines of the config for returns of its own, and --${beside ?? 'at'} is for other visits.`,
          fix: 'Leave one of them out.',
        });
      const { readBounds, visitBest } = await import('../visit-best.js');
      const { write, yes, 'stale-at-most': bounds = '1 hour' } = args;
      return visitBest(source.project, input, { bounds: readBounds(bounds), write, yes }, terminal);
    }
    if (args.write || args['stale-at-most'] !== undefined)
      throw new FenestraError('USAGE', {
        what: `--${args.write ? 'write' : 'stale-at-most'} is for the lines that --best finds.`,
        fix: 'Add --best, or leave it out.',
      });
    // What reads pages and styles is heavy, and only visits need it.
    const { visitLive, visitProject } = await import('../../jobs/visiting.js');
    const visited =
      'at' in source
        ? await visitLive(
            source.at,
            source.project,
            { ...input, ...readEndpointOptions(args) },
            terminal.progress,
          )
        : await visitProject(source.project, input, terminal.progress);
    const front = args.front ? countFront(visited.visits, visited.loads, visited.at) : undefined;
    terminal.print(
      formatVisits(
        visited,
        { connection: args.connection, viewport: args.viewport, inFull: args['in-full'] },
        terminal.paint,
      ),
    );
    if (args.report !== undefined) {
      const { renderVisitPage } = await import('../../report/html/pages.js');
      const context = { connection: args.connection, viewport: args.viewport, when: Date.now() };
      writeResult('--report', args.report, renderVisitPage(visited, context));
      terminal.print(`\n${terminal.paint.soft('written:')} ${args.report}`);
    }
    if (front) terminal.print(`\n${formatFrontVisits(visited.visits, front, terminal.paint)}`);
    terminal.printJson({ ...visitJson(visited), ...(front ? { front } : {}) });
    const didOtherwise = (visited.browsed?.differences.length ?? 0) > 0;
    return didOtherwise || visited.overBudget.length > 0 ? EXIT.found : EXIT.done;
  },
});
