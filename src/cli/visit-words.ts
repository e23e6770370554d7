/** The words of `fenestra visit`: what is visited, and how. */
import { FenestraError } from '../core/errors/catalogue.js';
import { parseConnection } from '../core/visiting/connection.js';
import { parseMoments, parseScreen } from '../core/visiting/visit-options.js';
import { findBrowser, isProgram } from '../browser/find-browser.js';
import { openProject, type Project } from '../jobs/project/open-project.js';
import { placeOfSite } from '../jobs/project/site-place.js';
import { readEndpoint } from '../jobs/trace/read-request.js';
import type { VisitInput } from '../jobs/visit/conclude.js';
import type { WhatIf } from '../jobs/visit/what-if.js';
import type { CommonArgs } from './options.js';

export interface VisitArgs {
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
  readonly best: boolean;
  readonly 'stale-at-most': string | undefined;
  readonly write: boolean;
  readonly yes: boolean;
}

/** A live endpoint, with the project whose rules may be behind what it sends; or a project. */
export type VisitSource =
  { readonly at: URL; readonly project: Project | undefined } | { readonly project: Project };

/** @param json whether all of it is printed as data @throws FenestraError USAGE, BROWSER_MISSING, URL_INVALID, CONFIG_… */
export async function readVisit(
  args: VisitArgs & CommonArgs,
  json: boolean,
): Promise<{ readonly source: VisitSource; readonly input: VisitInput }> {
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
  const beside = args.at === undefined ? undefined : await projectBeside(args);
  const at = args.at === undefined ? undefined : readEndpoint(args.at, beside && placeOfSite(beside));
  const besides = (['site', 'unpublished', 'with', 'release'] as const).find(
    (name) => args[name] !== undefined && args[name] !== false,
  );
  if (at && besides !== undefined)
    throw new FenestraError('USAGE', {
      what: `--at visits a live endpoint, and --${besides} is for what this project publishes.`,
      fix: `Leave --at or --${besides} out.`,
    });
  const line = parseConnection(args.connection);
  const source = at ? { at, project: beside } : { project: await openProject(args) };
  const whatIf = 'at' in source ? undefined : await readWhatIf(args, source.project);
  const input: VisitInput = {
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
      json ||
      args.report !== undefined ||
      program !== undefined ||
      whatIf !== undefined,
    browser: program,
    whatIf,
  };
  return { source, input };
}

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
  { with: given, release }: Pick<VisitArgs, 'with' | 'release'>,
  { config }: Project,
): Promise<WhatIf | undefined> {
  if (given === undefined && release === undefined) return undefined;
  if (release !== undefined && !(Number.isSafeInteger(release) && release > 0))
    throw new FenestraError('USAGE', {
      what: '--release takes the number of a release.',
      fix: '`fenestra history` lists them.',
    });
  const lines = given ?? [];
  const { parseRuleLine } = await import('../config/index.js');
  const rules = [];
  for (const [n, line] of lines.entries())
    rules.push(await parseRuleLine(line, '--with', config.assignments.rules.length + 1 + n));
  return { lines, rules, release };
}

/** The project whose rules may be behind what an endpoint sends: any site can be visited, also without one. */
async function projectBeside(args: VisitArgs & CommonArgs): Promise<Project | undefined> {
  try {
    return await openProject(args);
  } catch (error) {
    if (error instanceof FenestraError && error.code === 'CONFIG_MISSING' && args.config === undefined)
      return undefined;
    throw error;
  }
}
