import { EXIT, FenestraError } from '../../core/errors/catalogue.js';
import { CONNECTIONS, DEFAULT_CONNECTION, parseConnection } from '../../core/visiting/connection.js';
import { DEFAULT_SCREEN } from '../../core/visiting/screen.js';
import { parseMoments, parseScreen } from '../../core/visiting/visit-options.js';
import { findBrowser, isProgram } from '../../browser/find-browser.js';
import { openProject, type Project } from '../../jobs/project/open-project.js';
import { writeResult } from '../../jobs/project/write-result.js';
import type { WhatIf } from '../../jobs/visit/what-if.js';
import { readEndpoint } from '../../jobs/trace/read-request.js';
import { defineCommand } from '../command.js';
import { endpointOptions, readEndpointOptions } from '../endpoint-options.js';
import { inFullOption, toOption, type CommonArgs } from '../options.js';
import { countFront } from '../../core/visiting/front-visits.js';
import { formatFrontVisits } from '../../report/text/front-text.js';
import { formatVisits } from '../../report/text/visit-text.js';
import { visitJson } from '../../report/json/visit-json.js';

interface Args {
  readonly paths: readonly string[] | undefined;
  readonly to: string | undefined;
  readonly site: boolean;
  readonly unpublished: boolean;
  readonly after: string | undefined;
  readonly sequence: boolean;
  readonly reload: boolean;
  readonly front: boolean;
  readonly forced: boolean;
  readonly connection: string;
  readonly viewport: string;
  readonly browser: string | undefined;
  readonly at: string | undefined;
  readonly report: string | undefined;
  readonly 'answer-time': number;
  readonly ca: string | undefined;
  readonly 'in-full': boolean;
  readonly with: readonly string[] | undefined;
  readonly release: number | undefined;
}

export default defineCommand<Args>({
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
  ],
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
    if (args.browser !== undefined && args.sequence)
      throw new FenestraError('USAGE', {
        what: '--browser makes each return from the first visit, and --sequence asks for one after the other.',
        fix: 'Leave one of them out.',
      });
    const { program, page } = readBrowser(args.browser);
    const paths = [...page, ...[args.paths ?? []].flat()];
    if (args.site && paths.length > 0)
      throw new FenestraError('USAGE', {
        what: `--site visits every page, and ${paths.length === 1 ? 'one was' : `${paths.length} were`} named.`,
        fix: 'Leave --site or the pages out.',
      });
    if (args.report !== undefined && !/\.html?$/i.test(args.report))
      throw new FenestraError('USAGE', {
        what: `--report ${args.report} has no ending that is known.`,
        fix: 'Name a file that ends in .html; --json gives the same as data.',
      });
    const at = args.at === undefined ? undefined : readEndpoint(args.at);
    const besides = (['site', 'unpublished', 'with', 'release'] as const).find(
      (name) => args[name] !== undefined && args[name] !== false,
    );
    if (at && besides !== undefined)
      throw new FenestraError('USAGE', {
        what: `--at visits a live endpoint, and --${besides} is for what this project publishes.`,
        fix: `Leave --at or --${besides} out.`,
      });
    const line = parseConnection(args.connection);
    const project = at ? undefined : await openProject(args);
    const whatIf = project && (await readWhatIf(args, project));
    const input = {
      paths: paths.length > 0 ? paths : ['/'],
      everyPage: args.site,
      unpublished: args.unpublished,
      after: args.after === undefined ? undefined : parseMoments(args.after),
      inSequence: args.sequence,
      reload: args.reload,
      forced: args.forced,
      line,
      screen: parseScreen(args.viewport),
      inFull:
        args['in-full'] ||
        args.front ||
        terminal.json ||
        args.report !== undefined ||
        program !== undefined ||
        whatIf !== undefined,
      browser: program,
      whatIf,
    };
    // What reads pages and styles is heavy, and only visits need it.
    const { visitLive, visitProject } = await import('../../jobs/visiting.js');
    const visited = project
      ? await visitProject(project, input, terminal.progress)
      : await visitLive(
          at ?? readEndpoint(''),
          await projectBeside(args),
          { ...input, ...readEndpointOptions(args) },
          terminal.progress,
        );
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

/**
 * The browser's program. Words that follow the option and are no program are pages.
 * @throws FenestraError BROWSER_MISSING
 */
function readBrowser(value: string | undefined): { program: string | undefined; page: string[] } {
  if (value === undefined) return { program: undefined, page: [] };
  if (isProgram(value)) return { program: value, page: [] };
  const isPage = value.startsWith('/') && !/^\/(?:usr|opt|bin|home|snap)\//.test(value);
  const program = value === '' || isPage ? findBrowser() : undefined;
  if (program === undefined)
    throw new FenestraError('BROWSER_MISSING', {
      named: value === '' || isPage ? ' by its usual names' : `: ${value} is no program`,
    });
  return { program, page: isPage ? [value] : [] };
}

/** @throws FenestraError USAGE */
async function readWhatIf(
  { with: given, release }: Pick<Args, 'with' | 'release'>,
  { config }: Project,
): Promise<WhatIf | undefined> {
  if (given === undefined && release === undefined) return undefined;
  if (release !== undefined && !(Number.isSafeInteger(release) && release > 0))
    throw new FenestraError('USAGE', {
      what: '--release takes the number of a release.',
      fix: '`fenestra history` lists them.',
    });
  const lines = given ?? [];
  const { parseRuleLine } = await import('../../config/index.js');
  const rules = [];
  for (const [n, line] of lines.entries())
    rules.push(await parseRuleLine(line, '--with', config.assignments.rules.length + 1 + n));
  return { lines, rules, release };
}

/** The project whose rules may be behind what an endpoint sends: any site can be visited, also without one. */
async function projectBeside(args: Args & CommonArgs): Promise<Project | undefined> {
  try {
    return await openProject(args);
  } catch (error) {
    if (error instanceof FenestraError && error.code === 'CONFIG_MISSING' && args.config === undefined)
      return undefined;
    throw error;
  }
}
