/** A second thread that asks while the first one answers: see probe-in-thread.ts. */
import { parentPort, workerData } from 'node:worker_threads';
import { listProbes } from '../core/check/probe.js';
import { FenestraError } from '../core/errors/catalogue.js';
import { ObjectColumns } from '../core/site/object-columns.js';
import type { BucketView } from '../core/hosting/bucket-view.js';
import type { FromThread, ThreadJob } from './probe-in-thread.js';
import { runProbes } from './run-probes.js';

const { base, view, packed, options } = workerData as ThreadJob;
const tell = (message: FromThread): void => parentPort?.postMessage(message);
const objects = new ObjectColumns(packed);
const found: BucketView = { ...view, find: (key) => objects.find(key) };

try {
  const run = await runProbes(new URL(base), listProbes(found, objects), {
    ...options,
    progress: (done) => tell({ done }),
  });
  tell({ run });
} catch (error) {
  if (!(error instanceof FenestraError)) throw error;
  tell({ refused: { code: error.code, details: error.details } });
}
