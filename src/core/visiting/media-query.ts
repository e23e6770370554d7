/** Whether a media query (CSS Media Queries 4 and 5) holds on a screen. */
import { lengthOf, splitList, type Screen } from './screen.js';

/** What holds besides sizes: a desk with a mouse, in the light. */
const FEATURES: ReadonlyMap<string, string> = new Map(
  Object.entries({
    'prefers-color-scheme': 'light',
    'prefers-reduced-motion': 'no-preference',
    'prefers-reduced-transparency': 'no-preference',
    'prefers-reduced-data': 'no-preference',
    'prefers-contrast': 'no-preference',
    'forced-colors': 'none',
    'inverted-colors': 'none',
    'display-mode': 'browser',
    hover: 'hover',
    'any-hover': 'hover',
    pointer: 'fine',
    'any-pointer': 'fine',
    scripting: 'enabled',
    update: 'fast',
    grid: '0',
    color: '8',
    scan: 'progressive',
    'overflow-block': 'scroll',
    'overflow-inline': 'scroll',
    'dynamic-range': 'standard',
    'color-gamut': 'srgb',
  }),
);
/** Those that are false where they stand alone. */
const ABSENT = new Set(['no-preference', 'none', '0']);

/** A longer one is no query but an attack on whoever reads it. */
const LONGEST = 2000;

/** Whether a media query list holds; an empty one does. What is not understood does not. */
export function matchesMedia(text: string, screen: Screen): boolean {
  if (text.trim() === '') return true;
  if (text.length > LONGEST) return false;
  return splitList(text.toLowerCase().replace(/\/\*[^*]*\*\//g, ' ')).some(
    (query) => new Condition(query, screen).query() === true,
  );
}

/** Reads one query, word by word. Undefined stands for what is not understood. */
class Condition {
  readonly #words: readonly string[];
  readonly #screen: Screen;
  #at = 0;

  constructor(text: string, screen: Screen) {
    this.#words = text.match(/[()]|[^\s()]+/g) ?? [];
    this.#screen = screen;
  }

  query(): boolean | undefined {
    let negated = false;
    if (this.#peek() === 'only') this.#at++;
    else if (this.#peek() === 'not' && this.#words[this.#at + 1] !== '(') {
      negated = true;
      this.#at++;
    }
    let holds: boolean | undefined;
    const type = this.#peek();
    if (type !== undefined && type !== '(' && type !== 'not') {
      this.#at++;
      holds = type === 'all' || type === 'screen';
      if (this.#peek() === 'and') {
        this.#at++;
        holds = and(holds, this.#all());
      }
    } else holds = this.#all();
    if (this.#at < this.#words.length) return undefined;
    return negated ? not(holds) : holds;
  }

  #peek(): string | undefined {
    return this.#words[this.#at];
  }

  #all(): boolean | undefined {
    let holds = this.#one();
    for (let word = this.#peek(); word === 'and' || word === 'or'; word = this.#peek()) {
      this.#at++;
      const next = this.#one();
      holds = word === 'and' ? and(holds, next) : not(and(not(holds), not(next)));
    }
    return holds;
  }

  #one(): boolean | undefined {
    if (this.#peek() === 'not') {
      this.#at++;
      return not(this.#one());
    }
    if (this.#peek() !== '(') return undefined;
    this.#at++;
    if (this.#peek() === '(' || this.#peek() === 'not') {
      const inner = this.#all();
      return this.#close() ? inner : undefined;
    }
    const from = this.#at;
    // A value may have parentheses of its own, as in `calc()`.
    for (let depth = 0; this.#at < this.#words.length; this.#at++) {
      if (this.#peek() === '(') depth++;
      else if (this.#peek() === ')' && depth-- === 0) break;
    }
    const feature = this.#words.slice(from, this.#at).join(' ');
    return this.#close() ? this.#feature(feature) : undefined;
  }

  #close(): boolean {
    return this.#words[this.#at++] === ')';
  }

  #feature(text: string): boolean | undefined {
    const [name = '', ...rest] = text.split(':');
    if (/^[a-z-]+$/.test(name.trim()))
      return this.#plain(name.trim(), rest.length > 0 ? rest.join(':').trim() : undefined);
    const range = /^(?:(\S+)\s*([<>]=?)\s*)?([a-z-]+)\s*([<>]=?|=)\s*(\S+)$/.exec(text);
    const backwards = range ? undefined : /^(\S+)\s*([<>]=?|=)\s*([a-z-]+)$/.exec(text);
    if (backwards)
      return this.#compare(backwards[3] ?? '', TURNED.get(backwards[2] ?? '') ?? '=', backwards[1]);
    if (!range) return undefined;
    const [, low, lowSign, feature = '', operator = '', high] = range;
    const upper = this.#compare(feature, operator, high);
    return low === undefined
      ? upper
      : and(this.#compare(feature, TURNED.get(lowSign ?? '') ?? '=', low), upper);
  }

  #plain(name: string, value: string | undefined): boolean | undefined {
    const [, bound, bare = ''] = /^(?:-webkit-)?(min-|max-)?(?:device-)?(.+)$/.exec(name) ?? [];
    if (value === undefined) {
      const known = FEATURES.get(bare);
      return known === undefined ? (this.#numberOf(bare) ?? 0) > 0 || undefined : !ABSENT.has(known);
    }
    if (this.#numberOf(bare) !== undefined)
      return this.#compare(bare, bound === 'min-' ? '>=' : bound === 'max-' ? '<=' : '=', value);
    if (bare === 'orientation')
      return value === (this.#screen.width > this.#screen.height ? 'landscape' : 'portrait');
    const known = FEATURES.get(bare);
    return known === undefined ? undefined : known === value;
  }

  #numberOf(name: string): number | undefined {
    const { width, height, density } = this.#screen;
    if (name === 'width') return width;
    if (name === 'height') return height;
    if (name === 'aspect-ratio') return width / height;
    return name === 'resolution' || name === 'pixel-ratio' ? density : undefined;
  }

  #compare(name: string, operator: string, value = ''): boolean | undefined {
    const actual = this.#numberOf(name);
    const wanted = this.#value(name, value);
    if (actual === undefined || wanted === undefined) return undefined;
    if (operator === '=') return actual === wanted;
    return operator.startsWith('<')
      ? actual < wanted || (operator === '<=' && actual === wanted)
      : actual > wanted || (operator === '>=' && actual === wanted);
  }

  #value(name: string, text: string): number | undefined {
    if (name === 'width' || name === 'height') return lengthOf(text, this.#screen);
    if (name === 'aspect-ratio') {
      const [, over, under = '1'] = /^(\d+(?:\.\d+)?)(?:\s*\/\s*(\d+(?:\.\d+)?))?$/.exec(text) ?? [];
      return over === undefined ? undefined : Number(over) / Number(under);
    }
    const [, number, unit = ''] = /^(\d+(?:\.\d+)?|\.\d+)(dppx|x|dpi|dpcm)?$/.exec(text) ?? [];
    if (number === undefined) return undefined;
    return Number(number) / (unit === 'dpi' ? 96 : unit === 'dpcm' ? 96 / 2.54 : 1);
  }
}

const TURNED: ReadonlyMap<string, string> = new Map([
  ['<', '>'],
  ['<=', '>='],
  ['>', '<'],
  ['>=', '<='],
  ['=', '='],
]);

const not = (value: boolean | undefined): boolean | undefined => (value === undefined ? undefined : !value);
const and = (a: boolean | undefined, b: boolean | undefined): boolean | undefined =>
  a === false || b === false ? false : a === undefined || b === undefined ? undefined : true;
