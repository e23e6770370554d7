/** A second thread that asks while the first one answers: see probe-thread.ts. */
import { parentPort } from 'node:worker_threads';
import { LRUCache } from 'lru-cache';
import { listProbes } from '../core/check/list-probes.js';
import { FenestraError } from '../core/errors/catalogue.js';
import { ObjectColumns } from '../core/site/object-columns.js';
import type { StoredObject } from '../core/site/site-object.js';
import type { BucketView } from '../core/hosting/bucket-view.js';
import type { FromThread, ThreadJob } from './probe-thread.js';
import { runProbes } from './run-probes.js';

const tell = (message: FromThread): void => parentPort?.postMessage(message);

/** An object is asked for a few times, one soon after the other; what is told of it is made once. */
function findLately(objects: ObjectColumns, most: number): BucketView['find'] {
  const recent = new LRUCache<string, StoredObject>({ max: most });
  return (key) => {
    const known = recent.get(key);
    if (known) return known;
    const object = objects.find(key);
    if (object) recent.set(key, object);
    return object;
  };
}

async function work({ base, view, packed, options }: ThreadJob): Promise<void> {
  const objects = new ObjectColumns(packed);
  const found: BucketView = { ...view, find: findLately(objects, 2 * options.concurrency) };
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
}

parentPort?.once('message', (job: ThreadJob) => void work(job));
