/**
 * One budget of bytes for all that is held on behalf of visitors. Where it is used up whoever holds most of it gives way,
 * and whoever asks while holding most gets nothing: one that takes its answers holds next to nothing at any moment.
 */
import type { Buffer } from 'node:buffer';
import type { Visitor } from './visitor.js';

interface Holding {
  readonly bytes: number;
  /** Bytes that others may hold too, and that count once. */
  readonly shared: Buffer | undefined;
  readonly cut: () => void;
}

export interface Ask {
  readonly visitor: Visitor;
  readonly bytes: number;
  readonly shared?: Buffer;
  /** Ends what the bytes are held for. */
  readonly cut: () => void;
}

export class Ledger {
  readonly #limit: number;
  readonly #holders = new Map<Visitor, { bytes: number; readonly holdings: Set<Holding> }>();
  readonly #shared = new Map<Buffer, number>();
  #total = 0;

  /** @param limit bytes */
  constructor(limit: number) {
    this.#limit = limit;
  }

  get total(): number {
    return this.#total;
  }

  /** @returns gives the bytes back, as often as it is called; undefined where there are none to be had */
  take({ visitor, bytes, shared, cut }: Ask): (() => void) | undefined {
    const more = shared && this.#shared.has(shared) ? 0 : bytes;
    while (this.#total + more > this.#limit) {
      const [most, held] = this.#largest();
      if (!most || most === visitor || (this.#holders.get(visitor)?.bytes ?? 0) + bytes > held)
        return undefined;
      for (const holding of this.#holders.get(most)?.holdings ?? []) {
        this.#release(most, holding);
        holding.cut();
      }
    }
    const holding: Holding = { bytes, shared, cut };
    let holder = this.#holders.get(visitor);
    if (!holder) this.#holders.set(visitor, (holder = { bytes: 0, holdings: new Set() }));
    holder.holdings.add(holding);
    holder.bytes += bytes;
    if (shared) this.#shared.set(shared, (this.#shared.get(shared) ?? 0) + 1);
    this.#total += more;
    return () => this.#release(visitor, holding);
  }

  #largest(): readonly [visitor: Visitor | undefined, bytes: number] {
    let found: Visitor | undefined;
    let most = 0;
    for (const [visitor, { bytes }] of this.#holders) if (bytes > most) [found, most] = [visitor, bytes];
    return [found, most];
  }

  #release(visitor: Visitor, holding: Holding): void {
    const holder = this.#holders.get(visitor);
    if (!holder?.holdings.delete(holding)) return;
    holder.bytes -= holding.bytes;
    if (holder.holdings.size === 0) this.#holders.delete(visitor);
    const { shared, bytes } = holding;
    if (!shared) {
      this.#total -= bytes;
      return;
    }
    const others = (this.#shared.get(shared) ?? 1) - 1;
    if (others > 0) return void this.#shared.set(shared, others);
    this.#shared.delete(shared);
    this.#total -= bytes;
  }
}
