/** A second thread that learns files beside the first: both take the next batch from one shared counter. */
import { parentPort, workerData } from 'node:worker_threads';
import { learnBatches, type LearnJob } from './learn-batches.js';

const job = workerData as LearnJob;
await learnBatches(job, (start, learned) => parentPort?.postMessage({ start, learned })).then(
  () => parentPort?.postMessage({ done: true }),
  // The first thread meets the same file and reports it better.
  () => parentPort?.postMessage({ done: true, failed: true }),
);
