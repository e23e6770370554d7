/**
 * Names of files that a text seems to hold elsewhere than in the references that a browser follows: in strings of a
 * script, in attributes that a script may read, in data. Nobody can tell what becomes of them, so whatever they may mean
 * has to stay where it is.
 */
import { lineCounter } from './lines.js';
import type { Reading, ReadingKind } from './reading.js';

/** A name that is written out, or the pieces around what only a script that runs could tell. */
export interface NamedFile {
  /** The name, or the piece before. */
  readonly name: string;
  /** The piece behind it; undefined for a name that is written out. */
  readonly behind?: string;
  /** Where it is written, in UTF-16 units. */
  readonly at: number;
  readonly line: number;
}

/** What of a text is looked at; of more, nothing is said. */
const MAX_NAMES = 20_000;
/** What is no page, style or script. */
const READ_BY_OTHERS: ReadonlySet<ReadingKind> = new Set(['data', 'svg', 'playlist', 'captions', 'model']);
/** Signs of a name. */
const MAX_LONG = 512;

const ENDS_NAME = /[\s"'`<>()\\,;={}|^\u0000-\u001f]/;
const QUOTE = /["'`]/;
/** In an attribute that is read by people, or that names an element. */
const SAYS =
  /\s(?:alt|title|(?:[a-z]+:)?docname|(?:[a-z]+:)?export-filename|aria-[a-z]+|placeholder|label|summary|download|id|class|name|for)\s*=\s*(?:"[^"]*|'[^']*|[^\s"'>]*)$/i;

/** @param extensions of the files that are looked for, lower case, without their dots */
export function createNameFinder(
  extensions: readonly string[],
): (kind: ReadingKind, text: string, reading: Reading) => NamedFile[] {
  const escaped = extensions.map((each) => each.replace(/[^a-z0-9]/g, '\\$&'));
  const ending =
    escaped.length === 0 ? undefined : new RegExp(`\\.(?:${escaped.join('|')})(?![A-Za-z0-9_])`, 'gi');
  return (kind, text, reading) =>
    // A source map holds whole sources, which nobody loads by it.
    ending === undefined || kind === 'map' ? [] : new NameFinder(kind, text, reading, ending).list();
}

class NameFinder {
  readonly #kind: ReadingKind;
  readonly #text: string;
  readonly #ending: RegExp;
  readonly #known: readonly (readonly [from: number, to: number])[];
  readonly #lineOf: (at: number) => number;
  readonly #found: NamedFile[] = [];

  constructor(kind: ReadingKind, text: string, { references, mapped = [] }: Reading, ending: RegExp) {
    this.#kind = kind;
    this.#text = text;
    this.#ending = ending;
    this.#lineOf = lineCounter(text);
    this.#known = [...references, ...mapped]
      .filter(({ at }) => at >= 0)
      .map(({ at, length }) => [at, at + length] as const)
      .sort((a, b) => a[0] - b[0]);
  }

  list(): NamedFile[] {
    const text = this.#text;
    const regions = this.#kind === 'page' ? new Regions(text) : undefined;
    this.#ending.lastIndex = 0;
    for (let match = this.#ending.exec(text); match; match = this.#ending.exec(text)) {
      const end = match.index + match[0].length;
      let at = match.index;
      while (at > 0 && match.index - at < MAX_LONG && !ENDS_NAME.test(text.charAt(at - 1))) at--;
      if (this.#isKnown(at, end)) continue;
      const region = regions?.at(match.index) ?? (READ_BY_OTHERS.has(this.#kind) ? 'data' : this.#kind);
      const name = text.slice(at, end);
      const before = text.charAt(at - 1);
      if (region === 'script') this.#inScript(name, at, end);
      // Prose and comments name files that nobody loads.
      else if (
        region === 'style' ? /["'(]/.test(before) : region !== 'prose' && /["'`>;=(,\s]/.test(before)
      ) {
        if ((region === 'tag' || region === 'data') && SAYS.test(text.slice(Math.max(0, at - 300), at)))
          continue;
        this.#add(name, at);
      }
    }
    if (this.#kind === 'script') this.#pieces(0, text.length);
    if (this.#kind === 'page') for (const [from, to] of listScripts(text)) this.#pieces(from, to);
    return this.#found.sort((a, b) => a.at - b.at);
  }

  #add(name: string, at: number, behind?: string): void {
    if (this.#found.length >= MAX_NAMES || name.length > MAX_LONG) return;
    this.#found.push({ name, at, line: this.#lineOf(at), ...(behind === undefined ? {} : { behind }) });
  }

  /** A name counts where it is a string, or the end of one. */
  #inScript(name: string, at: number, end: number): void {
    const text = this.#text;
    const before = text.charAt(at - 1);
    if (!/["'`?#$\\\s,]/.test(text.charAt(end))) return;
    if (before === '}') this.#add('', at, name);
    else if (QUOTE.test(before) || /[\s=(,;\\]/.test(before)) {
      if (before === ' ' && !QUOTE.test(text.charAt(end))) return;
      const left = text.slice(Math.max(0, at - 400), at);
      const joined = /\+\s*["'`]$/.test(left);
      const head = joined
        ? /["'`]([^"'`\s<>\\]{0,200})["'`]\s*\+[^"'`;\n]{1,120}\+\s*["'`]$/.exec(left)?.[1]
        : undefined;
      if (joined) this.#add(head ?? '', at, name);
      // An ending by itself is put behind something elsewhere.
      if (QUOTE.test(before) && /^\.[^./]+$/.test(name)) this.#add('', at, name);
      else if (!joined || name.includes('/') || !name.startsWith('.')) this.#add(name, at);
    }
  }

  /** Strings with a folder in them that something is put behind. */
  #pieces(from: number, to: number): void {
    const text = this.#text.slice(from, to);
    for (const found of text.matchAll(/["'`]\s*(?:\+|\.\s*concat\s*\()|\$\{|\/["'`]/g)) {
      // A folder by itself is put before something elsewhere; its slash belongs to it.
      const at = found.index + (found[0].startsWith('/') ? 1 : 0);
      const left = text.slice(Math.max(0, at - 300), at);
      const isJoined = found[0] !== '${';
      const head = (isJoined ? /["'`]([^"'`\s<>\\]{1,200})$/ : /([^"'`\s<>\\{}]{1,200})$/).exec(left)?.[1];
      if (head === undefined || !head.includes('/')) continue;
      const right = text.slice(found.index + found[0].length, found.index + 400);
      const behind =
        (isJoined
          ? /^[^"'`;,\n]{1,120}?\+\s*["'`]([^"'`\s<>\\]{0,200})/
          : /^[^{}]{0,120}\}([^"'`\s<>\\{}$]{0,200})/
        ).exec(right)?.[1] ?? '';
      this.#add(head, from + at - head.length, behind);
    }
  }

  /** Whether a reference that is known has it in itself. */
  #isKnown(from: number, to: number): boolean {
    let [low, high] = [0, this.#known.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((this.#known[middle]?.[0] ?? 0) <= from) low = middle + 1;
      else high = middle;
    }
    return (this.#known[low - 1]?.[1] ?? -1) >= to;
  }
}

/** What stands where in a page; asked for in rising order. */
class Regions {
  readonly #text: string;
  readonly #tags = /<!--|<(script|style)\b|<[A-Za-z]/gi;
  /** Regions that follow each other, as far as they are known. */
  #known: {
    readonly from: number;
    readonly to: number;
    readonly kind: 'prose' | 'tag' | 'script' | 'style';
  }[] = [];
  #next = 0;

  constructor(text: string) {
    this.#text = text;
  }

  at(at: number): 'prose' | 'tag' | 'script' | 'style' {
    while (this.#next <= at) this.#step();
    return this.#known.find(({ from, to }) => at >= from && at < to)?.kind ?? 'prose';
  }

  /** Goes on to behind the next tag and what belongs to it. */
  #step(): void {
    const text = this.#text;
    this.#known = [];
    this.#tags.lastIndex = this.#next;
    const tag = this.#tags.exec(text);
    if (!tag) this.#next = Infinity;
    else if (tag[0] === '<!--') {
      const end = text.indexOf('-->', tag.index + 4);
      this.#next = end < 0 ? Infinity : end + 3;
    } else {
      const end = endOfTag(text, this.#tags.lastIndex);
      this.#known.push({ from: tag.index, to: end, kind: 'tag' });
      this.#next = end;
      const element = tag[1]?.toLowerCase();
      if (element !== 'script' && element !== 'style') return;
      this.#next = indexOfClosing(text, element, end);
      this.#known.push({ from: end, to: this.#next, kind: element });
    }
  }
}

/** Where the texts of a page's scripts begin and end. */
function* listScripts(text: string): Generator<readonly [from: number, to: number]> {
  const tags = /<script\b/gi;
  for (let tag = tags.exec(text); tag; tag = tags.exec(text)) {
    const from = endOfTag(text, tags.lastIndex);
    const to = indexOfClosing(text, 'script', from);
    if (to > from) yield [from, to];
    tags.lastIndex = to;
  }
}

/** Where a start tag ends: a `>` in an attribute's quotes is none. */
function endOfTag(text: string, from: number): number {
  const characters = /["'>]/g;
  characters.lastIndex = from;
  for (let character = characters.exec(text); character; character = characters.exec(text)) {
    if (character[0] === '>') return character.index + 1;
    const end = text.indexOf(character[0], character.index + 1);
    if (end < 0) return text.length;
    characters.lastIndex = end + 1;
  }
  return text.length;
}

function indexOfClosing(text: string, element: string, from: number): number {
  const closing = element === 'script' ? /<\/script/gi : /<\/style/gi;
  closing.lastIndex = from;
  return closing.exec(text)?.index ?? text.length;
}
