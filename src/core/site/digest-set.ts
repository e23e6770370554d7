/** Digests, very many of them, in a few bytes each; each can be claimed once. */

/** 96 bits of a digest stand for it. */
const WORDS = 3;
const HEX_OF_WORD = 8;
const FIRST_SLOTS = 1 << 10;

/** A search ends at an empty slot, of which there have to be enough. */
const isCrowded = (count: number, slots: number): boolean => count * 4 > slots * 3;

/** Any odd number without a pattern in its bits. */
const ODD = 0x9e3779b1;

const [EMPTY, HELD, DROPPED] = [0, 1, 2];

export class DigestSet {
  #words: Uint32Array;
  /** What each slot is: EMPTY, HELD or DROPPED. */
  #filled: Uint8Array;
  #count = 0;
  #dropped = 0;
  readonly #sought = new Uint32Array(WORDS);
  readonly #seed: number;

  /** @param seed any number that nobody can foresee @param expected how many will come, where that is known */
  constructor(seed: number, expected = 0) {
    this.#seed = seed;
    let slots = FIRST_SLOTS;
    while (isCrowded(expected, slots)) slots *= 2;
    this.#words = new Uint32Array(slots * WORDS);
    this.#filled = new Uint8Array(slots);
  }

  /** @param digest in hexadecimal @returns whether it is new here; what was dropped is not */
  add(digest: string): boolean {
    if (isCrowded(this.#count + 1, this.#filled.length)) this.#grow();
    const slot = this.#find(digest);
    if (this.#filled[slot] !== EMPTY) return false;
    this.#put(slot, this.#sought, HELD);
    this.#count++;
    return true;
  }

  /** Has it claimed no more. */
  drop(digest: string): void {
    const slot = this.#find(digest);
    if (this.#filled[slot] !== HELD) return;
    this.#filled[slot] = DROPPED;
    this.#dropped++;
  }

  /** @returns what says of each digest, once, that it is one of these, and how many were not asked for */
  claims(): { readonly claim: (digest: string) => boolean; readonly left: () => number } {
    const taken = new Uint8Array(this.#filled.length);
    let left = this.#count - this.#dropped;
    return {
      claim: (digest) => {
        const slot = this.#find(digest);
        if (this.#filled[slot] !== HELD || taken[slot] === 1) return false;
        taken[slot] = 1;
        left--;
        return true;
      },
      left: () => left,
    };
  }

  /** The slot where a digest is, or where it belongs. */
  #find(digest: string): number {
    const sought = this.#sought;
    for (let word = 0; word < WORDS; word++)
      sought[word] = parseInt(digest.slice(word * HEX_OF_WORD, (word + 1) * HEX_OF_WORD), 16);
    return this.#slotOf(sought);
  }

  #slotOf(sought: Uint32Array): number {
    const last = this.#filled.length - 1;
    // What a store tells may be made so that all of it would meet in one slot, were the seed known.
    let mixed = this.#seed;
    for (const word of sought) {
      mixed = Math.imul(mixed ^ word, ODD);
      mixed ^= mixed >>> 15;
    }
    let slot = mixed & last;
    while (this.#filled[slot] !== EMPTY && !this.#holds(slot, sought)) slot = (slot + 1) & last;
    return slot;
  }

  #holds(slot: number, sought: Uint32Array): boolean {
    for (let word = 0; word < WORDS; word++)
      if (this.#words[slot * WORDS + word] !== sought[word]) return false;
    return true;
  }

  #put(slot: number, words: Uint32Array, how: number): void {
    this.#words.set(words, slot * WORDS);
    this.#filled[slot] = how;
  }

  #grow(): void {
    const [words, filled] = [this.#words, this.#filled];
    this.#words = new Uint32Array(words.length * 2);
    this.#filled = new Uint8Array(filled.length * 2);
    for (const [slot, how] of filled.entries()) {
      if (how === EMPTY) continue;
      const moved = words.subarray(slot * WORDS, (slot + 1) * WORDS);
      this.#put(this.#slotOf(moved), moved, how);
    }
  }
}
