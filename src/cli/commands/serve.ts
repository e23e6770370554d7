import { isoMoment } from '../../core/words/moments.js';
import { createWriteStream } from 'node:fs';
import { FenestraError } from '../../core/errors/catalogue.js';
import { headersToRecord } from '../../core/hosting/answer.js';
import { countOf } from '../../core/words/counts.js';
import { nearestWord } from '../../core/words/nearest-word.js';
import { servedFormat, SHOWN_HEADERS } from '../../report/text/serve-text.js';
import { MAX_CONNECTIONS } from '../../server/bounds.js';
import type { Served } from '../../server/served.js';
import { defineCommand } from '../command.js';
import { LineBatch } from '../line-batch.js';
import type { Terminal } from '../terminal.js';
import type { Serving } from '../../jobs/host/serve.js';
import { DEFAULT_PORT, openProject } from '../../jobs/project/open-project.js';
import { bareAddress, bucketAddress, formatExposed, formatServing } from '../../report/text/serving-text.js';
import { describeFix } from '../../report/text/fix-text.js';
import { toOption } from '../options.js';
import {
  sidecarOptions,
  checkSidecars,
  serveSidecars,
  type Sidecars,
  type SidecarArgs,
} from '../serve-sidecars.js';
import { untilStopped } from '../until-stopped.js';

interface Args extends SidecarArgs {
  readonly to: string | undefined;
  readonly port: number;
  readonly host: string;
  readonly unpublished: boolean;
  readonly show: string | undefined;
  readonly annotate: boolean;
  readonly connections: number;
  readonly quiet: boolean;
  readonly log: string | undefined;
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
  options: (yargs) => {
    const own = toOption(
      yargs,
      'the destination whose store, or whose settings with --unpublished, are meant',
    )
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
        default: MAX_CONNECTIONS,
        describe: 'how many may be open at once; half of them from one address',
        requiresArg: true,
      })
      .option('quiet', { type: 'boolean', default: false, describe: 'no log on the terminal', alias: 'q' })
      .option('log', {
        type: 'string',
        describe: 'append the log to a file as JSON lines',
        requiresArg: true,
      });
    return sidecarOptions(own);
  },
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
    checkSidecars(args);
    const formatServed = servedFormat(terminal.paint, readShow(args.show));
    // Loaded by those commands alone that serve.
    const { serve } = await import('../../jobs/serving.js');
    const project = await openProject(args);
    const logFile = args.log === undefined ? undefined : createWriteStream(args.log, { flags: 'a' });
    const shown = new LineBatch(
      { write: (text) => terminal.print(text.slice(0, -1)), unread: () => terminal.unread() },
      (lines) => `${countOf(lines, 'line')} left out: nobody took them.\n`,
    );
    const logged =
      logFile &&
      new LineBatch(
        { write: (text) => void logFile.write(text), unread: () => logFile.writableLength },
        (lines) => `${JSON.stringify({ at: isoMoment(Date.now()), linesLeftOut: lines })}\n`,
      );
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
                  if (!args.quiet) shown.add(`${formatServed(served)}\n`);
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
      let beside: Sidecars | undefined;
      try {
        beside = await serveSidecars(project, serving, args, terminal, (text) => {
          if (!args.quiet) shown.add(`${text}\n`);
        });
        announce(serving, args, terminal, beside);
        await untilStopped();
        terminal.remark('Stopping; what is under way is finished first.');
      } finally {
        await beside?.close();
        await serving.close();
      }
    } finally {
      shown.end();
      logged?.end();
      logFile?.end();
    }
    return undefined;
  },
});

function readShow(words: string | undefined): string[] {
  return (words ?? '')
    .split(',')
    .filter((word) => word.trim() !== '')
    .flatMap((word) => {
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
  `${JSON.stringify({ ...served, at: isoMoment(served.at), headers: headersToRecord(served.headers) })}\n`;

function announce(serving: Serving, args: Args, terminal: Terminal, beside: Sidecars): void {
  const { host, port, buckets, places } = serving;
  terminal.print(formatServing(serving, args.unpublished, terminal.paint));
  for (const text of beside.texts) terminal.print(`\n${text}`);
  terminal.printJson({
    address: bareAddress(host, port),
    port,
    buckets: buckets.map((bucket) => ({ bucket, address: bucketAddress(bucket, port, places.get(bucket)) })),
    ...beside.json,
  });
  const exposed = formatExposed(host, terminal.paint);
  if (exposed !== undefined) terminal.remark(exposed);
}
