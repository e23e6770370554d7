/** How many requests are under way at once: more as long as that helps, half as many where a store is overburdened. */
export class Pace {
  readonly #most: number;
  #limit: number;
  #underWay = 0;
  readonly #waiting: (() => void)[] = [];

  /** @param most never more than these; above eight they only wait longer */
  constructor(most: number) {
    this.#most = most;
    this.#limit = Math.min(4, most);
  }

  get limit(): number {
    return Math.floor(this.#limit);
  }

  /** Waits until one more may begin. */
  async enter(): Promise<void> {
    while (this.#underWay >= this.limit) await new Promise<void>((go) => this.#waiting.push(go));
    this.#underWay++;
  }

  leave(): void {
    this.#underWay--;
    this.#waiting.shift()?.();
  }

  /** One was answered well. */
  grow(): void {
    this.#limit = Math.min(this.#most, this.#limit + 1 / this.#limit);
    if (this.#underWay < this.limit) this.#waiting.shift()?.();
  }

  /** One was put off, or never answered. */
  shrink(): void {
    this.#limit = Math.max(1, this.#limit / 2);
  }
}
