/** Sets of small numbers, a bit each. */
export type Bits = Uint32Array;

/** @param size the numbers are below it */
export const noBits = (size: number): Bits => new Uint32Array((size + 31) >>> 5);

export function allBits(size: number): Bits {
  const bits = noBits(size).fill(0xffffffff);
  if (size % 32 !== 0) bits[bits.length - 1] = (1 << (size % 32)) - 1;
  return bits;
}

export const addBit = (bits: Bits, at: number): void => {
  bits[at >>> 5] = (bits[at >>> 5] ?? 0) | (1 << (at & 31));
};

export const hasBit = (bits: Bits, at: number): boolean => (((bits[at >>> 5] ?? 0) >>> (at & 31)) & 1) === 1;

export function bothBits(a: Bits, b: Bits): Bits {
  const both = new Uint32Array(a.length);
  for (let at = 0; at < a.length; at++) both[at] = (a[at] ?? 0) & (b[at] ?? 0);
  return both;
}

export function eitherBits(a: Bits, b: Bits): Bits {
  const either = new Uint32Array(a.length);
  for (let at = 0; at < a.length; at++) either[at] = (a[at] ?? 0) | (b[at] ?? 0);
  return either;
}

/** Into the first. */
export function addBits(bits: Bits, more: Bits): void {
  for (let at = 0; at < bits.length; at++) bits[at] = (bits[at] ?? 0) | (more[at] ?? 0);
}

export function bitsWithout(a: Bits, b: Bits): Bits {
  const rest = new Uint32Array(a.length);
  for (let at = 0; at < a.length; at++) rest[at] = (a[at] ?? 0) & ~(b[at] ?? 0);
  return rest;
}

export function hasBits(bits: Bits): boolean {
  for (let at = 0; at < bits.length; at++) if (bits[at] !== 0) return true;
  return false;
}

/** Whether some number is in both. */
export function meet(a: Bits, b: Bits): boolean {
  for (let at = 0; at < a.length; at++) if (((a[at] ?? 0) & (b[at] ?? 0)) !== 0) return true;
  return false;
}

export const bitsWhere = (size: number, is: (at: number) => boolean): Bits => {
  const bits = noBits(size);
  for (let at = 0; at < size; at++) if (is(at)) addBit(bits, at);
  return bits;
};

/** Whether all of one are in the other. */
export function isWithin(inner: Bits, outer: Bits): boolean {
  for (let at = 0; at < inner.length; at++) if (((inner[at] ?? 0) & ~(outer[at] ?? 0)) !== 0) return false;
  return true;
}

export function countBits(bits: Bits): number {
  let count = 0;
  for (let word of bits) for (; word !== 0; word &= word - 1) count++;
  return count;
}

/** Calls with each number, in order. */
export function eachBit(bits: Bits, visit: (at: number) => void): void {
  for (let index = 0; index < bits.length; index++)
    for (let word = bits[index] ?? 0; word !== 0; word &= word - 1)
      visit(index * 32 + 31 - Math.clz32(word & -word));
}
