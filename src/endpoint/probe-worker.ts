/** A second thread that asks while the first one answers: see probe-in-thread.ts. */
import { parentPort, workerData } from 'node:worker_threads';
import { LRUCache } from 'lru-cache';
import { listProbes } from '../core/check/probe.js';
import { FenestraError } from '../core/errors/catalogue.js';
import { ObjectColumns } from '../core/site/object-columns.js';
import type { StoredObject } from '../core/site/site-object.js';
import type { BucketView } from '../core/hosting/bucket-view.js';
import type { FromThread, ThreadJob } from './probe-in-thread.js';
import { runProbes } from './run-probes.js';

const { base, view, packed, options } = workerData as ThreadJob;
const tell = (message: FromThread): void => parentPort?.postMessage(message);
const objects = new ObjectColumns(packed);

/** An object is asked for a few times, one soon after the other; what is told of it is made once. */
const recent = new LRUCache<string, StoredObject>({ max: 2 * options.concurrency });
function find(key: string): StoredObject | undefined {
  const known = recent.get(key);
  if (known) return known;
  const object = objects.find(key);
  if (object) recent.set(key, object);
  return object;
}
const found: BucketView = { ...view, find };

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
