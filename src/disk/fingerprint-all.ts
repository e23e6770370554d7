/** Learns a list of files with two threads where that pays: hashing is most of the work of a first survey. */
import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import { fingerprintBatches, type FileToFingerprint, type FingerprintJob } from './fingerprint-batches.js';
import type { Fingerprint } from './fingerprint.js';

/** Below this a thread costs more than it saves. */
const WORTH_FILES = 400;
const WORTH_BYTES = 24 * 2 ** 20;

/** @returns what was learned, in the order of the files @throws FenestraError FILE_UNREADABLE, FILE_CHANGING */
export async function fingerprintAll(
  files: readonly FileToFingerprint[],
  progress?: (done: number) => void,
): Promise<Fingerprint[]> {
  const results = new Array<Fingerprint>(files.length);
  const job: FingerprintJob = { files, next: new Int32Array(new SharedArrayBuffer(4)) };
  let done = 0;
  const take = (start: number, learned: readonly Fingerprint[]): void => {
    learned.forEach((each, at) => (results[start + at] = each));
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
  for (const [at, file] of files.entries()) {
    if (results[at] === undefined)
      await fingerprintBatches(
        { files: [file], next: new Int32Array(1) },
        (_start, [learned]) => learned && (results[at] = learned),
      );
  }
  return results;
}

const isWorthIt = (files: readonly FileToFingerprint[]): boolean =>
  files.length >= WORTH_FILES || files.reduce((bytes, { size }) => bytes + size, 0) >= WORTH_BYTES;

function startWorker(
  job: FingerprintJob,
  take: (start: number, learned: readonly Fingerprint[]) => void,
): { finished: Promise<void>; stop: () => Promise<unknown> } | undefined {
  const script = workerScript();
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

/** The built worker, beside this module or one folder up; undefined when running unbundled. */
function workerScript(): URL | undefined {
  return ['./fingerprint-worker.js', '../fingerprint-worker.js']
    .map((path) => new URL(path, import.meta.url))
    .find((url) => existsSync(fileURLToPath(url)));
}
