/**
 * When each answer of a page's load is there, on a stated line. A model: names are known, servers answer at once, the
 * whole bandwidth is there from the first byte and is shared evenly. Computed and never measured.
 */
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

interface Running {
  readonly at: number;
  readonly from: number;
  readonly asked: number;
  readonly answered: number;
  left: number;
}

/** @param transfers each after what it is met in @returns a time for each */
export function timeTransfers(transfers: readonly Transfer[], line: Connection): Timing[] {
  return new Schedule(transfers, line).run();
}

class Schedule {
  readonly #transfers: readonly Transfer[];
  readonly #line: Connection;
  readonly #timings = new Map<number, Timing>();
  /** Waiting for what they are met in. */
  #waiting: number[];
  /** What is late, or met in something that is. */
  readonly #isLate: boolean[] = [];
  /** What comes after the first layout, as what a frame loads does: that layout does not wait for it. */
  readonly #isAfter: boolean[] = [];
  /** Could be asked for, and when they first could. */
  #ready: { at: number; from: number }[] = [];
  #running: Running[] = [];
  #holdingLayout = 0;
  #holdingLate = 0;
  #opened = 0;
  #idle = 0;
  #now = 0;

  constructor(transfers: readonly Transfer[], line: Connection) {
    this.#transfers = transfers;
    this.#line = line;
    this.#waiting = transfers.map((_, at) => at);
    for (const { when, by } of transfers) {
      this.#isLate.push(when === 'late' || this.#isLate[by] === true);
      this.#isAfter.push(when !== 'met' || this.#isAfter[by] === true);
    }
    transfers.forEach((_, at) => this.#hold(at, 1));
  }

  /** What the first layout, and what is late, wait for. */
  #hold(at: number, by: 1 | -1): void {
    if (this.#transfers[at]?.blocking && !this.#isAfter[at]) this.#holdingLayout += by;
    if (!this.#isLate[at]) this.#holdingLate += by;
  }

  #end(at: number, timing: Timing): void {
    this.#timings.set(at, timing);
    this.#hold(at, -1);
  }

  run(): Timing[] {
    this.#release();
    while (this.#ready.length > 0 || this.#running.length > 0) {
      this.#start();
      this.#advance();
      this.#release();
    }
    // What waits for something that never comes is not waited for.
    return this.#transfers.map((_, at) => this.#timings.get(at) ?? NEVER);
  }

  /** What has become possible; from a cache it is there at once, and more may follow from it. */
  #release(): void {
    for (let again = true; again;) {
      again = false;
      const still: number[] = [];
      for (const at of this.#waiting) {
        const transfer = this.#transfers[at];
        if (!transfer || !this.#isDue(transfer)) still.push(at);
        else if (transfer.isAsked) this.#ready.push({ at, from: this.#now });
        else {
          this.#end(at, { from: this.#now, asked: this.#now, answered: this.#now, to: this.#now });
          again = true;
        }
      }
      this.#waiting = still;
    }
  }

  #isDue({ by, when }: Transfer): boolean {
    if (by >= 0 && !this.#timings.has(by)) return false;
    if (when === 'met') return true;
    return (when === 'layout' ? this.#holdingLayout : this.#holdingLate) === 0;
  }

  #start(): void {
    const { multiplexed, rtt, bandwidth } = this.#line;
    const urgency = (at: number): number => {
      const transfer = this.#transfers[at];
      return transfer ? (transfer.isBehind ? 5 : URGENCY[transfer.use]) : 9;
    };
    this.#ready.sort((a, b) => urgency(a.at) - urgency(b.at) || a.at - b.at);
    const left: { at: number; from: number }[] = [];
    for (const { at, from } of this.#ready) {
      const transfer = this.#transfers[at];
      if (!transfer) continue;
      let setUp = 0;
      if (multiplexed) {
        if (this.#opened === 0) setUp = transfer.secure ? 2 * rtt : rtt;
        this.#opened = 1;
      } else if (this.#idle > 0) this.#idle--;
      else if (this.#opened < MAX_CONNECTIONS) {
        this.#opened++;
        setUp = transfer.secure ? 2 * rtt : rtt;
      } else {
        left.push({ at, from });
        continue;
      }
      const asked = this.#now + setUp;
      const answered = asked + (REQUEST * 8) / bandwidth + rtt;
      this.#running.push({ at, from, asked, answered, left: transfer.bytes * 8 });
    }
    this.#ready = left;
  }

  /** Goes on to the next moment at which something begins to come or has come. */
  #advance(): void {
    const coming = this.#running.filter(({ answered }) => answered <= this.#now);
    const share = this.#line.bandwidth / Math.max(1, coming.length);
    let next = Infinity;
    for (const { answered } of this.#running) if (answered > this.#now) next = Math.min(next, answered);
    for (const { left } of coming) next = Math.min(next, this.#now + left / share);
    if (next === Infinity) return;
    for (const each of coming) each.left -= (next - this.#now) * share;
    this.#now = next;
    const done = coming.filter(({ left }) => left <= 1e-6);
    for (const { at, from, asked, answered } of done) {
      this.#end(at, { from, asked, answered, to: next });
      this.#idle++;
    }
    if (done.length > 0) this.#running = this.#running.filter((each) => !done.includes(each));
  }
}

const NEVER: Timing = { from: 0, asked: 0, answered: 0, to: 0 };
