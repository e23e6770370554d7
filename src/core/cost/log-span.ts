/** Which time a log is of: from every line, in whatever order they come. */

export interface LogSpan {
  /** Of the earliest and the latest request: milliseconds since the epoch; equal where there is no span. */
  readonly from: number;
  readonly to: number;
  /** How often a line is earlier than the one before it, by more than a server may be late to write it. */
  readonly stepsBack: number;
  /** Days without any request, where they are at least one after the other: from when, and for how many hours. */
  readonly gaps: readonly { readonly from: number; readonly hours: number }[];
}

const HOUR_MS = 3_600_000;
/** A server writes a line when the response is out. */
const LATE_MS = 3_600_000;
const GAP_HOURS = 24;
/** Some twenty years; hours beyond are not looked at for gaps. */
const MAX_HOURS = 200_000;

export class LogSpans {
  #from = Infinity;
  #to = -Infinity;
  #stepsBack = 0;
  #last = -Infinity;
  #lastHour = NaN;
  readonly #hours = new Set<number>();

  /** @param at milliseconds since the epoch; NaN says nothing */
  note(at: number): void {
    if (Number.isNaN(at)) return;
    if (at < this.#from) this.#from = at;
    if (at > this.#to) this.#to = at;
    if (at < this.#last - LATE_MS) this.#stepsBack++;
    this.#last = at;
    const hour = Math.floor(at / HOUR_MS);
    if (hour === this.#lastHour) return;
    this.#lastHour = hour;
    if (this.#hours.size < MAX_HOURS) this.#hours.add(hour);
  }

  /** Undefined where no line says a time. */
  result(): LogSpan | undefined {
    if (this.#from === Infinity) return undefined;
    const hours = Float64Array.from(this.#hours).sort();
    const gaps: { from: number; hours: number }[] = [];
    for (let at = 1; at < hours.length; at++) {
      const before = (hours[at - 1] ?? 0) + 1;
      const empty = (hours[at] ?? 0) - before;
      if (empty >= GAP_HOURS) gaps.push({ from: before * HOUR_MS, hours: empty });
    }
    return { from: this.#from, to: this.#to, stepsBack: this.#stepsBack, gaps };
  }
}
