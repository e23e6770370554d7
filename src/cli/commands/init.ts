import { APP_PATHS, describeProposal, formatStarted } from '../../report/text/init-text.js';
import { startProject, type VersionedProposal } from '../../jobs/init/start-project.js';
import { CONFIG_NAME, findConfig } from '../../config/find-config.js';
import { defineCommand } from '../command.js';

interface Args {
  readonly folder: string | undefined;
  readonly bucket: string | undefined;
  readonly anew: boolean;
}

export default defineCommand<Args>({
  positionals: '[folder]',
  describe:
    'Adopts a folder of built files, or starts a small site: writes fenestra.yaml with what it can see.',
  examples: [
    ['fenestra init', 'look for the built files here'],
    ['fenestra init dist --bucket wendle-mill', 'adopt a folder, with the bucket named'],
  ],
  options: (yargs) =>
    yargs
      .positional('folder', { type: 'string', describe: 'the folder of built files' })
      .option('anew', {
        type: 'boolean',
        default: false,
        describe: 'start a small site in site/, whatever else is there',
      })
      .option('bucket', { type: 'string', describe: 'the name of the bucket', requiresArg: true }),
  async run(args, terminal) {
    const { folder, bucket, anew } = args;
    // A project above is another one: here is where this one begins.
    const config = args.config === undefined ? CONFIG_NAME : findConfig(args.config);
    const askName = async (proposal: string): Promise<string> =>
      terminal.askText('Name of the bucket', proposal);
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
