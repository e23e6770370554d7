/**
 * Answers that come piece by piece, each as fast as its visitor takes it and no more than a window ahead. One that nobody
 * takes anything of gives way to those that wait for its place.
 */
import { Readable } from 'node:stream';
import { Busy, Slots } from './slots.js';
import type { Visit } from './visitor.js';

interface Long {
  readonly body: Readable;
  /** When a piece of it was taken last, by the clock of `performance`. */
  moved: number;
}

/** Milliseconds without a piece taken after which an answer may be cut, and how often that is looked at. */
const [STALLED_MS, LOOK_MS] = [2000, 250];
/** Bytes that are ready before they are taken. */
const AHEAD = 64 * 1024;

export class LongAnswers {
  readonly #slots: Slots;
  readonly #open = new Set<Long>();
  #looks: NodeJS.Timeout | undefined;

  constructor(most: number, mostWaitingOfOne: number) {
    this.#slots = new Slots(most, mostWaitingOfOne);
  }

  tryTake(): (() => void) | undefined {
    return this.#slots.tryTake();
  }

  /** @throws Busy where too many of the same visitor wait already */
  take(visit: Visit): Promise<() => void> {
    const taken = this.#slots.take(visit);
    this.#looks ??= setInterval(() => this.#cutStalled(), LOOK_MS).unref();
    return taken;
  }

  /** The body as it is to be taken. @param giveBack its place, once it is over */
  open(body: Readable, giveBack: () => void): Readable {
    const long: Long = { body, moved: performance.now() };
    this.#open.add(long);
    body.once('close', () => {
      this.#open.delete(long);
      giveBack();
    });
    async function* pieces(): AsyncGenerator<Buffer> {
      for await (const piece of body as AsyncIterable<Buffer>) {
        long.moved = performance.now();
        yield piece;
      }
    }
    const taken = Readable.from(pieces(), { objectMode: false, highWaterMark: AHEAD });
    return taken.on('error', () => undefined).on('close', () => body.destroy());
  }

  #cutStalled(): void {
    if (!this.#slots.isAnyoneWaiting) {
      clearInterval(this.#looks);
      this.#looks = undefined;
      return;
    }
    const now = performance.now();
    for (const { body, moved } of this.#open) if (now - moved > STALLED_MS) body.destroy(new Busy());
  }
}
