/**
 * Run in a process of its own, since what it opens may end it: for each folder that a line of its input names, one line
 * tells what a reader of the store in it gets, or why nothing.
 */
import { createHash } from 'node:crypto';
import { createInterface } from 'node:readline';
import { FenestraError } from '../../src/core/errors/catalogue.js';
import { EmbeddedStore } from '../../src/stores/embedded/embedded-store.js';

async function readAll(root: string): Promise<{ state: string; bodies: string[] }> {
  const store = EmbeddedStore.open(root);
  const state = createHash('sha256');
  const bodies: string[] = [];
  try {
    for (const bucket of await store.buckets()) {
      state.update(JSON.stringify(bucket));
      for (const record of await store.releases(bucket.name)) {
        state.update(JSON.stringify(record));
        const snapshot = await store.open(bucket.name, record.release);
        for await (const object of snapshot.objects()) {
          state.update(JSON.stringify([object, await snapshot.find(object.key)]));
          const hash = createHash('sha256');
          try {
            for await (const piece of snapshot.read(object)) hash.update(piece);
            if (object.size > 0 && hash.digest('hex') !== object.digest) bodies.push(`WRONG ${object.key}`);
          } catch (error) {
            if (!(error instanceof FenestraError && error.code === 'BODY_DAMAGED')) throw error;
            bodies.push(`damaged ${object.key}`);
          }
        }
        await snapshot.close();
      }
    }
  } finally {
    await store.close();
  }
  return { state: state.digest('hex'), bodies };
}

for await (const line of createInterface({ input: process.stdin })) {
  let said: unknown;
  try {
    said = await readAll(line);
  } catch (error) {
    said =
      error instanceof FenestraError
        ? { code: error.code, message: error.message }
        : { code: 'DEFECT', message: String(error instanceof Error ? error.stack : error) };
  }
  process.stdout.write(`${JSON.stringify(said)}\n`);
}
