/** Asking in a thread of its own, for an endpoint that answers in this one: neither waits for the other then. */
import { Worker } from 'node:worker_threads';
import { FenestraError, type Details, type ErrorCode } from '../core/errors/catalogue.js';
import type { BucketView } from '../core/hosting/bucket-view.js';
import type { PackedObjects } from '../core/site/object-columns.js';
import { workerScript } from '../files/worker-script.js';
import type { ProbeOptions, ProbeRun } from './run-probes.js';

/** Fewer objects are asked for sooner than a thread has begun. */
export const WORTH_A_THREAD = 1500;

/** MiB for what is just made: a probe is soon over, and what it made with it. */
const YOUNG = 8;

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

/** @returns undefined where there is no script for the thread @throws FenestraError ENDPOINT_DEAD */
export async function probeInThread(
  job: ThreadJob,
  progress: ProbeOptions['progress'],
): Promise<ProbeRun | undefined> {
  const script = workerScript('probe-worker');
  if (script === undefined) return undefined;
  const worker = new Worker(script, { workerData: job, resourceLimits: { maxYoungGenerationSizeMb: YOUNG } });
  try {
    return await new Promise<ProbeRun>((done, fail) => {
      worker.on('message', (message: FromThread) => {
        if ('done' in message) progress?.(message.done);
        else if ('run' in message) done(message.run);
        else fail(new FenestraError(message.refused.code, message.refused.details));
      });
      worker.on('error', fail);
      worker.on('exit', () => fail(new Error('the thread that asks ended before it was done')));
    });
  } finally {
    await worker.terminate();
  }
}
