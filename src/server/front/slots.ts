/** How many questions to the buckets are under way at once: short ones take turns, long ones give way where nobody takes them. */
import { Readable } from 'node:stream';
import type { Visitor } from './visitor.js';

/** Takes turns: whoever comes while all are taken waits for the next. */
export class Turns {
  readonly #waiting: (() => void)[] = [];
  readonly #mostWaiting: number;
  #free: number;

  constructor(turns: number, mostWaiting: number) {
    this.#free = turns;
    this.#mostWaiting = mostWaiting;
  }

  /** @returns gives the turn back @throws Busy where too many wait already */
  async take(): Promise<() => void> {
    if (this.#free > 0) this.#free--;
    else if (this.#waiting.length >= this.#mostWaiting) throw new Busy();
    else await new Promise<void>((done) => void this.#waiting.push(done));
    let isTaken = true;
    return () => {
      if (!isTaken) return;
      isTaken = false;
      const next = this.#waiting.shift();
      if (next) next();
      else this.#free++;
    };
  }
}

/** There is no room for another answer now. */
export class Busy extends Error {}

interface Long {
  readonly visitor: Visitor;
  readonly body: Readable;
  /** When a piece of it was taken last, by the clock of `performance`. */
  moved: number;
}

/** Milliseconds without a piece taken after which an answer may be cut for the sake of another. */
const STALLED_MS = 500;

/** Answers that come piece by piece, each as fast as its visitor takes it. */
export class LongAnswers {
  readonly #open = new Set<Long>();
  readonly #most: number;
  readonly #mostOfOne: number;

  constructor(most: number, mostOfOne: number) {
    this.#most = most;
    this.#mostOfOne = mostOfOne;
  }

  /** The body as it is to be taken. @throws Busy where too many are being taken */
  open(visitor: Visitor, body: Readable): Readable {
    const own = [...this.#open].filter((each) => each.visitor.address === visitor.address);
    if (own.length >= this.#mostOfOne) this.#cutOne(own);
    else if (this.#open.size >= this.#most) this.#cutOne([...this.#open]);
    const long: Long = { visitor, body, moved: performance.now() };
    this.#open.add(long);
    body.once('close', () => this.#open.delete(long));
    async function* pieces(): AsyncGenerator<Buffer> {
      for await (const piece of body as AsyncIterable<Buffer>) {
        long.moved = performance.now();
        yield piece;
      }
    }
    const taken = Readable.from(pieces(), { objectMode: false, highWaterMark: 64 * 1024 });
    taken.on('error', () => undefined).on('close', () => body.destroy());
    return taken;
  }

  #cutOne(among: readonly Long[]): void {
    const [first] = [...among].sort((a, b) => a.moved - b.moved);
    if (!first || performance.now() - first.moved < STALLED_MS) throw new Busy();
    this.#open.delete(first);
    first.body.destroy(new Busy());
  }
}
