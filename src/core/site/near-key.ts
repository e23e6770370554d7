/** The key that was probably meant by one that does not exist. */
import { distance } from 'fastest-levenshtein';
import { fileName } from './key.js';

export interface NearKey {
  readonly key: string;
  /** What is different about it, as a clause. */
  readonly because: string;
  /** Whether the file itself has the wrong name, not the address. */
  readonly misnamed?: boolean;
  /** Whether it is there compressed alone, under a name that says so. */
  readonly compressed?: boolean;
}

const COMPRESSED = /\.(?:gz|br|zst)$/;

/** Beyond this many keys only those of the same folder are compared letter by letter. */
const MANY = 2000;

/** Looks near misses up; the tables are made once for all questions. */
export class KeyIndex {
  readonly #under: string;
  readonly #keys: readonly string[];
  readonly #known: ReadonlySet<string>;
  #folded: Map<string, string> | undefined;
  #stems: Map<string, string> | undefined;

  /** @param under the folder of the bucket that the site lies in, with its closing slash */
  constructor(keys: Iterable<string>, under = '') {
    this.#under = under;
    this.#known = new Set(keys);
    this.#keys = [...this.#known];
  }

  /** The key that differs in the case or the composition of its letters alone. */
  sameLetters(key: string): NearKey | undefined {
    this.#folded ??= firstBy(this.#keys, fold);
    const found = this.#folded.get(fold(key));
    if (found === undefined || found === key) return undefined;
    return {
      key: found,
      because:
        found.toLowerCase() === key.toLowerCase()
          ? 'the case of letters counts'
          : 'the letters are composed otherwise',
    };
  }

  near(key: string): NearKey | undefined {
    const same = this.sameLetters(key);
    if (same) return same;
    if (this.#under !== '' && this.#known.has(this.#under + key))
      return { key: this.#under + key, because: `the site lies under /${this.#under}` };
    for (const ending of ['.html', '.htm', '/index.html'])
      if (this.#known.has(key + ending)) return { key: key + ending, because: 'the key has an ending' };
    this.#stems ??= stemsOf(this.#keys);
    const doubled = this.#stems.get(key);
    if (doubled !== undefined && COMPRESSED.test(doubled))
      return { key: doubled, because: `it was published compressed, as ${doubled}`, compressed: true };
    if (doubled !== undefined)
      return { key: doubled, because: `it was published as ${doubled}`, misnamed: true };
    const stem = key.replace(/\.[^./]+$/, '');
    const sibling = stem === key ? undefined : this.#stems.get(stem);
    if (sibling !== undefined && sibling !== key) return { key: sibling, because: 'the extension differs' };
    const folder = key.slice(0, key.lastIndexOf('/') + 1);
    const candidates =
      this.#keys.length <= MANY
        ? this.#keys
        : this.#keys.filter((each) => each.startsWith(folder)).slice(0, MANY);
    const spelt = closestKey(key, candidates);
    return spelt === undefined ? undefined : { key: spelt, because: 'it is spelt almost so' };
  }
}

/** The key that differs in so few letters that it may have been meant; short names must differ in one alone. */
function closestKey(key: string, candidates: readonly string[]): string | undefined {
  const wanted = key.toLowerCase();
  const stem = fileName(key).replace(/\.[^.]+$/, '');
  let most = Math.max(1, Math.floor((stem.length || key.length) / 4));
  let best: string | undefined;
  for (const candidate of candidates) {
    if (Math.abs(candidate.length - key.length) > most) continue;
    const away = distance(wanted, candidate.toLowerCase());
    if (away > most || (best !== undefined && away === most)) continue;
    most = away;
    best = candidate;
  }
  return best;
}

const fold = (key: string): string => key.normalize('NFKC').toLowerCase();

function firstBy(keys: readonly string[], by: (key: string) => string): Map<string, string> {
  const map = new Map<string, string>();
  for (const key of keys) {
    const name = by(key);
    if (!map.has(name)) map.set(name, key);
  }
  return map;
}

/** Every key by what it is without its last extension. */
const stemsOf = (keys: readonly string[]): Map<string, string> =>
  firstBy(
    keys.filter((key) => /\.[^./]+$/.test(key)),
    (key) => key.replace(/\.[^./]+$/, ''),
  );
