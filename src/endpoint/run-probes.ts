/** Sends probes to an endpoint and compares what comes back. */
import { pathBefore } from './below-path.js';
import { setTimeout } from 'node:timers/promises';
import pMap from 'p-map';
import { compareAnswer, type Failure } from '../core/check/compare-answer.js';
import { type Aspect } from '../core/check/difference.js';
import { type Kind, type Observed, type Probe } from '../core/check/probe.js';
import { askAgain } from '../core/check/list-probes.js';
import { FenestraError } from '../core/errors/catalogue.js';
import type { BucketView } from '../core/hosting/bucket-view.js';
import { publicUrl } from '../core/words/public-url.js';
import { askEndpoint } from './ask.js';
import { Asker, type AskerOptions } from './asker.js';
import { createAgent } from './connect.js';
import { BeyondLimits, limitsFor } from './limits.js';
import { reasonOf } from './reason-of.js';

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

export interface ProbeOptions extends AskerOptions {
  /** Requests under way at once. */
  readonly concurrency: number;
  /** Milliseconds to wait for an answer to begin. */
  readonly timeoutMs: number;
  /** Milliseconds for all of them. */
  readonly runMs: number;
  /** The name of the bucket that is meant. */
  readonly bucket: string;
  readonly ca?: string | undefined;
  /** A socket of this machine at which the endpoint listens. */
  readonly socket?: string | undefined;
  /** The bucket as it is now, where it may be published to meanwhile; the same view as long as nothing was. */
  readonly newest?: (() => Promise<BucketView>) | undefined;
  readonly progress?: (done: number) => void;
}

/** Unanswered probes in a row after which the endpoint is taken for dead. */
const GIVE_UP = 10;
/** Releases of which one probe follows the next, each published while it was at work. */
const MAX_RELEASES = 50;
const TELL_EVERY = 50;
/** Milliseconds until a server shows what a store has. */
const SEEN_MS = 100;

/** What one probe and those that follow it have come to. */
interface Chain {
  readonly asked: { readonly about: Kind; readonly found: readonly Failure[] }[];
}

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
  const { concurrency, progress } = options;
  const { timeoutMs, ca, keep, socket } = options;
  // Of our own emulation nothing is to be told but that an answer was not whole in time.
  const agent = createAgent({ connections: concurrency, timeoutMs, ca, boundedAnswers: keep, socket });
  const run = new Run(base, new Asker(base, agent, options), options);
  /** By the place of the probe among all. */
  const failures: (readonly [place: number, found: readonly Failure[]])[] = [];
  const matrix = new Map<Kind, Tally>();
  let [asked, failed, told] = [0, 0, 0];
  const note = ({ asked: all }: Chain, place: number): void => {
    for (const { about, found } of all) {
      let tally = matrix.get(about);
      if (!tally) matrix.set(about, (tally = { asked: 0, failed: 0, aspects: {} }));
      tally.asked++;
      asked++;
      if (found.length === 0) continue;
      tally.failed++;
      failed++;
      failures.push([place, found]);
    }
    if (progress && asked >= told + TELL_EVERY) progress((told = asked));
  };
  try {
    const first = { method: 'HEAD', target: '/', headers: {} };
    const answered = await askEndpoint(base, first, agent, { limits: limitsFor(options.wholeMs, 0) }).catch(
      (error: unknown) => {
        throw run.dead(error);
      },
    );
    if (answered.headers['fenestra-page'] !== undefined)
      throw new FenestraError('ENDPOINT_FRONT', {
        url: publicUrl(base).href,
        example: `http://${options.bucket}.localhost${base.port === '' ? '' : `:${base.port}`}/`,
      });
    await pMap(probes, async (probe, place) => note(await run.follow(probe), place), { concurrency });
  } finally {
    await agent.destroy();
  }
  const inOrder = failures.sort(([one], [other]) => one - other).flatMap(([, found]) => found);
  for (const { about, aspect } of inOrder) {
    const aspects = matrix.get(about)?.aspects;
    if (aspects) aspects[aspect] = (aspects[aspect] ?? 0) + 1;
  }
  return { run: asked, failed, retries: run.retries, failures: inOrder, matrix };
}

class Run {
  readonly #shown: URL;
  readonly #asker: Asker;
  readonly #options: ProbeOptions;
  readonly #ends: number;
  #silent = 0;

  constructor(base: URL, asker: Asker, options: ProbeOptions) {
    this.#shown = publicUrl(base);
    this.#asker = asker;
    this.#options = options;
    this.#ends = performance.now() + options.runMs;
  }

  get retries(): number {
    return this.#asker.retries;
  }

  dead(error: unknown): FenestraError {
    return new FenestraError('ENDPOINT_DEAD', { url: this.#shown.href, reason: reasonOf(error) }, error);
  }

  /** A probe with those that follow it; against a newer release where one was published meanwhile. */
  async follow(probe: Probe): Promise<Chain> {
    const { newest } = this.#options;
    let now = probe;
    let chain = await this.#askAll(now);
    if (!newest) return chain;
    let isSettled = true;
    for (let releases = 0; releases < MAX_RELEASES && hasFailed(chain); releases++) {
      const view = await newest();
      if (view === now.view) {
        if (isSettled) break;
        // The store has the release already, and the server looks at it now and then.
        isSettled = true;
        await setTimeout(SEEN_MS);
      } else isSettled = false;
      now = askAgain(probe, view);
      chain = await this.#askAll(now);
    }
    return chain;
  }

  async #askAll(probe: Probe): Promise<Chain> {
    const chain: Chain = { asked: [] };
    const observed = await this.#askOne(probe, chain);
    // Where the plain request fails, so would the rest, and for the same cause.
    if (observed)
      for (const followUp of probe.followUps?.(observed) ?? []) await this.#askOne(followUp, chain, observed);
    return chain;
  }

  async #askOne(probe: Probe, { asked }: Chain, first?: Observed): Promise<Observed | undefined> {
    const { about } = probe;
    const url = urlOf(this.#shown, probe.request.target);
    const expected = String(probe.expected.status);
    const fail = (observed: string, cause: Failure['cause']): undefined => {
      asked.push({ about, found: [{ url, about, aspect: 'answer', expected, observed, cause }] });
    };
    if (performance.now() >= this.#ends)
      return fail('none: the time for the whole run was over', 'not-asked');
    let observed: Observed;
    try {
      observed = await this.#asker.ask(probe, first === undefined);
      this.#silent = 0;
    } catch (error) {
      if (error instanceof BeyondLimits) return fail(`none: ${reasonOf(error)}`, 'never-ends');
      if (++this.#silent >= GIVE_UP) throw this.dead(error);
      return fail(`none: ${reasonOf(error)}`, 'no-answer');
    }
    const found = compareAnswer(probe, url, observed, first);
    asked.push({ about, found });
    return found.length === 0 ? observed : undefined;
  }
}

/** As a parser of addresses writes it; most targets are written so already. */
const urlOf = (base: URL, target: string): string =>
  /^\/(?:[\w~!$&'()*+,;=:@%-]|\/(?![./])|\.(?=[\w-]))*$/.test(target) && !/^\/\/|%2e/i.test(target)
    ? base.origin + pathBefore(base) + target
    : new URL(pathBefore(base) + target, base).href;

const hasFailed = ({ asked }: Chain): boolean => asked.some(({ found }) => found.length > 0);
