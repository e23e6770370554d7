/** Lines that come many at a time: written once for each turn of the event loop. */

export class LineBatch {
  readonly #write: (text: string) => void;
  #lines = '';

  constructor(write: (text: string) => void) {
    this.#write = write;
  }

  /** @param line with its line break */
  add(line: string): void {
    if (this.#lines === '') setImmediate(() => this.flush());
    this.#lines += line;
  }

  /** Writes what has gathered. */
  flush(): void {
    const lines = this.#lines;
    this.#lines = '';
    if (lines !== '') this.#write(lines);
  }
}
