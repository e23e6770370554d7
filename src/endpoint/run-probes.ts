/** Sends probes to an endpoint and compares what comes back. */
import pMap from 'p-map';
import pRetry from 'p-retry';
import { compareAnswer, type Failure, type Probe } from '../core/check/probe.js';
import { FenestraError, systemCode } from '../core/errors/catalogue.js';
import { askEndpoint } from './ask.js';
import { createAgent } from './connect.js';

export interface ProbeRun {
  readonly run: number;
  readonly failed: number;
  /** Requests that were sent again because no answer came. */
  readonly retries: number;
  readonly failures: readonly Failure[];
}

export interface ProbeOptions {
  /** Requests under way at once. */
  readonly concurrency: number;
  /** Milliseconds to wait for an answer. */
  readonly patience: number;
  readonly progress?: (done: number) => void;
}

const RETRIES = 2;

/**
 * Probes an endpoint. A first request tells whether anything is there at all, so a dead one is known at once.
 * @throws FenestraError ENDPOINT_DEAD
 */
export async function runProbes(
  base: URL,
  probes: Iterable<Probe>,
  { concurrency, patience, progress }: ProbeOptions,
): Promise<ProbeRun> {
  const agent = createAgent({ connections: concurrency, patience });
  const failures: Failure[] = [];
  let run = 0;
  let failed = 0;
  let retries = 0;
  try {
    await askEndpoint(base, { method: 'HEAD', target: '/', headers: {} }, agent).catch((error: unknown) => {
      throw new FenestraError('ENDPOINT_DEAD', { url: base.href, reason: reasonOf(error) }, error);
    });
    await pMap(
      probes,
      async (probe) => {
        const url = new URL(probe.request.target, base).href;
        const found = await pRetry(() => askEndpoint(base, probe.request, agent), {
          retries: RETRIES,
          minTimeout: 100,
          onFailedAttempt: () => void retries++,
        }).then(
          (observed) => compareAnswer(probe, url, observed),
          (error: unknown): Failure[] => [
            {
              url,
              about: probe.about,
              aspect: 'answer',
              expected: String(probe.expected.status),
              observed: `none: ${reasonOf(error)}`,
              fix: 'see what the endpoint says of it in its own log',
            },
          ],
        );
        run++;
        if (found.length > 0) failed++;
        failures.push(...found);
        if (progress && run % 50 === 0) progress(run);
      },
      { concurrency },
    );
  } finally {
    await agent.destroy();
  }
  return { run, failed, retries, failures };
}

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
