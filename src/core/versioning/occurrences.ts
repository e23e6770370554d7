/**
 * Whether names occur anywhere in bytes, whatever these are: as they are, in UTF-16, in the charset of a text, and with the
 * escapes of addresses, markup, styles and scripts undone. Linear in the bytes, in one pass for all names.
 */
import { Buffer } from 'node:buffer';
import { decodeHTML } from 'entities';

interface Node {
  readonly next: Map<number, Node>;
  /** The number of the name that ends here, read backwards. */
  name: number | undefined;
}

const newNode = (): Node => ({ next: new Map(), name: undefined });

const LINE_FEED = 10;
/** Last bytes of a name by which a place is looked at more closely. */
const WINDOW = 3;
const slotOf = (bytes: Uint8Array, at: number): number =>
  (((bytes[at] ?? 0) * 31 + (bytes[at - 1] ?? 0)) * 31 + (bytes[at - 2] ?? 0)) & 0xffff;

const isWordByte = (byte: number | undefined): boolean =>
  byte !== undefined &&
  ((byte >= 48 && byte <= 57) || (byte >= 65 && byte <= 90) || (byte >= 97 && byte <= 122) || byte === 95);

/** @param line on which it stands, from 1 */
type Found = (name: number, line: number) => void;

export class NameOccurrences {
  readonly #slots = new Uint8Array(0x10000);
  readonly #plain = newNode();
  readonly #wide: readonly Node[] = [newNode(), newNode()];
  readonly #short: boolean;
  /** Whether some name has white space in it. */
  readonly #spaced: boolean;

  /** @param names last parts of keys */
  constructor(names: readonly string[]) {
    this.#spaced = names.some((name) => /\s/.test(name));
    this.#short = names.some((name) => name.length < WINDOW);
    for (const [number, name] of names.entries()) {
      this.#add(this.#plain, Buffer.from(name), number);
      const little = Buffer.from(name, 'utf16le');
      this.#add(this.#wide[0] ?? this.#plain, little, number);
      this.#add(this.#wide[1] ?? this.#plain, Buffer.from(little).swap16(), number);
    }
  }

  #add(root: Node, bytes: Uint8Array, number: number): void {
    let node = root;
    for (let at = bytes.length - 1; at >= 0; at--) {
      const byte = bytes[at] ?? 0;
      let next = node.next.get(byte);
      if (!next) node.next.set(byte, (next = newNode()));
      node = next;
    }
    node.name = number;
    if (bytes.length >= WINDOW) this.#slots[slotOf(bytes, bytes.length - 1)] = 1;
  }

  /** What occurs in bytes as they are, in UTF-8 or in UTF-16. */
  findPlain(bytes: Uint8Array, found: Found): void {
    let line = 1;
    const here = (name: number): void => found(name, line);
    for (let at = 0; at < bytes.length; at++) {
      if (bytes[at] === LINE_FEED) line++;
      if (!this.#short && this.#slots[slotOf(bytes, at)] === 0) continue;
      this.#follow(this.#plain, bytes, at, 1, here);
      for (const root of this.#wide) this.#follow(root, bytes, at, 2, here);
    }
  }

  /** Follows names backwards. @param width bytes of a character */
  #follow(root: Node, bytes: Uint8Array, end: number, width: number, found: (name: number) => void): void {
    let node: Node | undefined = root;
    for (let at = end; at >= 0; at--) {
      node = node.next.get(bytes[at] ?? 0);
      if (!node) return;
      // A part of a longer word is another name.
      const before = at - 1;
      const behind = end + 1;
      if (node.name === undefined) continue;
      const isInWord =
        width === 1
          ? isWordByte(bytes[before]) || isWordByte(bytes[behind])
          : isWideWord(bytes, before - 1) || isWideWord(bytes, behind);
      if (!isInWord) found(node.name);
    }
  }

  /**
   * What occurs in a text once its escapes are undone.
   * @param text decoded by its charset
   */
  findInText(text: string, found: Found): void {
    const seen = new Set<string>();
    for (const view of viewsOf(this.#spaced ? text : escapedParts(text))) {
      if (seen.has(view)) continue;
      seen.add(view);
      this.findPlain(Buffer.from(view), found);
    }
  }
}

/** Whether two bytes are a letter or a digit in UTF-16, of either order. */
const isWideWord = (bytes: Uint8Array, at: number): boolean =>
  (bytes[at] === 0 && isWordByte(bytes[at + 1])) || (bytes[at + 1] === 0 && isWordByte(bytes[at]));

/** The words of a text that have something escaped in them, each on its line: most of a text has nothing. */
function escapedParts(text: string): string {
  const parts: string[] = [];
  let from = 0;
  for (const { 0: word, index } of text.matchAll(/(?:[^\s<>\\]|\\[^])+/g)) {
    if (!/[&\\%]/.test(word)) continue;
    parts.push(text.slice(from, index).replace(/[^\n]+/g, ' '), word);
    from = index + word.length;
  }
  return parts.join('');
}

/** A text as whoever reads it may take it: its escapes undone, of each kind by itself and one after the other. */
function* viewsOf(text: string): Generator<string> {
  const marked = text.includes('&') ? decodeHTML(text) : text;
  yield marked;
  for (const one of text.includes('\\')
    ? [undoScript(marked), undoStyle(marked), undoScript(text)]
    : [marked]) {
    yield one;
    if (one.includes('%')) yield undoPercent(one);
    if (one.includes('&')) yield undoPercent(decodeHTML(one));
  }
}

const undoPercent = (text: string): string =>
  text.replace(/(?:%[0-9a-f]{2})+/gi, (run) => Buffer.from(run.replaceAll('%', ''), 'hex').toString('utf8'));

/** Escapes of JavaScript, of JSON among it; what is not known stands for itself. */
const undoScript = (text: string): string =>
  text.replace(
    /\\(?:u\{([0-9a-f]{1,6})\}|u([0-9a-f]{4})|x([0-9a-f]{2})|\r?\n|([^]))/gi,
    (_, braced?: string, four?: string, two?: string, other = '') => {
      const code = braced ?? four ?? two;
      return code === undefined ? other : characterOf(code);
    },
  );

/** Escapes of CSS. */
const undoStyle = (text: string): string =>
  text.replace(/\\(?:([0-9a-f]{1,6})[ \t\n\f\r]?|\r?\n|([^]))/gi, (_, code?: string, other = '') =>
    code === undefined ? other : characterOf(code),
  );

function characterOf(hex: string): string {
  const code = parseInt(hex, 16);
  return code <= 0x10ffff ? String.fromCodePoint(code) : '';
}
