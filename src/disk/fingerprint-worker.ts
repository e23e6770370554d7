/** A second thread that learns files beside the first: both take the next batch from one shared counter. */
import { parentPort, workerData } from 'node:worker_threads';
import { fingerprintBatches, type FingerprintJob } from './fingerprint-batches.js';

const job = workerData as FingerprintJob;
await fingerprintBatches(job, (start, learned) => parentPort?.postMessage({ start, learned })).then(
  () => parentPort?.postMessage({ done: true }),
  // The first thread meets the same file and reports it better.
  () => parentPort?.postMessage({ done: true, failed: true }),
);
