/** Which of a page's icons a browser asks for: the one that fits best, and the next one where it fits less than it said. */

export interface IconCandidate {
  /** As written. */
  readonly url: string;
  /** The sizes that it says it has, in pixels; `any` for graphics, undefined where it says nothing. */
  readonly sizes: readonly number[] | 'any' | undefined;
}

/** Pixels that browsers look for. */
const [SMALL, LARGE] = [16, 32];

/** How well an icon fits that has these sizes, from 0 to 1. The order is what Chromium was seen to take. */
export function fitOf(sizes: readonly number[] | 'any'): number {
  if (sizes === 'any') return 0.99;
  if (sizes.includes(SMALL) && sizes.includes(LARGE)) return 1;
  return Math.max(0, ...sizes.map(fitOfOne));
}

function fitOfOne(size: number): number {
  if (size === LARGE) return 0.98;
  if (size === SMALL) return 0.9;
  return size > LARGE ? 0.8 - Math.min(size, 5000) / 10_000 : (0.2 * size) / LARGE;
}

/** What says nothing of its size is taken for one that fits, until it is there. */
const promiseOf = ({ sizes }: IconCandidate): number =>
  sizes === undefined || sizes === 'any' ? 1 : fitOf(sizes);

/** The order in which they are tried: of equals the later one first. */
export const inOrder = (candidates: readonly IconCandidate[]): IconCandidate[] =>
  candidates
    .map((candidate, at) => ({ candidate, at }))
    .sort((a, b) => promiseOf(b.candidate) - promiseOf(a.candidate) || b.at - a.at)
    .map(({ candidate }) => candidate);

/** Whether a browser tries one more. @param best fit of those that it has */
export const isWorthTrying = (next: IconCandidate, best: number): boolean => promiseOf(next) > best;

/** What `sizes` says. @param type as written */
export function readSizes(sizes: string | undefined, type: string | undefined): IconCandidate['sizes'] {
  const words = (sizes ?? '').toLowerCase().split(/\s+/).filter(Boolean).slice(0, 100);
  if (words.includes('any') || (words.length === 0 && /^image\/svg\+xml\b/i.test(type?.trim() ?? '')))
    return 'any';
  const known = words.flatMap((word) => {
    const [, width] = /^(\d{1,5})x\d{1,5}$/.exec(word) ?? [];
    return width === undefined ? [] : [Number(width)];
  });
  return known.length > 0 ? known : undefined;
}

/** The sizes that a picture really has; undefined where its first bytes do not tell. */
export function sizesOf(bytes: Uint8Array): readonly number[] | 'any' | undefined {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length >= 24 && view.getUint32(0) === 0x89504e47) return [view.getUint32(16)];
  if (bytes.length >= 10 && view.getUint32(0) === 0x47494638) return [view.getUint16(6, true)];
  if (bytes.length >= 6 && view.getUint32(0) === 0x00000100) {
    const count = view.getUint16(4, true);
    const sizes: number[] = [];
    for (let n = 0; n < count && 6 + 16 * (n + 1) <= bytes.length; n++) sizes.push(bytes[6 + 16 * n] || 256);
    return sizes;
  }
  return /<svg\b/i.test(new TextDecoder('latin1').decode(bytes)) ? 'any' : undefined;
}
