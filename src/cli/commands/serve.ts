import { createWriteStream } from 'node:fs';
import { FenestraError } from '../../core/errors/catalogue.js';
import { headersToRecord } from '../../core/hosting/answer.js';
import { nearestWord } from '../../core/words/nearest-word.js';
import { formatServed, SHOWN_HEADERS } from '../../report/text/serve-text.js';
import { MOST_CONNECTIONS } from '../../server/bounds.js';
import type { Served } from '../../server/served.js';
import { writeResult } from '../../jobs/project/write-result.js';
import { defineCommand } from '../command.js';
import { LineBatch } from '../line-batch.js';
import type { Terminal } from '../terminal.js';
import type { Serving } from '../../jobs/host/serve.js';
import { DEFAULT_PORT, openProject } from '../../jobs/project/open-project.js';
import { bareAddress, bucketAddress, formatExposed, formatServing } from '../../report/text/serving-text.js';
import { describeFix } from '../../report/text/fix-text.js';
import { toOption } from '../options.js';
import { untilStopped } from '../until-stopped.js';
import { hostsOf } from '../../core/hosting/bucket-view.js';
import { OLD_ZONES, type OldZone } from '../../core/naming/rehearse-move.js';
import type { Rehearsal } from '../../jobs/domain/rehearse-names.js';
import type { Project } from '../../jobs/project/open-project.js';
import { rehearsalJson } from '../../report/json/domain-json.js';
import { formatRehearsal } from '../../report/text/rehearsal-text.js';

/** Where look-ups are answered without --names-port. */
const DEFAULT_NAMES_PORT = 4653;

interface Args {
  readonly to: string | undefined;
  readonly port: number;
  readonly host: string;
  readonly unpublished: boolean;
  readonly show: string | undefined;
  readonly annotate: boolean;
  readonly connections: number;
  readonly quiet: boolean;
  readonly log: string | undefined;
  readonly names: boolean;
  readonly 'names-port': number;
  readonly 'names-speed': number;
  readonly 'names-old': OldZone;
  readonly 'names-report': string | undefined;
}

export default defineCommand<Args>({
  describe: 'Hosts the buckets of the embedded store as a bucket host would, each under its own host name.',
  examples: [
    ['fenestra serve', 'every bucket, at http://NAME.localhost:4680/'],
    [
      'fenestra serve --unpublished --show type,cache',
      'the folder as it would be published, with headers in the log',
    ],
  ],
  options: (yargs) =>
    toOption(yargs, 'the destination whose store, or whose settings with --unpublished, are meant')
      .option('port', {
        type: 'number',
        default: DEFAULT_PORT,
        describe: 'where to listen; 0 takes any free port',
        requiresArg: true,
      })
      .option('host', {
        type: 'string',
        default: '127.0.0.1',
        describe: 'the address to listen on',
        requiresArg: true,
      })
      .option('unpublished', {
        type: 'boolean',
        default: false,
        describe: 'host the site folder as it would be published, open, and follow edits',
      })
      .option('show', {
        type: 'string',
        describe: `headers to add to the log: ${Object.keys(SHOWN_HEADERS).join(', ')}`,
        requiresArg: true,
      })
      .option('annotate', {
        type: 'boolean',
        default: false,
        describe: 'add a response header that names the reason',
      })
      .option('connections', {
        type: 'number',
        default: MOST_CONNECTIONS,
        describe: 'how many may be open at once; half of them from one address',
        requiresArg: true,
      })
      .option('quiet', { type: 'boolean', default: false, describe: 'no log on the terminal', alias: 'q' })
      .option('log', {
        type: 'string',
        describe: 'append the log to a file as JSON lines',
        requiresArg: true,
      })
      .option('names', {
        type: 'boolean',
        default: false,
        describe:
          'answer look-ups of the domains too, as a resolver does while they move to other name servers',
      })
      .option('names-port', {
        type: 'number',
        default: DEFAULT_NAMES_PORT,
        describe: 'with --names, where to answer; 0 takes any free port',
        requiresArg: true,
      })
      .option('names-speed', {
        type: 'number',
        default: 3600,
        describe: 'with --names, how many seconds of the move pass in one',
        requiresArg: true,
      })
      .option('names-old', {
        choices: OLD_ZONES,
        default: 'old records' as const,
        describe: 'with --names, what the old zone holds after the move',
      })
      .option('names-report', {
        type: 'string',
        describe: 'with --names, write the line of time as a page',
        requiresArg: true,
      }),
  async run(args, terminal) {
    if (!Number.isInteger(args.port) || args.port < 0 || args.port > 65_535) {
      throw new FenestraError('USAGE', {
        what: `--port ${args.port} is not a port.`,
        fix: 'Give a number from 0 to 65535.',
      });
    }
    if (!Number.isInteger(args.connections) || args.connections < 2 || args.connections > 100_000) {
      throw new FenestraError('USAGE', {
        what: `--connections ${args.connections} is not a number of connections.`,
        fix: 'Give a whole number from 2 to 100000.',
      });
    }
    if (!(args['names-speed'] >= 1 && args['names-speed'] <= 1e6))
      throw new FenestraError('USAGE', {
        what: `--names-speed ${args['names-speed']} is not a speed.`,
        fix: 'Give how many seconds of the move pass in one, from 1 to 1000000.',
      });
    const show = readShow(args.show);
    // Loaded by those commands alone that serve.
    const { serve } = await import('../../jobs/host/serve.js');
    const project = await openProject(args);
    const logFile = args.log === undefined ? undefined : createWriteStream(args.log, { flags: 'a' });
    const shown = new LineBatch((text) => terminal.print(text.slice(0, -1)));
    const logged = logFile && new LineBatch((text) => void logFile.write(text));
    logFile?.on('error', (error) =>
      terminal.remark(`The log ${args.log ?? ''} cannot be written: ${error.message}`),
    );
    try {
      const serving = await serve(
        project,
        {
          host: args.host,
          port: args.port,
          unpublished: args.unpublished,
          annotate: args.annotate,
          connections: args.connections,
          describeFix: (fix) => describeFix(fix, terminal.paint.command),
          ...(args.quiet && !logFile
            ? {}
            : {
                onServed: (served: Served) => {
                  if (!args.quiet) shown.add(`${formatServed(served, terminal.paint, show)}\n`);
                  logged?.add(formatLogged(served));
                },
              }),
          onFailure: (error) =>
            terminal.remark(
              `${error instanceof FenestraError ? `${error.message} ${error.fix}` : `Fenestra itself failed: ${String(error)}`}`,
            ),
        },
        terminal.progress,
      );
      let rehearsal: Rehearsal | undefined;
      try {
        rehearsal = args.names ? await startRehearsal(project, args, terminal) : undefined;
        announce(serving, args, terminal, rehearsal);
        await untilStopped();
        terminal.remark('Stopping; what is under way is finished first.');
      } finally {
        await rehearsal?.close();
        await serving.close();
      }
    } finally {
      shown.flush();
      logged?.flush();
      logFile?.end();
    }
    return undefined;
  },
});

function readShow(words: string | undefined): string[] {
  return (words ?? '')
    .split(',')
    .filter((word) => word.trim() !== '')
    .map((word) => {
      const header = Object.hasOwn(SHOWN_HEADERS, word.trim()) ? SHOWN_HEADERS[word.trim()] : undefined;
      if (header !== undefined) return header;
      const near = nearestWord(word, Object.keys(SHOWN_HEADERS));
      throw new FenestraError('USAGE', {
        what: `--show cannot show "${word}".`,
        fix:
          near === undefined ? `It takes ${Object.keys(SHOWN_HEADERS).join(', ')}.` : `Did you mean ${near}?`,
      });
    });
}

const formatLogged = (served: Served): string =>
  `${JSON.stringify({ ...served, at: new Date(served.at).toISOString(), headers: headersToRecord(served.headers) })}\n`;

/** Plays a move of the project's names beside the serving. @throws FenestraError NAMES_NONE, PORT_IN_USE */
async function startRehearsal(project: Project, args: Args, terminal: Terminal): Promise<Rehearsal> {
  const { destination } = project;
  if (hostsOf(destination.settings).length === 0)
    throw new FenestraError('NAMES_NONE', { destination: destination.name });
  const { rehearseNames } = await import('../../jobs/domain/rehearse-names.js');
  const { formatRehearsalEvent } = await import('../../report/text/rehearsal-text.js');
  const rehearsal: Rehearsal = await rehearseNames(project, {
    host: '127.0.0.1',
    port: args['names-port'],
    speed: args['names-speed'],
    oldZone: args['names-old'],
    onEvent: (event) => {
      if (!args.quiet) terminal.print(formatRehearsalEvent(event, rehearsal.played, terminal.paint));
    },
  });
  const report = args['names-report'];
  if (report !== undefined) {
    const { renderRehearsalPage } = await import('../../report/html/rehearsal-page.js');
    writeResult('--names-report', report, renderRehearsalPage(rehearsal.names, rehearsal.played, Date.now()));
  }
  return rehearsal;
}

function announce(serving: Serving, args: Args, terminal: Terminal, rehearsal?: Rehearsal): void {
  const { host, port, buckets } = serving;
  terminal.print(formatServing(serving, args.unpublished, terminal.paint));
  if (rehearsal) terminal.print(`\n${formatRehearsal(rehearsal, args['names-speed'], terminal.paint)}\n`);
  terminal.printJson({
    address: bareAddress(host, port),
    port,
    buckets: buckets.map((bucket) => ({ bucket, address: bucketAddress(bucket, port) })),
    ...(rehearsal ? { names: rehearsalJson(rehearsal) } : {}),
  });
  const exposed = formatExposed(host, terminal.paint);
  if (exposed !== undefined) terminal.remark(exposed);
}
