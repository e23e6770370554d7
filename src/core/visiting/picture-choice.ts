/** Which address a browser takes of a `srcset`, a `sizes` and the sources of a picture (HTML section 4.8.4.3). */
import { matchesMedia } from './media-query.js';
import { lengthOf, splitList, type Screen } from './screen.js';
import { parseSrcset } from '../reading/page/srcset.js';

export interface Candidate {
  readonly url: string;
  /** Pixels wide, or device pixels for each CSS pixel. */
  readonly width?: number;
  readonly density?: number;
}

export function readCandidates(srcset: string): Candidate[] {
  return parseSrcset(srcset).flatMap(({ url, at }, n, all): Candidate[] => {
    const words = srcset
      .slice(at + url.length, all[n + 1]?.at ?? srcset.length)
      .split(/[\s,]+/)
      .filter(Boolean);
    if (words.length === 0) return [{ url, density: 1 }];
    let made: Candidate = { url };
    for (const word of words) {
      const [, number, unit] = /^(\d+(?:\.\d+)?|\.\d+)([wxh])$/.exec(word) ?? [];
      // What is not understood takes the whole candidate with it.
      if (number === undefined) return [];
      if (unit === 'w') made = { ...made, width: Number(number) };
      if (unit === 'x') made = { ...made, density: Number(number) };
    }
    return [made.width === undefined && made.density === undefined ? { ...made, density: 1 } : made];
  });
}

/** Longer ones are no sizes. */
const LONGEST = 4000;

/** The width that `sizes` gives a picture, in CSS pixels; undefined where only the layout knows. */
export function widthOf(sizes: string | undefined, screen: Screen): number | undefined {
  if ((sizes?.length ?? 0) > LONGEST) return screen.width;
  for (const part of splitList(sizes ?? '')) {
    if (part === '') continue;
    if (/^auto\b/i.test(part)) return undefined;
    const from = startOfLength(part);
    const length = part.slice(from);
    const condition = part.slice(0, from).trim();
    if (condition !== '' && !matchesMedia(condition, screen)) continue;
    const pixels = reckonLength(length, screen);
    if (pixels !== undefined) return pixels;
  }
  return screen.width;
}

/** A length in CSS pixels, be it reckoned; undefined for what is none. */
export const reckonLength = (text: string, screen: Screen): number | undefined =>
  text.length > LONGEST
    ? undefined
    : /^(?:calc|min|max|clamp)\(/i.test(text)
      ? new Sum(text, screen).value()
      : lengthOf(text, screen);

/** Where the last word of a size begins; a function is one word. */
function startOfLength(text: string): number {
  let depth = 0;
  for (let at = text.length - 1; at >= 0; at--) {
    const character = text.charAt(at);
    if (character === ')') depth++;
    else if (character === '(') depth--;
    else if (depth === 0 && /\s/.test(character)) return at + 1;
  }
  return 0;
}

/** Adds up `calc()` and its like. */
class Sum {
  readonly #words: readonly string[];
  readonly #screen: Screen;
  #at = 0;

  constructor(text: string, screen: Screen) {
    this.#words = text.match(/(?:calc|min|max|clamp)?\(|[),*/]|[+-](?=\s)|[^\s(),*/]+/gi) ?? [];
    this.#screen = screen;
  }

  value(): number | undefined {
    const value = this.#product();
    return this.#at === this.#words.length && Number.isFinite(value) ? value : undefined;
  }

  #sum(): number {
    let sum = this.#product();
    for (
      let operator = this.#words[this.#at];
      operator === '+' || operator === '-';
      operator = this.#words[this.#at]
    ) {
      this.#at++;
      sum += (operator === '+' ? 1 : -1) * this.#product();
    }
    return sum;
  }

  #product(): number {
    let product = this.#one();
    for (
      let operator = this.#words[this.#at];
      operator === '*' || operator === '/';
      operator = this.#words[this.#at]
    ) {
      this.#at++;
      product *= operator === '*' ? this.#one() : 1 / this.#one();
    }
    return product;
  }

  #one(): number {
    const word = (this.#words[this.#at++] ?? '').toLowerCase();
    if (!word.endsWith('(')) return lengthOf(word, this.#screen) ?? (word === '' ? NaN : Number(word));
    const values = [this.#sum()];
    while (this.#words[this.#at] === ',') {
      this.#at++;
      values.push(this.#sum());
    }
    this.#at++;
    const [first = NaN, second = NaN, third = NaN] = values;
    if (word === 'min(') return Math.min(...values);
    if (word === 'max(') return Math.max(...values);
    return word === 'clamp(' ? Math.max(first, Math.min(second, third)) : first;
  }
}

/** The smallest candidate that is sharp enough, else the sharpest. @param width of the picture, CSS pixels */
export function chooseCandidate(
  candidates: readonly Candidate[],
  width: number,
  { density: wanted }: Screen,
): string | undefined {
  let best: { readonly url: string; readonly density: number } | undefined;
  for (const { url, width: wide, density = (wide ?? 0) / Math.max(1, width) } of candidates) {
    const closer =
      !best || (best.density < wanted ? density > best.density : density >= wanted && density < best.density);
    if (closer) best = { url, density };
  }
  return best?.url;
}

const SHOWN =
  /^image\/(?:avif|webp|jxl|jpe?g|png|apng|gif|svg\+xml|bmp|x-icon|vnd\.microsoft\.icon|x-ms-bmp|pjpeg|x-png)$/i;

/** Whether browsers show pictures of a type, as it is declared; one that declares nothing is tried. */
export const isShown = (type: string | undefined): boolean =>
  type === undefined || type.trim() === '' || SHOWN.test(type.split(';')[0]?.trim() ?? '');

const PLAYED =
  /^(?:video\/(?:mp4|webm|x-m4v|quicktime|x-matroska)|audio\/(?:mpeg|mp3|mp4|x-m4a|aac|ogg|webm|wav|x-wav|flac|x-flac|wave)|application\/ogg)$/i;

/** The same of film and sound. */
export const isPlayed = (type: string | undefined): boolean =>
  type === undefined || type.trim() === '' || PLAYED.test(type.split(';')[0]?.trim() ?? '');
