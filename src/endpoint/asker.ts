/** Asks patiently: what gets no answer, or is told to wait, is asked again. */
import pRetry, { AbortError } from 'p-retry';
import pThrottle from 'p-throttle';
import type { Dispatcher } from 'undici';
import { sliceOf, type Observed, type Probe } from '../core/check/probe.js';
import { askEndpoint } from './ask.js';
import { BeyondLimits, limitsFor } from './limits.js';

const RETRIES = 2;

export interface AskerOptions {
  /** Requests a second at most; undefined for as many as go. */
  readonly rate?: number | undefined;
  /** Keeps connections after HEAD too: for endpoints that surely send no body then. */
  readonly keep?: boolean | undefined;
  /** Milliseconds for the whole of a small answer. */
  readonly wholeMs: number;
}

export class Asker {
  retries = 0;
  readonly #ask: (probe: Probe, sliced: boolean) => Promise<Observed>;

  constructor(base: URL, dispatcher: Dispatcher, { rate, keep, wholeMs }: AskerOptions) {
    const send = (probe: Probe, sliced: boolean): Promise<Observed> => {
      const { body } = probe.expected;
      const size = body.kind === 'object' ? body.object.size : 0;
      const slice = sliced && probe.followUps && size > 0 ? sliceOf(size) : undefined;
      return askEndpoint(base, probe.request, dispatcher, { limits: limitsFor(wholeMs, size), slice, keep });
    };
    this.#ask = rate === undefined ? send : pThrottle({ limit: rate, interval: 1000 })(send);
  }

  /** Nearly every request is answered at once, and there are tens of thousands. */
  ask(probe: Probe, sliced: boolean): Promise<Observed> {
    return this.#ask(probe, sliced).then(
      (observed) => (isRefused(probe, observed) ? this.#askAgain(probe, sliced) : observed),
      (error: unknown) => {
        // Whoever takes all the time that there is gets it once.
        if (error instanceof BeyondLimits) throw error;
        return this.#askAgain(probe, sliced);
      },
    );
  }

  async #askAgain(probe: Probe, sliced: boolean): Promise<Observed> {
    this.retries++;
    const attempt = async (): Promise<Observed> => {
      try {
        const observed = await this.#ask(probe, sliced);
        if (isRefused(probe, observed)) throw new Busy(observed);
        return observed;
      } catch (error) {
        throw error instanceof BeyondLimits ? new AbortError(error) : error;
      }
    };
    try {
      return await pRetry(attempt, {
        retries: RETRIES - 1,
        minTimeout: 100,
        onFailedAttempt: ({ retriesLeft }) => void (retriesLeft > 0 && this.retries++),
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

/** Whether it says so, where something else had to be said. */
const isRefused = ({ expected }: Probe, { status }: Observed): boolean =>
  (status === 408 || status === 429 || status === 503) && status !== expected.status;
