/** Work that is under way side by side: whoever asks next is told of the first failure. */
export class UnderWay {
  #count = 0;
  #failure: unknown;
  /** Told when one more is done. */
  #waiting: (() => void) | undefined;

  start(work: Promise<unknown>): void {
    this.#count++;
    work
      .catch((error: unknown) => {
        this.#failure ??= error;
      })
      .finally(() => {
        this.#count--;
        this.#waiting?.();
      });
  }

  /** Waits until fewer than so many are left. There is one caller at a time. */
  async fewerThan(many: number): Promise<void> {
    while (this.#count >= many) {
      await new Promise<void>((done) => (this.#waiting = done));
      this.#waiting = undefined;
    }
  }

  throwFailure(): void {
    if (this.#failure !== undefined) throw this.#failure;
  }
}
