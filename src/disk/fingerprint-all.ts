/** Learns a list of files with two threads where that pays: hashing is most of the work of a first survey. */
import { Worker } from 'node:worker_threads';
import { workerScript } from '../files/worker-script.js';
import type { FileColumns } from './file-columns.js';
import { fingerprintAt, fingerprintBatches, type FingerprintJob } from './fingerprint-batches.js';
import type { Fingerprint } from './fingerprint.js';

/** Below this a thread costs more than it saves. */
const WORTH_FILES = 400;
const WORTH_BYTES = 24 * 2 ** 20;

/**
 * @param learn told what was learned of each file, in any order
 * @throws FenestraError FILE_UNREADABLE, FILE_CHANGING
 */
export async function fingerprintAll(
  files: FileColumns,
  learn: (row: number, learned: Fingerprint) => void,
  progress?: (done: number) => void,
): Promise<void> {
  const isLearned = new Uint8Array(files.count);
  const job: FingerprintJob = { files, next: new Int32Array(new SharedArrayBuffer(4)) };
  let done = 0;
  const take = (start: number, learned: readonly Fingerprint[]): void => {
    learned.forEach((each, at) => {
      isLearned[start + at] = 1;
      learn(start + at, each);
    });
    done += learned.length;
    progress?.(done);
  };
  const worker = isWorthIt(files) ? startWorker(job, take) : undefined;
  try {
    await fingerprintBatches(job, take, () => new Promise(setImmediate));
    await worker?.finished;
  } finally {
    await worker?.stop();
  }
  // A batch that the other thread failed on is learned here, where the failure can be reported.
  for (let row = isLearned.indexOf(0); row >= 0; row = isLearned.indexOf(0, row + 1))
    learn(row, await fingerprintAt(files, row));
}

const isWorthIt = ({ count, sizes }: FileColumns): boolean =>
  count >= WORTH_FILES || sizes.reduce((bytes, size) => bytes + size, 0) >= WORTH_BYTES;

function startWorker(
  job: FingerprintJob,
  take: (start: number, learned: readonly Fingerprint[]) => void,
): { finished: Promise<void>; stop: () => Promise<unknown> } | undefined {
  const script = workerScript('fingerprint-worker');
  if (script === undefined) return undefined;
  const worker = new Worker(script, { workerData: job });
  const finished = new Promise<void>((done) => {
    worker.on('message', (message: { start: number; learned: Fingerprint[] } | { done: true }) => {
      if ('done' in message) done();
      else take(message.start, message.learned);
    });
    worker.on('error', () => done());
    worker.on('exit', () => done());
  });
  return { finished, stop: () => worker.terminate() };
}
