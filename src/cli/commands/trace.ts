import { FenestraError } from '../../core/errors/catalogue.js';
import type { WebRequest } from '../../core/hosting/answer.js';
import { headerOf } from '../../core/hosting/answer.js';
import { traceRequest, type Trace } from '../../core/hosting/trace.js';
import { createCascade } from '../../core/assign/cascade.js';
import { parseKey } from '../../core/site/key.js';
import { readSiteKeys } from '../work/site-keys.js';
import { formatTrace, type LiveHeader, type TraceView } from '../../report/text/trace-text.js';
import { defineCommand } from '../command.js';
import { readUrl } from '../work/read-url.js';
import { needBucket, openProject, withStore } from '../work/project.js';

interface Args {
  readonly address: string;
  readonly to: string | undefined;
  readonly method: string;
  readonly header: readonly string[];
  readonly at: string | undefined;
}

export default defineCommand<Args>({
  positionals: '<address>',
  describe: 'Says why an address answers as it does: each step, the rule behind each header, the cure.',
  examples: [
    ['fenestra trace /drafts/plan.html', 'why it is refused'],
    ["fenestra trace /film/wheel.mp4 --header 'Range: bytes=0-99'", 'a request with a header'],
    [
      'fenestra trace / --at https://www.mill.example/',
      'what a live endpoint really sent, beside what it must',
    ],
  ],
  options: (yargs) =>
    yargs
      .positional('address', { type: 'string', demandOption: true, describe: 'a path, or a whole URL' })
      .option('to', {
        type: 'string',
        describe: 'the destination, when it is not the first',
        requiresArg: true,
      })
      .option('method', { type: 'string', default: 'GET', describe: 'the request method', requiresArg: true })
      .option('header', {
        type: 'string',
        array: true,
        default: [] as string[],
        describe: "a request header, 'Name: value'",
        requiresArg: true,
      })
      .option('at', { type: 'string', describe: 'a live endpoint to ask the same', requiresArg: true }),
  async run(args, terminal) {
    const request = readRequest(args);
    const at = args.at === undefined ? undefined : readUrl(args.at);
    const project = await openProject(args);
    const { bucket } = project.destination;
    await withStore(project, async (store) => {
      const state = await needBucket(store, bucket);
      const view = store.view(bucket);
      if (!view) throw new FenestraError('BUCKET_MISSING', { store: store.name, name: bucket, nearest: '' });
      const site = readSiteKeys(project);
      const trace = traceRequest(
        request,
        view,
        {
          bucket,
          settings: state.settings,
          keys: () => [...store.listObjects(bucket)].map(({ key }) => key),
          inSite: (key) => site().has(key),
          removedIn: (key) => store.removedIn(bucket, key),
        },
        createCascade(project.config.assignments).decide,
      );
      const url = new URL(request.target, at ?? project.address).href;
      const live = at ? await askLive(at, request, trace) : undefined;
      const { answer, headers, steps, fix } = trace;
      terminal.print(
        formatTrace(
          {
            method: request.method,
            url,
            status: answer.status,
            because: answer.because,
            headers,
            steps,
            fix,
            ...(live ? { live } : {}),
          },
          terminal.paint,
        ),
      );
      terminal.printJson({
        url,
        status: answer.status,
        headers: Object.fromEntries(headers.map(({ name, value }) => [name, value])),
        ...(answer.key === undefined ? {} : { key: answer.key }),
        reason: answer.reason,
        steps,
        decidedBy: Object.fromEntries(headers.map(({ name, because }) => [name, because])),
        ...(fix === undefined ? {} : { fix }),
        ...(live ? { live } : {}),
      });
    });
    return undefined;
  },
});

function readRequest(args: Args): WebRequest {
  const method = args.method.toUpperCase();
  if (!/^[!#$%&'*+.^_`|~0-9A-Z-]+$/.test(method))
    throw new FenestraError('USAGE', {
      what: `--method "${args.method}" is not a method.`,
      fix: 'Give one such as GET or HEAD.',
    });
  const headers: Record<string, string> = {};
  for (const line of args.header) {
    const match = /^([!#$%&'*+.^_`|~0-9A-Za-z-]+):\s*(.*)$/.exec(line);
    if (!match?.[1])
      throw new FenestraError('USAGE', {
        what: `--header "${line}" is not a header line.`,
        fix: "Write it as 'Name: value'.",
      });
    headers[match[1].toLowerCase()] = match[2] ?? '';
  }
  const absolute = /^https?:\/\//i.test(args.address);
  const target = absolute
    ? targetOf(readUrl(args.address), args.address)
    : args.address.startsWith('/')
      ? args.address
      : `/${args.address}`;
  return { method, target: encodeBare(target), headers };
}

/** The path as typed, since parsing a URL would take its dot segments away. */
const targetOf = (url: URL, typed: string): string =>
  /^https?:\/\/[^/?#]*([/?][^#]*)/i.exec(typed)?.[1]?.replace(/^\?/, '/?') ?? url.pathname;

/** Letters that a shell lets one type and that a browser would percent-encode. */
const encodeBare = (target: string): string =>
  parseKey(target).fault === undefined
    ? target.replace(/[^\x21-\x7e]+/g, (letters) => encodeURIComponent(letters))
    : target;

async function askLive(
  at: URL,
  request: WebRequest,
  { answer }: Trace,
): Promise<NonNullable<TraceView['live']>> {
  const { askEndpoint, createAgent, reasonOf } = await import('../../endpoint/index.js');
  const agent = createAgent({ connections: 1, timeoutMs: 10_000 });
  try {
    const observed = await askEndpoint(at, request, agent).catch((error: unknown) => {
      throw new FenestraError('ENDPOINT_DEAD', { url: at.href, reason: reasonOf(error) }, error);
    });
    const expected = answer.headers.filter((_, index) => index % 2 === 0);
    const got = (name: string): string | undefined => {
      const value = observed.headers[name.toLowerCase()];
      return Array.isArray(value) ? value.join(', ') : value;
    };
    const others = Object.keys(observed.headers).filter(
      (name) =>
        !expected.some((each) => each.toLowerCase() === name) &&
        !['date', 'connection', 'keep-alive', 'transfer-encoding'].includes(name),
    );
    const headers: LiveHeader[] = [...expected, ...others].map((name) => ({
      name,
      expected: headerOf(answer.headers, name),
      observed: got(name),
    }));
    const whole = answer.body.kind === 'object' && !answer.body.range && request.method === 'GET';
    return {
      at: at.host,
      status: observed.status,
      headers,
      sameBytes:
        whole && answer.body.kind === 'object' ? observed.digest === answer.body.object.digest : undefined,
    };
  } finally {
    await agent.destroy();
  }
}
