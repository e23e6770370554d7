import { EXIT, FenestraError } from '../../core/errors/catalogue.js';
import { parseDuration } from '../../core/caching/duration.js';
import { isName, toName } from '../../core/dns/domain-name.js';
import type { Level } from '../../core/findings/finding.js';
import type { CheckedNames } from '../../core/dns/checked-names.js';
import { parsePlace, type ServerPlace } from '../../core/dns/server-place.js';
import { openProject } from '../../jobs/project/open-project.js';
import { namesJson, recordsJson } from '../../report/json/domain-json.js';
import { formatNames, formatRecords } from '../../report/text/domain-text.js';
import { defineCommand } from '../command.js';
import { failOnOption, inFullOption, toOption } from '../options.js';
import type { Terminal } from '../terminal.js';
import { awaitNames, describeWaiting } from '../../jobs/domain/await-names.js';

interface Args {
  readonly action: 'records' | 'check';
  readonly name: string | undefined;
  readonly to: string | undefined;
  readonly zone: string | undefined;
  readonly 'zone-file': string | undefined;
  readonly as: 'table' | 'zone';
  readonly ttl: string;
  readonly 'moving-on': string | undefined;
  readonly resolver: string | undefined;
  readonly root: string | undefined;
  readonly was: string | undefined;
  readonly wait: boolean;
  readonly timeout: string;
  readonly 'names-only': boolean;
  readonly 'in-full': boolean;
  readonly 'fail-on': Level;
}

export default defineCommand<Args>({
  positionals: '<action> [name]',
  describe:
    "The site's own host names: what records they need, what every name server says of them, and how long to wait and for what.",
  examples: [
    ['fenestra domain records --to live', 'what to enter at the provider of the names'],
    ['fenestra domain records --moving-on 2026-12-01', 'a move to other name servers, step by step'],
    ['fenestra domain check --wait', 'ask every name server, until everybody comes to the bucket'],
  ],
  options: (yargs) => {
    const own = toOption(
      yargs
        .positional('action', {
          choices: ['records', 'check'] as const,
          demandOption: true,
          describe: 'what to do',
        })
        .positional('name', { type: 'string', describe: 'one of the names; all of them without it' }),
    )
      .option('zone', { type: 'string', describe: 'the zone that the names are in', requiresArg: true })
      .option('zone-file', {
        type: 'string',
        describe: 'a master file of the zone: completed by records, looked through by check',
        requiresArg: true,
      })
      .option('as', {
        choices: ['table', 'zone'] as const,
        default: 'table' as const,
        describe: 'records: a table, or a zone file ready to import',
      })
      .option('ttl', {
        type: 'string',
        default: '1 hour',
        describe: 'records: the TTL that they are given',
        requiresArg: true,
      })
      .option('moving-on', {
        type: 'string',
        describe: 'records: the day of a move to other name servers, for a plan with dates',
        requiresArg: true,
      })
      .option('resolver', {
        type: 'string',
        describe: 'a resolver to ask, ADDRESS[:PORT], in place of every name server',
        requiresArg: true,
      })
      .option('root', {
        type: 'string',
        describe: 'the root of a private tree, ADDRESS[:PORT]',
        requiresArg: true,
      })
      .option('was', {
        type: 'string',
        describe: 'check: the name servers of before a move, with commas between them',
        requiresArg: true,
      })
      .option('wait', {
        type: 'boolean',
        default: false,
        describe: 'check: until everybody whose resolver keeps to the TTLs has the new answer',
      })
      .option('timeout', {
        type: 'string',
        default: '2 days',
        describe: 'check --wait: how long at most',
        requiresArg: true,
      })
      .option('names-only', {
        type: 'boolean',
        default: false,
        describe: "check: leave out asking the bucket's host under each name",
      });
    return inFullOption(
      failOnOption(own, 'check: the lowest level that ends with exit code 1'),
      'check: what every server says',
    );
  },
  async run(args, terminal) {
    const name = args.name === undefined ? undefined : readName(args.name, 'The name');
    const zone = args.zone === undefined ? undefined : readName(args.zone, '--zone');
    const place = readPlaces(args);
    const input = { name, zone, zoneFile: args['zone-file'], place };
    const project = await openProject(args);
    if (args.action === 'records') {
      const { listRecords } = await import('../../jobs/naming.js');
      const listed = await listRecords(project, {
        ...input,
        ttl: readSeconds(args.ttl, '--ttl'),
        movingOn: args['moving-on'] === undefined ? undefined : readDay(args['moving-on']),
      });
      terminal.print(
        args.as === 'zone'
          ? Object.values(listed.zones).join('\n').trimEnd()
          : formatRecords(listed, terminal.paint),
      );
      terminal.printJson(recordsJson(listed));
      return listed.faults.length > 0 ? EXIT.found : EXIT.done;
    }
    const { checkNames } = await import('../../jobs/naming.js');
    const was = (args.was ?? '')
      .split(',')
      .filter((server) => server.trim() !== '')
      .map((server) => readName(server.trim(), '--was'));
    const check = () =>
      checkNames(project, { ...input, was, askHosts: !args['names-only'] }, terminal.progress);
    if (!args.wait) {
      const checked = await check();
      terminal.print(formatNames(checked, terminal.paint, args['in-full']));
      terminal.printJson(namesJson(checked));
      return failing(checked.names, args['fail-on']) ? EXIT.found : EXIT.done;
    }
    return waitFor(check, readSeconds(args.timeout, '--timeout') * 1000, args, terminal);
  },
});

/** Whom names are asked of. */
interface NamesPlace {
  readonly resolver: ServerPlace | undefined;
  readonly root: ServerPlace | undefined;
}

const WEIGHT: Readonly<Record<Level, number>> = { note: 0, warning: 1, error: 2 };

const failing = (
  names: readonly { readonly findings: readonly { readonly level: Level }[] }[],
  failOn: Level,
): boolean => names.some(({ findings }) => findings.some(({ level }) => WEIGHT[level] >= WEIGHT[failOn]));

async function waitFor(
  check: () => Promise<CheckedNames>,
  timeoutMs: number,
  args: Args,
  terminal: Terminal,
): Promise<number> {
  let said = '';
  const { last, isDone, waited } = await awaitNames(check, timeoutMs, terminal.progress, (state) => {
    const words = describeWaiting(state, Date.now());
    // The same again is no news, but for the seconds in it.
    const plain = words.replace(/\d{1,9} s more/, '');
    if (plain !== said) terminal.remark(words);
    said = plain;
  });
  terminal.print(formatNames(last, terminal.paint, args['in-full']));
  terminal.printJson(namesJson(last, waited));
  return isDone && !failing(last.names, args['fail-on']) ? EXIT.done : EXIT.found;
}

function readName(text: string, what: string): string {
  const name = toName(text);
  if (isName(name)) return name;
  throw new FenestraError('USAGE', {
    what: `${what} "${text}" is no host name.`,
    fix: 'Give one such as www.mill.example.',
  });
}

function readPlaces({ resolver, root }: Args): NamesPlace {
  const read = (text: string | undefined, option: string): NamesPlace['root'] => {
    if (text === undefined) return undefined;
    const place = parsePlace(text);
    if (place) return place;
    throw new FenestraError('USAGE', {
      what: `${option} "${text}" is no address of a name server.`,
      fix: 'Give ADDRESS or ADDRESS:PORT, such as 192.0.2.53:53.',
    });
  };
  if (resolver !== undefined && root !== undefined)
    throw new FenestraError('USAGE', {
      what: '--resolver and --root exclude each other.',
      fix: 'With --root every name server is asked, with --resolver one that asks for you.',
    });
  return { resolver: read(resolver, '--resolver'), root: read(root, '--root') };
}

function readSeconds(text: string, option: string): number {
  const parsed = parseDuration(text);
  if ('seconds' in parsed && parsed.seconds <= 2 ** 31) return parsed.seconds;
  throw new FenestraError('USAGE', {
    what: `${option} "${text}" is no duration.`,
    fix: 'Give one such as "1 hour" or "30 minutes".',
  });
}

function readDay(text: string): number {
  const at = /^\d{4}-\d{2}-\d{2}(?:T\d{2}:\d{2})?$/.test(text)
    ? Date.parse(text.includes('T') ? `${text}Z` : `${text}T00:00Z`)
    : NaN;
  if (!Number.isNaN(at)) return at;
  throw new FenestraError('USAGE', {
    what: `--moving-on "${text}" is no day.`,
    fix: 'Give one such as 2026-12-01, or 2026-12-01T09:00 (UTC).',
  });
}
