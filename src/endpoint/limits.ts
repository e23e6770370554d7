/** Bounds of one answer: an endpoint may send slowly or without end, and nobody waits for it for ever. */

export interface AnswerLimits {
  /** Milliseconds for the whole answer. */
  readonly wholeMs: number;
  /** Bytes of the body. */
  readonly mostBytes: number;
}

/** Bytes a second of the slowest line that is still waited for. */
const SLOWEST = 64 * 1024;
/** Bytes that an answer may have beyond those of the object: error pages and the like are not ours to know. */
const MARGIN = 4 * 2 ** 20;

/** @param wholeMs milliseconds for a small answer @param bytes of the body that is expected */
export const limitsFor = (wholeMs: number, bytes: number): AnswerLimits => ({
  // Timers of one length are cheap to have many of.
  wholeMs: wholeMs + Math.round((bytes / SLOWEST) * 10) * 100,
  mostBytes: bytes + MARGIN,
});

/** Ends an answer that goes beyond its bounds. */
export class BeyondLimits extends Error {}

export const tooLate = ({ wholeMs }: AnswerLimits): BeyondLimits =>
  new BeyondLimits(`the answer was not whole after ${Math.round(wholeMs / 100) / 10} s`);

export const tooLong = ({ mostBytes }: AnswerLimits): BeyondLimits =>
  new BeyondLimits(`the body goes on after ${mostBytes} bytes`);
