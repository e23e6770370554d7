import { bucketClosed, bucketOpen, unpublishedEdits } from '../../core/check/check-findings.js';
import { listManners, listProbes, type Probe } from '../../core/check/probe.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { countOf } from '../../core/site/format-bytes.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { ProbeRun } from '../../endpoint/run-probes.js';
import { formatCheck } from '../../report/text/check-text.js';
import { startHostServer } from '../../server/host-server.js';
import type { EmbeddedStore } from '../../stores/embedded/embedded-store.js';
import { defineCommand } from '../command.js';
import type { Terminal } from '../terminal.js';
import { hostStore, openView } from '../work/hosted-store.js';
import { readUrl } from '../work/read-url.js';
import { needBucket, openProject, surveyProject, withStore } from '../work/project.js';
import { compareWithBucket } from '../work/publish-work.js';

interface Args {
  readonly to: string | undefined;
  readonly at: string | undefined;
  readonly 'fail-on': 'error' | 'warning' | 'note';
  readonly expect: 'open' | 'closed';
  readonly concurrency: number;
}

const PATIENCE = 10_000;

export default defineCommand<Args>({
  describe:
    'Inspects the release and asks an endpoint for every address of it: status, type, cache header, bytes.',
  examples: [
    ['fenestra check', "a self-test against Fenestra's own emulation"],
    ['fenestra check --at https://www.mill.example/', 'the published site'],
  ],
  options: (yargs) =>
    yargs
      .option('to', {
        type: 'string',
        describe: 'the destination, when it is not the first',
        requiresArg: true,
      })
      .option('at', {
        type: 'string',
        describe: 'the endpoint to ask; without it, our own emulation',
        requiresArg: true,
      })
      .option('fail-on', {
        choices: ['error', 'warning', 'note'] as const,
        default: 'error' as const,
        describe: 'the lowest level that ends with exit code 1',
      })
      .option('expect', {
        choices: ['open', 'closed'] as const,
        default: 'open' as const,
        describe: 'whether the bucket is meant to be open',
      })
      .option('concurrency', {
        type: 'number',
        default: 16,
        describe: 'requests under way at once',
        requiresArg: true,
      }),
  async run(args, terminal) {
    const endpoint = args.at === undefined ? undefined : readUrl(args.at);
    if (!Number.isInteger(args.concurrency) || args.concurrency < 1 || args.concurrency > 256) {
      throw new FenestraError('USAGE', {
        what: `--concurrency ${args.concurrency} cannot be used.`,
        remedy: 'Give a whole number from 1 to 256.',
      });
    }
    const project = await openProject(args);
    const survey = await surveyProject(project, terminal);
    return withStore(project, async (store) => {
      const began = performance.now();
      const { bucket } = project.destination;
      const state = await needBucket(store, bucket);
      const findings = [...survey.findings];
      if (state.access === 'closed' && args.expect === 'open') findings.unshift(bucketClosed(bucket));
      if (state.access === 'open' && args.expect === 'closed') findings.unshift(bucketOpen(bucket));
      const { totals } = await compareWithBucket(survey, project.destination.settings, store, bucket);
      const unpublished = totals.add + totals.replace + totals.relabel + totals.remove;
      if (unpublished > 0) findings.push(unpublishedEdits(state.release, countOf(unpublished, 'object')));
      const view = store.view(bucket);
      if (!view) throw new FenestraError('BUCKET_MISSING', { store: store.name, name: bucket, nearest: '' });
      const outcome = await probe(endpoint, openView(view), store, args.concurrency, terminal);
      const failing = { error: ['error'], warning: ['error', 'warning'], note: ['error', 'warning', 'note'] }[
        args['fail-on']
      ];
      const passed = outcome.failed === 0 && !findings.some(({ level }) => failing.includes(level));
      terminal.print(
        formatCheck(
          {
            bucket,
            release: state.release,
            at: outcome.at,
            selfTest: endpoint === undefined,
            objects: state.objects,
            probes: outcome,
            failures: outcome.failures,
            findings,
            passed,
            seconds: (performance.now() - began) / 1000,
          },
          terminal.paint,
        ),
      );
      terminal.printJson({
        at: outcome.at,
        selfTest: endpoint === undefined,
        release: state.release,
        probes: { run: outcome.run, failed: outcome.failed, retries: outcome.retries },
        failures: outcome.failures,
        findings,
      });
      return passed ? 0 : 1;
    });
  },
});

/** Probes the endpoint, or our own emulation on a free port. */
async function probe(
  endpoint: URL | undefined,
  view: BucketView,
  store: EmbeddedStore,
  concurrency: number,
  terminal: Terminal,
): Promise<ProbeRun & { at: string }> {
  const objects = [...store.listObjects(view.name)];
  const probes = allProbes(view, objects);
  const { runProbes } = await import('../../endpoint/index.js');
  const line = terminal.progress('Asking');
  const options = {
    concurrency,
    patience: PATIENCE,
    progress: (done: number) => line.update(done, objects.length + 20),
  };
  const server = endpoint
    ? undefined
    : await startHostServer({ hosted: hostStore(store, true), host: '127.0.0.1', port: 0 });
  const at = endpoint ?? new URL(`http://${view.name}.localhost:${server?.port ?? 0}/`);
  try {
    return { at: at.href, ...(await runProbes(at, probes, options)) };
  } finally {
    line.stop();
    await server?.close(500);
  }
}

/** Every address, and the finer manners on the first object of each type. */
function* allProbes(view: BucketView, objects: readonly StoredObject[]): Generator<Probe> {
  yield* listProbes(view, objects);
  const types = new Set<string>();
  for (const object of objects) {
    const type = object.headers['Content-Type'] ?? '';
    if (types.has(type)) continue;
    types.add(type);
    yield* listManners(view, object);
  }
}
