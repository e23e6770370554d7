import { APP_PATHS, describeProposal, formatStarted } from '../../report/text/init-text.js';
import { startProject, type VersionedProposal } from '../../jobs/init/start-project.js';
import { CONFIG_NAME, findConfig } from '../../config/find-config.js';
import { assertWhole } from '../assert-whole.js';
import { defineCommand } from '../command.js';
import { endpointOptions, readEndpointOptions } from '../endpoint-options.js';
import type { Terminal } from '../terminal.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { ADOPT_RATE } from '../../jobs/adopt/limits.js';
import { readUrl } from '../../jobs/trace/read-request.js';

interface Args {
  readonly at: string | undefined;
  readonly fetch: string | undefined;
  readonly log: string | undefined;
  readonly mine: boolean;
  readonly 'at-most': number;
  readonly rate: number | undefined;
  readonly 'types-as-sent': boolean;
  readonly 'answer-time': number;
  readonly ca: string | undefined;
  readonly folder: string | undefined;
  readonly bucket: string | undefined;
  readonly anew: boolean;
}

/** What says how a published site is looked at, and nothing without one. */
const OF_A_SITE = ['fetch', 'log', 'mine', 'types-as-sent', 'rate'] as const;

export default defineCommand<Args>({
  positionals: '[folder]',
  describe:
    'Adopts a folder of built files, or starts a small site: writes fenestra.yaml with what it can see.',
  examples: [
    ['fenestra init', 'look for the built files here'],
    ['fenestra init dist --bucket wendle-mill', 'adopt a folder, with the bucket named'],
    [
      'fenestra init dist --at https://www.wendle-mill.example',
      'a site that is published already: the config does what its server does',
    ],
  ],
  groups: {
    'What is begun': ['anew', 'bucket'],
    'A site that is published': [
      'at',
      'fetch',
      'log',
      'mine',
      'at-most',
      'rate',
      'types-as-sent',
      'answer-time',
      'ca',
    ],
  },
  options: (yargs) =>
    endpointOptions(yargs)
      .positional('folder', { type: 'string', describe: 'the folder of built files' })
      .option('anew', {
        type: 'boolean',
        default: false,
        describe: 'start a small site in site/, whatever else is there',
      })
      .option('bucket', { type: 'string', describe: 'the name of the bucket', requiresArg: true })
      .option('at', {
        type: 'string',
        describe: 'a published site: look at it, and write a config that does what its server does',
        requiresArg: true,
      })
      .option('fetch', {
        type: 'string',
        describe:
          'a new folder: what the published site shows is written into it, where its files are not at hand',
        requiresArg: true,
      })
      .option('log', {
        type: 'string',
        describe:
          'an access log of the published site: what visitors ask for is looked at too, such as old addresses',
        requiresArg: true,
      })
      .option('mine', {
        type: 'boolean',
        default: false,
        describe: 'the published site is your own: its robots.txt is not obeyed',
      })
      .option('at-most', {
        type: 'number',
        default: 2000,
        describe: 'addresses that are looked at',
        requiresArg: true,
      })
      .option('rate', {
        type: 'number',
        describe: `requests a second at most; elsewhere than on this machine ${ADOPT_RATE}`,
        requiresArg: true,
      })
      .option('types-as-sent', {
        type: 'boolean',
        default: false,
        describe: 'keep types as they are written there, such as application/javascript',
      }),
  async run(args, terminal) {
    const { folder, bucket, anew, at } = args;
    // A project above is another one: here is where this one begins.
    const config = args.config === undefined ? CONFIG_NAME : findConfig(args.config);
    const askName = async (proposal: string): Promise<string> =>
      terminal.askText('Name of the bucket', proposal);
    const alone = at === undefined ? OF_A_SITE.find((name) => args[name]) : undefined;
    if (alone !== undefined)
      throw new FenestraError('USAGE', {
        what: `--${alone} is for a site that is published, and none was named.`,
        fix: 'Name it with --at URL, or leave the option out.',
      });
    if (at !== undefined) return adopt(at, args, config, { askName, terminal });
    const askVersioned = (proposal: VersionedProposal): Promise<boolean> =>
      terminal.askYes(describeProposal(proposal));
    const askAppPaths = (proposal: string): Promise<string> => terminal.askText(APP_PATHS, proposal);
    const started = await startProject({
      config,
      folder,
      bucket,
      anew,
      askName,
      askVersioned,
      askAppPaths,
    });
    terminal.print(formatStarted(started, config, terminal.paint));
    terminal.printJson({
      config: started.config,
      site: started.site,
      adopted: started.adopted,
      files: started.keys.length,
      bucket: started.bucket,
      ...(started.versioned
        ? { versioned: { patterns: started.versioned.patterns, inConfig: started.versioned.isTaken } }
        : {}),
      documents: {
        index: started.index,
        error: started.error ?? null,
        ...(started.appPaths ? { app: started.index, appPaths: started.appPaths } : {}),
      },
    });
    return undefined;
  },
});

/** @throws FenestraError USAGE, URL_…, ENDPOINT_DEAD, CONFIG_EXISTS */
async function adopt(
  at: string,
  args: Args,
  config: string,
  {
    askName,
    terminal,
  }: { readonly askName: (proposal: string) => Promise<string>; readonly terminal: Terminal },
): Promise<number | undefined> {
  const {
    folder,
    bucket,
    anew,
    fetch,
    log,
    mine,
    rate,
    'at-most': atMost,
    'types-as-sent': typesAsSent,
  } = args;
  if (anew)
    throw new FenestraError('USAGE', {
      what: '--at looks at a site that is there, and --anew starts another.',
      fix: 'Leave one of them out.',
    });
  if (fetch !== undefined && folder !== undefined)
    throw new FenestraError('USAGE', {
      what: `--fetch writes the site's files into a new folder, and ${folder} is one that is there.`,
      fix: 'Leave one of them out.',
    });
  assertWhole('at-most', atMost, 100_000);
  if (rate !== undefined) assertWhole('rate', rate, 1000);
  const { answerTime, ca } = readEndpointOptions(args);
  const url = readUrl(at);
  const { adoptSite } = await import('../../jobs/adopt/adopt-site.js');
  const { formatAdoption, groupDifferences } = await import('../../report/text/adopt-text.js');
  const asked = {
    config,
    at: url,
    folder,
    bucket,
    fetch,
    log,
    mine,
    atMost,
    rate,
    answerTime,
    ca,
    typesAsSent,
    askName,
  };
  const adopted = await adoptSite(asked, terminal.progress);
  const { learned } = adopted;
  terminal.print(formatAdoption(adopted, config, terminal.paint));
  terminal.printJson({
    config: adopted.config,
    at: adopted.at,
    site: adopted.siteAsWritten,
    files: adopted.files ?? null,
    bucket: adopted.bucket,
    asked: adopted.asked,
    objects: learned.objects.length,
    lines: learned.found.rules.length + (learned.found.otherwise ? 1 : 0),
    documents: { index: learned.index, error: learned.error ?? null },
    moved: learned.moved,
    quirks: learned.quirks,
    differences: groupDifferences(adopted.differences),
    notOnBuckets: adopted.notOnBuckets,
    notThere: adopted.notThere,
    notHere: adopted.notHere,
    passedOver: adopted.passedOver,
    byQuery: adopted.byQuery,
  });
  return undefined;
}
