/**
 * When each answer of a page's load is there, on a stated line. A model: names are known, servers answer at once, the
 * whole bandwidth is there from the first byte and is shared evenly. Computed and never measured.
 */
import Queue from 'tinyqueue';
import { MAX_CONNECTIONS, type Connection } from './connection.js';
import type { LoadUse, When } from './page-load.js';

export interface Transfer {
  readonly use: LoadUse;
  /** The place of what it is met in; -1 for the page. */
  readonly by: number;
  readonly when: When;
  readonly blocking: boolean;
  /** Bytes of the answer; 0 where nothing is asked. */
  readonly bytes: number;
  readonly isAsked: boolean;
  /** Whether nobody waits for it: what is asked for to replace a stale copy that is used. */
  readonly isBehind: boolean;
  readonly secure: boolean;
}

/** Seconds from the beginning of the load. */
export interface Timing {
  /** When a browser would ask for it. */
  readonly from: number;
  /** When the request goes out: it may wait for a connection. */
  readonly asked: number;
  /** When the first byte is there. */
  readonly answered: number;
  readonly to: number;
}

/** Bytes of a browser's request, roughly. */
const REQUEST = 450;
/** What browsers ask for first. */
const URGENCY: Readonly<Record<LoadUse, number>> = {
  page: 0,
  frame: 4,
  style: 1,
  font: 1,
  script: 2,
  module: 2,
  data: 3,
  image: 3,
  captions: 4,
  media: 4,
  manifest: 5,
  icon: 5,
  prefetch: 6,
};

/** What is asked for, at the place that it has among the transfers. */
interface Running {
  readonly at: number;
  readonly from: number;
  readonly asked: number;
  readonly answered: number;
}

/** @param transfers each after what it is met in @returns a time for each */
export function timeTransfers(transfers: readonly Transfer[], line: Connection): Timing[] {
  return transfers.some(({ isAsked }) => isAsked)
    ? new Schedule(transfers, line).run()
    : transfers.map(() => AT_ONCE);
}

class Schedule {
  readonly #transfers: readonly Transfer[];
  readonly #line: Connection;
  readonly #timings: (Timing | undefined)[] = [];
  /** By the place of what something is met in: the places of that. */
  readonly #metIn: (number[] | undefined)[] = [];
  /** Met, and not looked at yet. */
  #met: number[];
  /** Met, and waiting for the first layout, or for everything else. */
  #afterLayout: number[] = [];
  #last: number[] = [];
  /** What is late, or met in something that is. */
  readonly #isLate: boolean[] = [];
  /** What comes after the first layout, as what a frame loads does: that layout does not wait for it. */
  readonly #isAfter: boolean[] = [];
  /** Could be asked for, and when they first could; the most urgent first. */
  readonly #ready: Queue<{ readonly at: number; readonly from: number; readonly urgency: number }>;
  /** Asked for, by when the first byte is there. */
  readonly #asked: Queue<Running>;
  /** Coming, by how many bits each has had that comes all the while, once it is whole. */
  readonly #coming: Queue<Running & { readonly whole: number }>;
  #had = 0;
  #holdingLayout = 0;
  #holdingLate = 0;
  #opened = 0;
  #idle = 0;
  #now = 0;

  constructor(transfers: readonly Transfer[], line: Connection) {
    this.#transfers = transfers;
    this.#line = line;
    this.#ready = new Queue(undefined, (a, b) => a.urgency - b.urgency || a.at - b.at);
    this.#asked = new Queue(undefined, (a, b) => a.answered - b.answered || a.at - b.at);
    this.#coming = new Queue(undefined, (a, b) => a.whole - b.whole || a.at - b.at);
    this.#met = [];
    for (const [at, { when, by }] of transfers.entries()) {
      this.#isLate.push(when === 'late' || this.#isLate[by] === true);
      this.#isAfter.push(when !== 'met' || this.#isAfter[by] === true);
      this.#hold(at, 1);
      if (by < 0) this.#met.push(at);
      else (this.#metIn[by] ??= []).push(at);
    }
  }

  /** What the first layout, and what is late, wait for. */
  #hold(at: number, by: 1 | -1): void {
    if (this.#transfers[at]?.blocking && !this.#isAfter[at]) this.#holdingLayout += by;
    if (!this.#isLate[at]) this.#holdingLate += by;
  }

  #end(at: number, timing: Timing): void {
    this.#timings[at] = timing;
    this.#hold(at, -1);
    for (const other of this.#metIn[at] ?? []) this.#met.push(other);
  }

  run(): Timing[] {
    this.#release();
    while (this.#ready.length + this.#asked.length + this.#coming.length > 0) {
      this.#start();
      this.#advance();
      this.#release();
    }
    // What waits for something that never comes is not waited for.
    return this.#transfers.map((_, at) => this.#timings[at] ?? NEVER);
  }

  /** What has become possible; from a cache it is there at once, and more may follow from it. */
  #release(): void {
    for (;;) {
      for (let at = this.#met.pop(); at !== undefined; at = this.#met.pop()) this.#look(at);
      if (this.#holdingLayout === 0 && this.#afterLayout.length > 0)
        [this.#met, this.#afterLayout] = [this.#afterLayout, []];
      else if (this.#holdingLate === 0 && this.#last.length > 0) [this.#met, this.#last] = [this.#last, []];
      else return;
    }
  }

  #look(at: number): void {
    const transfer = this.#transfers[at];
    if (!transfer) return;
    const { when, isAsked, isBehind, use } = transfer;
    const now = this.#now;
    if (when === 'layout' && this.#holdingLayout > 0) this.#afterLayout.push(at);
    else if (when === 'late' && this.#holdingLate > 0) this.#last.push(at);
    else if (isAsked) this.#ready.push({ at, from: now, urgency: isBehind ? 5 : URGENCY[use] });
    else this.#end(at, { from: now, asked: now, answered: now, to: now });
  }

  #start(): void {
    const { multiplexed, rtt, bandwidth } = this.#line;
    for (let next = this.#ready.peek(); next; next = this.#ready.peek()) {
      let setUp = 0;
      const isNew = multiplexed ? this.#opened === 0 : this.#idle === 0;
      if (isNew && this.#opened >= MAX_CONNECTIONS) return;
      if (isNew) {
        this.#opened++;
        setUp = this.#transfers[next.at]?.secure ? 2 * rtt : rtt;
      } else if (!multiplexed) this.#idle--;
      const asked = this.#now + setUp;
      const answered = asked + (REQUEST * 8) / bandwidth + rtt;
      this.#ready.pop();
      this.#asked.push({ at: next.at, from: next.from, asked, answered });
    }
  }

  /** Goes on to the next moment at which something begins to come or has come. */
  #advance(): void {
    for (let next = this.#asked.peek(); next && next.answered <= this.#now; next = this.#asked.peek()) {
      this.#asked.pop();
      if (this.#coming.length === 0) this.#had = 0;
      this.#coming.push({ ...next, whole: this.#had + (this.#transfers[next.at]?.bytes ?? 0) * 8 });
    }
    const first = this.#coming.peek();
    const answered = this.#asked.peek()?.answered ?? Infinity;
    const share = this.#line.bandwidth / Math.max(1, this.#coming.length);
    const whole = first ? this.#now + Math.max(0, first.whole - this.#had) / share : Infinity;
    if (whole <= answered) this.#had = first?.whole ?? 0;
    else this.#had += (answered - this.#now) * share;
    const next = Math.min(whole, answered);
    if (next === Infinity) return;
    this.#now = next;
    for (let each = this.#coming.peek(); each && each.whole <= this.#had + 1e-6; each = this.#coming.peek()) {
      this.#coming.pop();
      const { at, from, asked, answered: since } = each;
      this.#end(at, { from, asked, answered: since, to: next });
      this.#idle++;
    }
  }
}

/** Everything comes from a cache. */
const AT_ONCE: Timing = { from: 0, asked: 0, answered: 0, to: 0 };
const NEVER: Timing = { from: 0, asked: 0, answered: 0, to: 0 };
