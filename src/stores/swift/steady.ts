/** Bytes that come from elsewhere, as long as they come in earnest. */
import { TooSlow } from './exchange.js';

/** So many bytes a second, on average over the time that is given. */
const LEAST = 1024;

/** @param ms before it is looked at whether enough has come @throws TooSlow */
export async function* steadily(pieces: AsyncIterable<Buffer>, ms: number): AsyncGenerator<Buffer> {
  // Only the time counts in which this side waits: whoever takes them may be slow.
  let [waited, bytes] = [0, 0];
  const coming = pieces[Symbol.asyncIterator]();
  try {
    for (;;) {
      const began = performance.now();
      const { done, value } = await coming.next();
      waited += performance.now() - began;
      if (done) return;
      bytes += value.length;
      if (waited > ms && (bytes * 1000) / waited < LEAST) throw new TooSlow();
      yield value;
    }
  } finally {
    await coming.return?.();
  }
}
