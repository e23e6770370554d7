import { EXIT, FenestraError } from '../../core/errors/catalogue.js';
import type { WebRequest } from '../../core/hosting/answer.js';
import { headersToRecord } from '../../core/hosting/answer.js';
import { frontUseOf } from '../../core/caching/front-use.js';
import { usableFrom } from '../../core/visiting/held-copy.js';
import { openProject } from '../../jobs/project/open-project.js';
import { withStoreThere } from '../../jobs/project/open-store.js';
import { askLive } from '../../jobs/trace/ask-live.js';
import { readEndpoint, readTraceRequest } from '../../jobs/trace/read-request.js';
import { placeOfSite } from '../../jobs/project/site-place.js';
import { readHeld } from '../../jobs/trace/read-held.js';
import { addressOfRequest, traceAddress } from '../../jobs/trace/trace-address.js';
import { traceJson } from '../../report/json/trace-json.js';
import { describeFix } from '../../report/text/fix-text.js';
import { describeFront, describeHeld, describeUsable } from '../../report/text/cached-copy-text.js';
import { differs, formatTrace } from '../../report/text/trace-text.js';
import { commandFor } from '../command-for.js';
import { defineCommand } from '../command.js';
import { endpointOptions, readEndpointOptions } from '../endpoint-options.js';
import { toOption } from '../options.js';
import { readReleaseNumber } from '../../jobs/history/read-release-number.js';

interface Args {
  readonly address: string;
  readonly to: string | undefined;
  readonly method: string;
  readonly header: readonly string[];
  readonly at: string | undefined;
  readonly 'answer-time': number;
  readonly ca: string | undefined;
  readonly front: boolean;
  readonly 'browser-has': string | undefined;
}

export default defineCommand<Args>({
  positionals: '<address>',
  describe: 'Says why an address answers as it does: each step, the rule behind each header, the cure.',
  examples: [
    ['fenestra trace /drafts/plan.html', 'why it is refused'],
    ["fenestra trace /film/wheel.mp4 --header 'Range: bytes=0-99'", 'a request with a header'],
    ['fenestra trace /styles/site.css --browser-has 3', 'why somebody still sees the old one'],
    [
      'fenestra trace / --at https://www.mill.example/',
      'what a live endpoint really sends, beside what it must',
    ],
  ],
  options: (yargs) =>
    endpointOptions(
      toOption(
        yargs.positional('address', {
          type: 'string',
          demandOption: true,
          describe: 'a path, or a whole URL, whose host then names the bucket',
        }),
      ),
    )
      .option('method', { type: 'string', default: 'GET', describe: 'the request method', requiresArg: true })
      .option('header', {
        type: 'string',
        array: true,
        // One each: what follows is the address.
        nargs: 1,
        default: [] as string[],
        describe: "a request header, 'Name: value'",
        requiresArg: true,
      })
      .option('at', { type: 'string', describe: 'a live endpoint to ask the same', requiresArg: true })
      .option('front', {
        type: 'boolean',
        default: false,
        describe: 'what a shared cache before the bucket does with the answer',
      })
      .option('browser-has', {
        type: 'string',
        describe:
          'the number of a release: what a browser that loaded it shows of this address now, and what makes it go away',
        requiresArg: true,
      }),
  async run(args, terminal) {
    const { request, url: whole } = readRequest(args);
    const has = args['browser-has'] === undefined ? undefined : readReleaseNumber(args['browser-has']);
    const settings = readEndpointOptions(args);
    const project = await openProject(args);
    const at = args.at === undefined ? undefined : readEndpoint(args.at, placeOfSite(project));
    return withStoreThere(project, async (store) => {
      const traced = await traceAddress(project, store, request, { url: whole, at });
      const url = addressOfRequest(project, traced.request, { url: whole, at });
      const live = at ? await askLive(at, traced.request, traced, settings) : undefined;
      const { answer, headers, steps, fix, destination } = traced;
      // A whole address may be of another destination than the one that is meant without its name.
      const command = commandFor(project, destination, args.config, terminal);
      const now = Date.now();
      const isKept = request.method === 'GET' && answer.reason !== 'malformed';
      const usable = isKept ? usableFrom(answer.status, headersToRecord(answer.headers), now) : undefined;
      // A refusal that nobody keeps needs no word.
      const isWorthSaying = usable && (answer.status < 400 || usable.until !== undefined);
      const front = args.front
        ? frontUseOf(request, answer.status, headersToRecord(answer.headers), now)
        : undefined;
      const held = has === undefined ? undefined : await readHeld(store, traced.bucket, request, has, now);
      terminal.print(
        formatTrace(
          {
            method: request.method,
            url,
            status: answer.status,
            because: answer.because,
            headers,
            steps,
            fix: fix && describeFix(fix, command),
            kept: [
              isWorthSaying && describeUsable(usable, now),
              front && describeFront(front),
              held && describeHeld(held),
            ].filter((line) => typeof line === 'string'),
            ...(live ? { live } : {}),
          },
          terminal.paint,
        ),
      );
      terminal.printJson(traceJson(url, traced, { live, usable, held, front }, command));
      return live && differs(answer.status, live) ? EXIT.found : EXIT.done;
    });
  },
});

function readRequest(args: Args): { request: WebRequest; url: URL | undefined } {
  const method = args.method.toUpperCase();
  if (!/^[!#$%&'*+.^_`|~0-9A-Z-]+$/.test(method))
    throw new FenestraError('USAGE', {
      what: `--method "${args.method}" is not a method.`,
      fix: 'Give one such as GET or HEAD.',
    });
  const headers: Record<string, string> = {};
  // One is no list where each takes one word.
  for (const line of [args.header].flat()) {
    const colon = line.indexOf(':');
    const name = line.slice(0, Math.max(0, colon));
    if (!/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(name))
      throw new FenestraError('USAGE', {
        what: `--header "${line}" is not a header line.`,
        fix: "Write it as 'Name: value'.",
      });
    headers[name.toLowerCase()] = line.slice(colon + 1).trim();
  }
  const { target, url } = readTraceRequest(args.address);
  // A whole address says which host is asked.
  const asked = url ? { host: url.host, ...headers } : headers;
  return { request: { method, target, headers: asked, secure: url?.protocol === 'https:' }, url };
}
