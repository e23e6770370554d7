/** Sends probes to an endpoint and compares what comes back. */
import pMap from 'p-map';
import pRetry from 'p-retry';
import pThrottle from 'p-throttle';
import type { Dispatcher } from 'undici';
import { compareAnswer, type Aspect, type Failure } from '../core/check/compare-answer.js';
import { sliceOf, type Kind, type Observed, type Probe } from '../core/check/probe.js';
import { publicUrl } from '../core/words/public-url.js';
import { FenestraError, systemCode } from '../core/errors/catalogue.js';
import { askEndpoint } from './ask.js';
import { createAgent } from './connect.js';

/** How many requests of one kind were sent, and how many failed in what. */
export interface Tally {
  asked: number;
  failed: number;
  readonly aspects: Partial<Record<Aspect, number>>;
}

export interface ProbeRun {
  readonly run: number;
  readonly failed: number;
  /** Requests that were sent again, because no answer came or because it asked for patience. */
  readonly retries: number;
  /** In the order of the probes, however the answers came in. */
  readonly failures: readonly Failure[];
  readonly matrix: ReadonlyMap<Kind, Tally>;
}

export interface ProbeOptions {
  /** Requests under way at once. */
  readonly concurrency: number;
  /** Requests a second at most; undefined for as many as go. */
  readonly rate?: number | undefined;
  /** Keeps connections after HEAD too: for endpoints that surely send no body then. */
  readonly keep?: boolean | undefined;
  /** Milliseconds to wait for an answer. */
  readonly timeoutMs: number;
  readonly progress?: (done: number) => void;
}

const RETRIES = 2;
/** Unanswered probes in a row after which the endpoint is taken for dead. */
const GIVE_UP = 10;

/**
 * Probes an endpoint. A first request tells whether anything is there at all, so a dead one is known at once; one
 * that dies later is known after a few probes.
 * @throws FenestraError ENDPOINT_DEAD
 */
export async function runProbes(
  base: URL,
  probes: Iterable<Probe>,
  options: ProbeOptions,
): Promise<ProbeRun> {
  const { concurrency, timeoutMs, progress } = options;
  const shown = publicUrl(base);
  const agent = createAgent({ connections: concurrency, timeoutMs });
  const asker = new Asker(base, agent, options);
  /** By the place of the probe among all. */
  const failures: (readonly [place: number, found: readonly Failure[]])[] = [];
  const matrix = new Map<Kind, Tally>();
  let run = 0;
  let failed = 0;
  let silent = 0;
  const dead = (error: unknown): FenestraError =>
    new FenestraError('ENDPOINT_DEAD', { url: shown.href, reason: reasonOf(error) }, error);
  const note = ({ about }: Probe, place: number, found: readonly Failure[]): void => {
    let tally = matrix.get(about);
    if (!tally) matrix.set(about, (tally = { asked: 0, failed: 0, aspects: {} }));
    tally.asked++;
    run++;
    if (found.length > 0) {
      tally.failed++;
      failed++;
      failures.push([place, found]);
    }
    if (progress && run % 50 === 0) progress(run);
  };
  const probeOne = async (probe: Probe, place: number, first?: Observed): Promise<Observed | undefined> => {
    const url = new URL(probe.request.target, shown).href;
    let observed: Observed;
    try {
      observed = await asker.ask(probe, first === undefined);
      silent = 0;
    } catch (error) {
      if (++silent >= GIVE_UP) throw dead(error);
      const expected = String(probe.expected.status);
      const was = `none: ${reasonOf(error)}`;
      note(probe, place, [
        { url, about: probe.about, aspect: 'answer', expected, observed: was, cause: 'no-answer' },
      ]);
      return undefined;
    }
    const found = compareAnswer(probe, url, observed, first);
    note(probe, place, found);
    return found.length === 0 ? observed : undefined;
  };
  try {
    await askEndpoint(base, { method: 'HEAD', target: '/', headers: {} }, agent).catch((error: unknown) => {
      throw dead(error);
    });
    await pMap(
      probes,
      async (probe, place) => {
        const observed = await probeOne(probe, place);
        // Where the plain request fails, so would the rest, and for the same cause.
        if (observed)
          for (const followUp of probe.followUps?.(observed) ?? []) await probeOne(followUp, place, observed);
      },
      { concurrency },
    );
  } finally {
    await agent.destroy();
  }
  const inOrder = failures.sort(([one], [other]) => one - other).flatMap(([, found]) => found);
  for (const { about, aspect } of inOrder) {
    const aspects = matrix.get(about)?.aspects;
    if (aspects) aspects[aspect] = (aspects[aspect] ?? 0) + 1;
  }
  return { run, failed, retries: asker.retries, failures: inOrder, matrix };
}

/** Asks patiently: what gets no answer, or is told to wait, is asked again. */
class Asker {
  retries = 0;
  readonly #ask: (probe: Probe, sliced: boolean) => Promise<Observed>;

  constructor(base: URL, dispatcher: Dispatcher, { rate, keep }: ProbeOptions) {
    const send = (probe: Probe, sliced: boolean): Promise<Observed> => {
      const { body } = probe.expected;
      const slice =
        sliced && probe.followUps && body.kind === 'object' ? sliceOf(body.object.size) : undefined;
      return askEndpoint(base, probe.request, dispatcher, { slice, keep });
    };
    this.#ask = rate === undefined ? send : pThrottle({ limit: rate, interval: 1000 })(send);
  }

  async ask(probe: Probe, sliced: boolean): Promise<Observed> {
    const attempt = async (): Promise<Observed> => {
      const observed = await this.#ask(probe, sliced);
      if (isBusy(observed) && observed.status !== probe.expected.status) throw new Busy(observed);
      return observed;
    };
    try {
      // Nearly every request is answered at once.
      return await attempt().catch(async () => {
        this.retries++;
        return pRetry(attempt, {
          retries: RETRIES - 1,
          minTimeout: 100,
          onFailedAttempt: ({ retriesLeft }) => void (retriesLeft > 0 && this.retries++),
        });
      });
    } catch (error) {
      if (error instanceof Busy) return error.observed;
      throw error;
    }
  }
}

/** An answer that asks to come again later. */
class Busy extends Error {
  constructor(readonly observed: Observed) {
    super('asked to wait');
  }
}

const isBusy = ({ status }: Observed): boolean => status === 429 || status === 503;

/** Why nothing came back, in plain words. */
export function reasonOf(error: unknown): string {
  const cause = error instanceof Error && error.cause !== undefined ? error.cause : error;
  switch (systemCode(cause)) {
    case 'ECONNREFUSED':
      return 'nothing listens there';
    case 'ENOTFOUND':
    case 'EAI_AGAIN':
      return 'the host name is not known';
    case 'ECONNRESET':
    case 'UND_ERR_SOCKET':
      return 'the connection was cut';
    case 'UND_ERR_HEADERS_TIMEOUT':
    case 'UND_ERR_BODY_TIMEOUT':
    case 'UND_ERR_CONNECT_TIMEOUT':
      return 'no answer in time';
    default:
      return cause instanceof Error ? cause.message : String(cause);
  }
}
