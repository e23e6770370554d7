/** Columns that grow: numbers in one array, strings by number. */

export class GrowingNumbers {
  #numbers: Uint32Array;
  #length: number;

  constructor(kept: Uint32Array = new Uint32Array(0)) {
    this.#numbers = kept;
    this.#length = kept.length;
  }

  get length(): number {
    return this.#length;
  }

  push(...values: readonly number[]): void {
    if (this.#length + values.length > this.#numbers.length) {
      const larger = new Uint32Array(Math.max(64, this.#length * 2, this.#length + values.length));
      larger.set(this.#numbers.subarray(0, this.#length));
      this.#numbers = larger;
    }
    for (const value of values) this.#numbers[this.#length++] = value;
  }

  /** 0 where there is none. */
  at(index: number): number {
    return this.#numbers[index] ?? 0;
  }

  slice(from: number, to: number): Uint32Array {
    return this.#numbers.subarray(from, Math.min(to, this.#length));
  }

  all(): Uint32Array {
    return this.#numbers.slice(0, this.#length);
  }
}

/** Strings by number, each once; those that were kept are cut out of one text when they are asked for. */
export class InternedStrings {
  readonly #kept: string;
  readonly #ends: Uint32Array;
  readonly #added: string[] = [];
  #numbers: Map<string, number> | undefined;

  constructor(kept = '', ends: Uint32Array = new Uint32Array(0)) {
    this.#kept = kept;
    this.#ends = ends;
  }

  at(number: number): string {
    if (number >= this.#ends.length) return this.#added[number - this.#ends.length] ?? '';
    return this.#kept.slice(number === 0 ? 0 : this.#ends[number - 1], this.#ends[number]);
  }

  place(text: string): number {
    this.#numbers ??= new Map(Array.from(this.#ends, (_, number) => [this.at(number), number]));
    let number = this.#numbers.get(text);
    if (number === undefined) {
      // A copy that does not keep the whole page alive, of which the text is a slice.
      const copy = Buffer.from(text, 'utf16le').toString('utf16le');
      number = this.#ends.length + this.#added.push(copy) - 1;
      this.#numbers.set(copy, number);
    }
    return number;
  }

  pack(): { readonly strings: string; readonly ends: Uint32Array } {
    const ends = new Uint32Array(this.#ends.length + this.#added.length);
    ends.set(this.#ends);
    let end = this.#kept.length;
    for (const [at, text] of this.#added.entries()) ends[this.#ends.length + at] = end += text.length;
    return { strings: this.#kept + this.#added.join(''), ends };
  }
}
