/** What `serve` does beside hosting: the front before the buckets, and name servers that move. */
import { setFlagsFromString } from 'node:v8';
import type { Argv } from 'yargs';
import { FenestraError } from '../core/errors/catalogue.js';
import { hostsOf } from '../core/hosting/bucket-view.js';
import { OLD_ZONES, type OldZone } from '../core/dns/rehearse-move.js';
import type { Rehearsal } from '../jobs/domain/rehearse-names.js';
import type { Serving } from '../jobs/host/serve.js';
import type { ServingFront } from '../jobs/host/serve-front.js';
import type { Project } from '../jobs/project/open-project.js';
import { writeResult } from '../jobs/project/write-result.js';
import type { Terminal } from './terminal.js';
import { formatFront, formatTrust, formatFrontServed } from '../report/text/front-text.js';
import { formatRehearsal, formatRehearsalEvent } from '../report/text/rehearsal-text.js';
import { rehearsalJson } from '../report/json/domain-json.js';
import { rehearseNames } from '../jobs/domain/rehearse-names.js';
import { renderRehearsalPage } from '../report/html/rehearsal-page.js';

/** Where the front answers https, where it sends on from http, and where look-ups are answered. */
const [FRONT_PORT, FRONT_PLAIN_PORT, NAMES_PORT] = [4443, 4480, 4653];

export interface SidecarArgs {
  readonly quiet: boolean;
  readonly front: boolean;
  readonly 'front-port': number;
  readonly 'front-plain-port': number;
  readonly trust: boolean;
  readonly names: boolean;
  readonly 'names-port': number;
  readonly 'names-speed': number;
  readonly 'names-old': OldZone;
  readonly 'names-report': string | undefined;
}

export interface Sidecars {
  /** To be printed when serving begins. */
  readonly texts: readonly string[];
  readonly json: object;
  close(): Promise<void>;
}

export const sidecarOptions = <T>(yargs: Argv<T>) =>
  yargs
    .option('front', {
      type: 'boolean',
      default: false,
      describe: 'stand before the buckets as the config says: https, and a cache for everybody',
    })
    .option('front-port', {
      type: 'number',
      default: FRONT_PORT,
      describe: 'with --front, where https answers; 0 takes any free port',
      requiresArg: true,
    })
    .option('front-plain-port', {
      type: 'number',
      default: FRONT_PLAIN_PORT,
      describe: 'with --front, where http is sent on from; 0 takes any free port',
      requiresArg: true,
    })
    .option('trust', {
      type: 'boolean',
      default: false,
      describe: 'with --front, say how a browser is told to trust its certificates; nothing is installed',
    })
    .option('names', {
      type: 'boolean',
      default: false,
      describe:
        'answer look-ups of the domains too, as a resolver does while they move to other name servers',
    })
    .option('names-port', {
      type: 'number',
      default: NAMES_PORT,
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
    });

/** @throws FenestraError USAGE */
export function checkSidecars(args: SidecarArgs): void {
  for (const name of ['front-port', 'front-plain-port', 'names-port'] as const)
    if (!Number.isInteger(args[name]) || args[name] < 0 || args[name] > 65_535)
      throw new FenestraError('USAGE', {
        what: `--${name} ${args[name]} is not a port.`,
        fix: 'Give a number from 0 to 65535.',
      });
  if (!(args['names-speed'] >= 1 && args['names-speed'] <= 1e6))
    throw new FenestraError('USAGE', {
      what: `--names-speed ${args['names-speed']} is not a speed.`,
      fix: 'Give how many seconds of the move pass in one, from 1 to 1000000.',
    });
}

/**
 * Starts what was asked for. @param log takes a line for each answer of the front
 * @throws FenestraError NAMES_NONE, PORT_IN_USE, AUTHORITY_UNWRITABLE
 */
export async function serveSidecars(
  project: Project,
  serving: Serving,
  args: SidecarArgs,
  terminal: Terminal,
  log: (text: string) => void,
): Promise<Sidecars> {
  const front =
    args.front || args.trust ? await startFront(project, serving, args, terminal, log) : undefined;
  try {
    const rehearsal = args.names ? await startRehearsal(project, args, terminal) : undefined;
    const texts: string[] = [];
    if (front) {
      texts.push(formatFront(front, serving.buckets, terminal.paint));
      if (args.trust) texts.push(formatTrust(front, terminal.paint));
    }
    if (rehearsal) {
      texts.push(`${formatRehearsal(rehearsal, args['names-speed'], terminal.paint)}\n`);
    }
    return {
      texts,
      json: {
        ...(front
          ? {
              front: {
                port: front.port,
                plainPort: front.plainPort,
                hosts: front.hosts,
                authority: front.authority.path,
                shared: front.shared,
              },
            }
          : {}),
        ...(rehearsal ? { names: rehearsalJson(rehearsal) } : {}),
      },
      async close() {
        await rehearsal?.close();
        await front?.close();
      },
    };
  } catch (error) {
    await front?.close();
    throw error;
  }
}

async function startFront(
  project: Project,
  { host, buckets, behindFront }: Serving,
  args: SidecarArgs,
  terminal: Terminal,
  log: (text: string) => void,
): Promise<ServingFront> {
  // Strangers make garbage as fast as they like: left to itself the heap grows to several times what is held.
  setFlagsFromString('--heap-growing-percent=30');
  const { serveFront } = await import('../jobs/serving.js');
  return serveFront(project, {
    host,
    port: args['front-port'],
    plainPort: args['front-plain-port'],
    behindFront,
    buckets,
    ...(args.quiet ? {} : { onServed: (served) => log(formatFrontServed(served, terminal.paint)) }),
  });
}

/** Plays a move of the project's names beside the serving. @throws FenestraError NAMES_NONE, PORT_IN_USE */
async function startRehearsal(project: Project, args: SidecarArgs, terminal: Terminal): Promise<Rehearsal> {
  const { destination } = project;
  if (hostsOf(destination.settings).length === 0)
    throw new FenestraError('NAMES_NONE', { destination: destination.name });
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
    writeResult('--names-report', report, renderRehearsalPage(rehearsal.names, rehearsal.played, Date.now()));
  }
  return rehearsal;
}
