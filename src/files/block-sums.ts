/**
 * Checksums of a body's blocks, so that a part of it is checked as well as the whole, and every block before it is
 * sent. They tell what a disk or an edit has changed; against forgery there is the digest of the whole.
 */
import { createHash } from 'node:crypto';
import { crc32 } from 'node:zlib';

/** Bytes of a block; the last one of a body may be shorter. */
export const BLOCK = 1 << 18;
const SUM = 4;

/** Sums up bytes as they come. */
export class BlockSums {
  readonly #sums: number[] = [];
  #sum = 0;
  #filled = 0;

  add(piece: Uint8Array): void {
    for (let at = 0; at < piece.length;) {
      const part = piece.subarray(at, at + BLOCK - this.#filled);
      this.#sum = crc32(part, this.#sum);
      this.#filled += part.length;
      at += part.length;
      if (this.#filled === BLOCK) this.#next();
    }
  }

  /** Four bytes for each block. */
  finish(): Buffer {
    if (this.#filled > 0) this.#next();
    const packed = Buffer.alloc(this.#sums.length * SUM);
    for (const [block, sum] of this.#sums.entries()) packed.writeUInt32LE(sum, block * SUM);
    return packed;
  }

  #next(): void {
    this.#sums.push(this.#sum);
    this.#sum = 0;
    this.#filled = 0;
  }
}

export interface Summed {
  /** SHA-256, in hexadecimal. */
  readonly digest: string;
  readonly size: number;
  readonly sums: Buffer;
}

export async function sumUp(pieces: AsyncIterable<Uint8Array> | Iterable<Uint8Array>): Promise<Summed> {
  const [hash, sums] = [createHash('sha256'), new BlockSums()];
  let size = 0;
  for await (const piece of pieces) {
    hash.update(piece);
    sums.add(piece);
    size += piece.length;
  }
  return { digest: hash.digest('hex'), size, sums: sums.finish() };
}

/** The first byte of the block that a byte lies in. */
export const blockStart = (at: number): number => at - (at % BLOCK);

/** Part of a body of `size` bytes; both ends included, from 0. */
export interface Part {
  readonly size: number;
  readonly start: number;
  readonly end: number;
}

/**
 * Passes a part of a body on, each block once it has proved to be what was summed up.
 * @param pieces the body from `blockStart(start)` on
 * @param wrong makes what is thrown where they are not
 */
export async function* verifyBlocks(
  pieces: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
  sums: Buffer,
  { size, start, end }: Part,
  wrong: () => Error,
): AsyncGenerator<Uint8Array> {
  let at = blockStart(start);
  for await (const block of intoBlocks(pieces, Math.min(size, blockStart(end) + BLOCK) - at)) {
    const place = (at / BLOCK) * SUM;
    if (place + SUM > sums.length || crc32(block) !== sums.readUInt32LE(place)) throw wrong();
    yield block.subarray(Math.max(0, start - at), end + 1 - at);
    at += block.length;
  }
  if (at <= end) throw wrong();
}

/** Cuts pieces into blocks of their own; nothing is taken beyond so many bytes. */
async function* intoBlocks(
  pieces: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
  most: number,
): AsyncGenerator<Uint8Array> {
  let left = most;
  let block = Buffer.allocUnsafe(Math.min(BLOCK, left));
  let filled = 0;
  for await (const piece of pieces) {
    for (let at = 0; at < piece.length && left > 0;) {
      const part = piece.subarray(at, at + block.length - filled);
      block.set(part, filled);
      filled += part.length;
      at += part.length;
      if (filled < block.length) continue;
      yield block;
      left -= block.length;
      block = Buffer.allocUnsafe(Math.min(BLOCK, left));
      filled = 0;
    }
    if (left === 0) return;
  }
  if (filled > 0) yield block.subarray(0, filled);
}
