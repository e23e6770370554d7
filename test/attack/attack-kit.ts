/**
 * What the attacks share: how long they go on, their chance, and their counts. In `npm test` each is a short slice;
 * `npm run attack` runs them a hundred times as long and keeps their figures.
 */
import { appendFileSync } from 'node:fs';
import { expect } from 'vitest';
import { chance, LONGER, SEED } from '../helpers/chance.js';

const FIGURES = process.env['FENESTRA_ATTACK_FIGURES'];

export class Attack {
  readonly next: () => number;
  readonly #name: string;
  readonly #rounds: number;
  readonly #outcomes = new Map<string, number>();
  readonly #harm: string[] = [];

  /** @param rounds of the short slice */
  constructor(name: string, rounds: number) {
    this.#name = name;
    this.#rounds = rounds * LONGER;
    this.next = chance(name);
  }

  get rounds(): number {
    return this.#rounds;
  }

  /**
   * How long an honest visitor may wait. Beside other tests on the same processors nobody can tell whose fault a wait is, so
   * there it is longer. Milliseconds.
   */
  patience(alone: number): number {
    return LONGER > 1 ? alone : alone * 15;
  }

  /** How much may be held; beside other tests the collector comes later. Megabytes. */
  room(alone: number): number {
    return LONGER > 1 ? alone : alone * 1.4;
  }

  /** A whole number from 0, below a bound. */
  below(bound: number): number {
    return Math.floor(this.next() * bound);
  }

  pick<T>(from: readonly T[]): T {
    return from[this.below(from.length)] as T;
  }

  note(outcome: string): void {
    this.#outcomes.set(outcome, (this.#outcomes.get(outcome) ?? 0) + 1);
  }

  harm(what: string): void {
    this.note('harm');
    if (this.#harm.length < 20) this.#harm.push(what);
  }

  /** Expects that no harm was done. @param measured what else the last run has shown */
  finish(measured: Readonly<Record<string, string>> = {}): void {
    const outcomes = Object.fromEntries([...this.#outcomes].sort(([a], [b]) => (a < b ? -1 : 1)));
    const figures = { name: this.#name, seed: SEED, rounds: this.#rounds, outcomes, measured };
    if (LONGER > 1) process.stdout.write(`${JSON.stringify(figures)}\n`);
    if (FIGURES !== undefined) appendFileSync(FIGURES, `${JSON.stringify(figures)}\n`);
    expect(this.#harm).toEqual([]);
    expect(Object.values(outcomes).reduce((sum, count) => sum + count, 0)).toBeGreaterThanOrEqual(
      this.#rounds,
    );
  }
}

/** Makes small changes to bytes: turned bits, lost, doubled and strange parts. */
export function mutate(bytes: Buffer, attack: Attack, strange: readonly string[]): Buffer {
  let now = bytes;
  for (let times = 1 + attack.below(4); times > 0; times--) {
    const at = attack.below(now.length + 1);
    const [before, after] = [now.subarray(0, at), now.subarray(at)];
    const length = 1 + attack.below(12);
    const middle = [
      () => Buffer.from([attack.below(256)]),
      () => Buffer.from(attack.pick(strange)),
      () => after.subarray(0, length),
      () => Buffer.alloc(0),
    ];
    const kind = attack.below(5);
    if (kind === 4) {
      const turned = Buffer.from(now);
      if (turned.length > 0)
        turned[at % turned.length] = (turned[at % turned.length] ?? 0) ^ (1 << attack.below(8));
      now = turned;
    } else
      now = Buffer.concat([
        before,
        middle[kind]?.() ?? Buffer.alloc(0),
        after.subarray(kind === 3 ? length : 0),
      ]);
  }
  return now;
}
