/** Probing a release: an endpoint, or our own emulation on a free port. */
import { randomUUID } from 'node:crypto';
import { createReadPolicy } from '../../core/access/read-policy.js';
import { endpointRefuses } from '../../core/check/check-findings.js';
import type { EndpointOutcome } from '../../core/check/outcome.js';
import { KINDS } from '../../core/check/probe.js';
import { countProbes, listProbes, repeatProbes } from '../../core/check/list-probes.js';
import { SAMPLE, sampleObjects, type Sample } from '../../core/check/sample.js';
import { publicUrl } from '../../core/words/public-url.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import type { PackedObjects } from '../../core/site/object-columns.js';
import type { Finding } from '../../core/findings/finding.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { ProbeThread, WORTH_A_THREAD } from '../../endpoint/probe-thread.js';
import type { ProbeOptions, ProbeRun } from '../../endpoint/run-probes.js';
import { ANSWER_TIME, RUN_TIME } from './limits.js';
import { startHostServer, type RunningServer } from '../../server/host-server.js';
import type { Hosted } from '../../server/hosted.js';
import type { Progress } from '../progress.js';

/** Milliseconds until an answer begins. */
const TIMEOUT_MS = 5_000;
/** Every object is asked for a few times in a row and then never again: what is kept for longer is only in the way. */
const KEPT = { cacheBytes: 4 * 2 ** 20, cacheBodies: 64, keptRows: 100 };
/** Addresses that are tried before all others: when each is refused, so would be the rest. */
const FIRST = 5;

export interface ProbeSettings {
  readonly concurrency: number;
  readonly rate?: number | undefined;
  readonly all: boolean;
  /** Seconds; see ANSWER_TIME and RUN_TIME. */
  readonly answerTime?: number | undefined;
  readonly runTime?: number | undefined;
  /** Certificates, as PEM, of those that are trusted beside the ones that everybody trusts. */
  readonly ca?: string | undefined;
}

/** What of the settings is for an endpoint alone. */
interface EndpointSettings extends ProbeSettings {
  /** The bucket as it is now; the same view as long as nothing was published. */
  readonly newest?: (() => Promise<BucketView>) | undefined;
  /** All objects, of a store whose copies may differ for a while. */
  readonly copied?: readonly StoredObject[] | undefined;
  /** What was not published, since nobody may read it: it may lie there all the same. */
  readonly withheld?: readonly StoredObject[] | undefined;
}

export const sampleOf = (
  { settings }: BucketView,
  objects: readonly StoredObject[],
  all: boolean,
): Sample => {
  const policy = createReadPolicy(settings);
  return sampleObjects(objects, all ? Infinity : SAMPLE, (key) => policy.isReadable(key));
};

/**
 * A thread to ask our own emulation from, where all objects are asked for and it is worth one. Begun early, it loads what
 * it needs while others work; whoever begins it ends it.
 */
export const startThread = (objects: number, { all }: ProbeSettings): ProbeThread | undefined =>
  all && objects >= WORTH_A_THREAD ? ProbeThread.start() : undefined;

/**
 * Probes our own emulation of the release, started for this and ended after it.
 * @param thread asks for all that is packed; the same without it
 */
export async function probeOurselves(
  hosted: Hosted,
  view: BucketView,
  sample: Sample,
  packed: PackedObjects,
  settings: ProbeSettings,
  progress: Progress,
  thread?: ProbeThread,
): Promise<EndpointOutcome> {
  const { server, socket } = await startOurselves(hosted, thread !== undefined);
  try {
    const at = new URL(`http://${view.name}.localhost${socket === undefined ? `:${server.port}` : ''}/`);
    const run = await probe(
      at,
      view,
      sample,
      { concurrency: settings.concurrency, all: settings.all, keep: true, socket, packed, thread },
      progress,
    );
    return outcomeOf(at, true, run);
  } finally {
    await server.close(500);
  }
}

/**
 * Many requests go over a socket that is no file, so that nothing of it stays behind: a tenth less work for each than
 * over TCP. Not every system has them, and not everybody may use them.
 */
async function startOurselves(
  hosted: Hosted,
  isBusy: boolean,
): Promise<{ readonly server: RunningServer; readonly socket?: string }> {
  const options = { hosted, host: '127.0.0.1', port: 0, ...KEPT };
  if (isBusy && process.platform === 'linux') {
    const socket = `\0fenestra-${randomUUID()}`;
    const server = await startHostServer({ ...options, socket }).catch(() => undefined);
    if (server) return { server, socket };
  }
  return { server: await startHostServer(options) };
}

/** Probes an endpoint; one that refuses everything is one finding. @throws FenestraError ENDPOINT_DEAD */
export async function probeEndpoint(
  at: URL,
  view: BucketView,
  sample: Sample,
  settings: EndpointSettings,
  progress: Progress,
): Promise<EndpointOutcome & { readonly refuses?: Finding }> {
  const first = await probe(
    at,
    view,
    { ...sample, objects: firstReadable(view, sample.objects) },
    settings,
    progress,
    true,
  );
  const refused = first.failures.filter(
    ({ aspect, observed }) => aspect === 'status' && /^40[13]$/.test(observed),
  );
  const [one] = refused;
  if (one && refused.length === first.run)
    return {
      ...outcomeOf(at, false, first),
      refused: true,
      failures: [],
      refuses: endpointRefuses(publicUrl(at).href, Number(one.observed), first.run),
    };
  const run = await probe(at, view, sample, settings, progress);
  return outcomeOf(at, false, { ...run, retries: first.retries + run.retries });
}

const firstReadable = (view: BucketView, objects: readonly StoredObject[]): StoredObject[] => {
  const policy = createReadPolicy(view.settings);
  return objects.filter(({ key }) => policy.isReadable(key)).slice(0, FIRST);
};

/** Other hosts of the site can be asked where it is asked under a name of its own: a store's address knows none of them. */
function askedView(view: BucketView, { hostname }: URL): BucketView {
  const { movedHosts, ...settings } = view.settings;
  const isOwn = hostname.endsWith('.localhost') || settings.domains.includes(hostname);
  return isOwn || !movedHosts ? view : { ...view, settings };
}

async function probe(
  at: URL,
  wanted: BucketView,
  { objects }: Sample,
  settings: EndpointSettings & {
    readonly keep?: boolean;
    readonly socket?: string | undefined;
    readonly packed?: PackedObjects;
    readonly thread?: ProbeThread | undefined;
  },
  progress: Progress,
  objectsAlone = false,
): Promise<ProbeRun> {
  const view = askedView(wanted, at);
  progress.step('probe', { objects: countProbes(view, objects) });
  const advance = (done: number): void => progress.advance(0, done);
  const limits = {
    concurrency: settings.concurrency,
    rate: settings.rate,
    keep: settings.keep,
    socket: settings.socket,
    ca: settings.ca,
    timeoutMs: TIMEOUT_MS,
    bucket: view.name,
    wholeMs: (settings.answerTime ?? ANSWER_TIME) * 1000,
    runMs: (settings.runTime ?? RUN_TIME) * 1000,
  };
  const { packed, thread } = settings;
  if (thread && packed) {
    const { name, access, release, settings: kept } = view;
    const job = {
      base: at.href,
      view: { name, access, release, settings: kept },
      packed,
      options: limits,
    };
    return thread.run(job, advance);
  }
  const { runProbes } = await import('../../endpoint/index.js');
  const options: ProbeOptions = { ...limits, newest: settings.newest, progress: advance };
  const probes = listProbes(view, objects, settings.withheld);
  if (objectsAlone) return runProbes(at, take(probes, objects.length), options);
  return runProbes(at, settings.copied ? both(probes, repeatProbes(view, settings.copied)) : probes, options);
}

function* both<T>(one: Iterable<T>, other: Iterable<T>): Generator<T> {
  yield* one;
  yield* other;
}

function* take<T>(items: Iterable<T>, most: number): Generator<T> {
  let taken = 0;
  for (const item of items) {
    if (taken++ >= most) return;
    yield item;
  }
}

const outcomeOf = (
  at: URL,
  selfTest: boolean,
  { run, failed, retries, failures, matrix }: ProbeRun,
): EndpointOutcome => ({
  at: publicUrl(at).href,
  selfTest,
  probes: { run, failed, retries },
  failures,
  matrix: KINDS.flatMap((about) => {
    const tally = matrix.get(about);
    return tally ? [{ about, ...tally }] : [];
  }),
});
