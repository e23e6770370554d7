/** Asking in a thread of its own, for an endpoint that answers in this one: neither waits for the other then. */
import { Worker } from 'node:worker_threads';
import { FenestraError, type Details, type ErrorCode } from '../core/errors/catalogue.js';
import type { BucketView } from '../core/hosting/bucket-view.js';
import type { PackedObjects } from '../core/site/object-columns.js';
import { workerScript } from '../files/worker-script.js';
import type { ProbeOptions, ProbeRun } from './run-probes.js';

/** Fewer objects are asked for sooner than a thread has begun. */
export const WORTH_A_THREAD = 1500;

/**
 * MiB. A probe is soon over, and what it made with it, so there is little for what is just made; and whoever may have
 * at most so much in all is rid sooner of what outlived that: at half as much again as lives, not at four times as much.
 */
const LIMITS = { maxYoungGenerationSizeMb: 8, maxOldGenerationSizeMb: 1024 };

export interface ThreadJob {
  readonly base: string;
  readonly view: Omit<BucketView, 'find'>;
  /** The objects of the whole release; each is asked for. */
  readonly packed: PackedObjects;
  readonly options: Omit<ProbeOptions, 'progress' | 'newest'>;
}

export type FromThread =
  | { readonly done: number }
  | { readonly run: ProbeRun }
  | { readonly refused: { readonly code: ErrorCode; readonly details: Details } };

export class ProbeThread {
  readonly #worker: Worker;
  readonly #ended: Promise<never>;

  /** Begins to load what it needs; undefined where there is no script for it. */
  static start(): ProbeThread | undefined {
    const script = workerScript('probe-worker');
    return script && new ProbeThread(script);
  }

  private constructor(script: URL) {
    this.#worker = new Worker(script, { resourceLimits: LIMITS });
    this.#ended = new Promise((_done, fail) => {
      this.#worker.on('error', fail);
      this.#worker.on('exit', () => fail(new Error('the thread that asks ended before it was done')));
    });
    // Nobody may be listening yet, or any more.
    this.#ended.catch(() => undefined);
  }

  /** Once. @throws FenestraError ENDPOINT_DEAD, ENDPOINT_FRONT */
  run(job: ThreadJob, progress: ProbeOptions['progress']): Promise<ProbeRun> {
    const asked = new Promise<ProbeRun>((done, fail) => {
      this.#worker.on('message', (message: FromThread) => {
        if ('done' in message) progress?.(message.done);
        else if ('run' in message) done(message.run);
        else fail(new FenestraError(message.refused.code, message.refused.details));
      });
    });
    this.#worker.postMessage(job);
    return Promise.race([asked, this.#ended]);
  }

  async end(): Promise<void> {
    await this.#worker.terminate();
  }
}
