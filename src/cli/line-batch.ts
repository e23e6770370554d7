/**
 * Lines that come many at a time: written once for each turn of the event loop. Where nobody takes them (a pager that
 * waits, a disk that is slow), they are left out and counted, so that the process never fills up with its own log.
 */

export interface LineSink {
  write(text: string): void;
  /** Bytes that were written and that nobody has taken yet. */
  unread(): number;
}

export const MAX_UNREAD_BYTES = 2 ** 20;

export class LineBatch {
  readonly #sink: LineSink;
  readonly #describeLost: (lines: number) => string;
  #lines = '';
  #lost = 0;

  /** @param describeLost what is written of lines that were left out, with its line break */
  constructor(sink: LineSink, describeLost: (lines: number) => string) {
    this.#sink = sink;
    this.#describeLost = describeLost;
  }

  /** @param line with its line break */
  add(line: string): void {
    if (this.#lines.length + this.#sink.unread() >= MAX_UNREAD_BYTES) {
      this.#lost++;
      return;
    }
    if (this.#lines === '') setImmediate(() => this.flush());
    this.#tellLost();
    this.#lines += line;
  }

  /** Writes what has gathered. */
  flush(): void {
    const lines = this.#lines;
    this.#lines = '';
    if (lines !== '') this.#sink.write(lines);
  }

  /** Writes what has gathered, and what was left out at the end. */
  end(): void {
    this.#tellLost();
    this.flush();
  }

  #tellLost(): void {
    if (this.#lost > 0) this.#lines += this.#describeLost(this.#lost);
    this.#lost = 0;
  }
}
