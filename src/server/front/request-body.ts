/** The body of a request, read whole within a size, a time and a budget of all of them. */
import type { Readable } from 'node:stream';
import type { Ledger } from './ledger.js';
import type { Visitor } from './visitor.js';

/** Bytes of one body, and milliseconds until it is whole. */
const [MAX_BODY, WHOLE_MS] = [2 ** 20, 10_000];

/** The status of a request whose body was not taken. */
export type BodyRefused = 408 | 413 | 503;

export function readRequestBody(
  source: Readable,
  visitor: Visitor,
  ledger: Ledger,
): Promise<Buffer | BodyRefused> {
  return new Promise((done) => {
    const pieces: Buffer[] = [];
    const given: (() => void)[] = [];
    let bytes = 0;
    let isOver = false;
    const end = (outcome: Buffer | BodyRefused): void => {
      if (isOver) return;
      isOver = true;
      clearTimeout(timer);
      for (const giveBack of given) giveBack();
      pieces.length = 0;
      // What still comes of it is let go of, so that the answer can be sent.
      source.removeAllListeners('data').on('data', () => undefined);
      done(outcome);
    };
    const timer = setTimeout(() => end(408), WHOLE_MS);
    source.on('data', (piece: Buffer) => {
      bytes += piece.length;
      if (bytes > MAX_BODY) return end(413);
      const giveBack = ledger.take({ visitor, bytes: piece.length, cut: () => end(503) });
      if (!giveBack) return end(503);
      given.push(giveBack);
      pieces.push(piece);
    });
    source.once('end', () => end(Buffer.concat(pieces)));
    source.once('error', () => end(408)).once('close', () => end(408));
  });
}
