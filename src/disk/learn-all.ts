/** Learns a list of files with two threads where that pays: hashing is most of the work of a first survey. */
import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import { learnBatches, type FileToLearn, type LearnJob } from './learn-batches.js';
import type { Learned } from './learn.js';

/** Below this a thread costs more than it saves. */
const WORTH_FILES = 400;
const WORTH_BYTES = 24 * 2 ** 20;

/** @returns what was learned, in the order of the files @throws FenestraError FILE_UNREADABLE, FILE_CHANGING */
export async function learnAll(
  files: readonly FileToLearn[],
  progress?: (done: number) => void,
): Promise<Learned[]> {
  const results = new Array<Learned>(files.length);
  const job: LearnJob = { files, next: new Int32Array(new SharedArrayBuffer(4)) };
  let done = 0;
  const take = (start: number, learned: readonly Learned[]): void => {
    learned.forEach((each, at) => (results[start + at] = each));
    done += learned.length;
    progress?.(done);
  };
  const worker = isWorthIt(files) ? startWorker(job, take) : undefined;
  try {
    await learnBatches(job, take, () => new Promise(setImmediate));
    await worker?.finished;
  } finally {
    await worker?.stop();
  }
  // A batch that the other thread failed on is learned here, where the failure can be reported.
  for (const [at, file] of files.entries()) {
    if (results[at] === undefined)
      await learnBatches(
        { files: [file], next: new Int32Array(1) },
        (_start, [learned]) => learned && (results[at] = learned),
      );
  }
  return results;
}

const isWorthIt = (files: readonly FileToLearn[]): boolean =>
  files.length >= WORTH_FILES || files.reduce((bytes, { size }) => bytes + size, 0) >= WORTH_BYTES;

function startWorker(
  job: LearnJob,
  take: (start: number, learned: readonly Learned[]) => void,
): { finished: Promise<void>; stop: () => Promise<unknown> } | undefined {
  const script = workerScript();
  if (script === undefined) return undefined;
  const worker = new Worker(script, { workerData: job });
  const finished = new Promise<void>((done) => {
    worker.on('message', (message: { start: number; learned: Learned[] } | { done: true }) => {
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
  return ['./learn-worker.js', '../learn-worker.js']
    .map((path) => new URL(path, import.meta.url))
    .find((url) => existsSync(fileURLToPath(url)));
}
