/**
 * What the texts of a site say, in columns: a few numbers for each reference instead of an object, each string once.
 * It can be kept in one packed file and is read back at once.
 */
import { Buffer } from 'node:buffer';
import { GrowingNumbers, InternedStrings } from './columns.js';
import type { Escaping, Reading, Reference, Use } from './reading.js';

/** What a reading says besides its references and anchors. */
export type ReadingFacts = Omit<Reading, 'references' | 'anchors'>;

const USES: readonly Use[] = [
  'link',
  'identity',
  'style',
  'script',
  'module',
  'image',
  'media',
  'captions',
  'font',
  'manifest',
  'frame',
  'form',
  'data',
  'source map',
];
const USE_NUMBERS = new Map(USES.map((use, at) => [use, at]));
const ESCAPINGS: readonly Escaping[] = ['html', 'css', 'json', 'xml'];

/** Numbers of a reference: use and flags, string, line, place, length, declared type. */
const COLUMNS = 6;
const IMPORTED = 1 << 8;
const WITHOUT_CORS = 1 << 9;
const STYLED = 1 << 10;
const POST = 1 << 11;
const ANONYMOUS = 1 << 12;
const CREDENTIALS = 1 << 13;
const ESCAPING_AT = 14;
/** Numbers of a reading: its facts, where its references and its anchors end, how often it was of no use lately. */
const ROW = 4;
/** Readings that were of no use so many times in a row are let go. */
const MAX_IDLE = 3;
const NONE = 0xffffffff;

/** An unsigned column has no -1. */
const toColumn = (at: number): number => (at < 0 ? NONE : at);

export class Readings {
  readonly #ids: string[] = [];
  readonly #rows = new Map<string, number>();
  readonly #numbers: GrowingNumbers;
  readonly #references: GrowingNumbers;
  readonly #anchors: GrowingNumbers;
  readonly #strings: InternedStrings;
  readonly #facts: ReadingFacts[];
  readonly #factNumbers = new Map<string, number>();
  readonly #used = new Set<number>();
  #isNew = false;

  constructor(kept?: Packed) {
    this.#numbers = new GrowingNumbers(kept?.numbers);
    this.#references = new GrowingNumbers(kept?.references);
    this.#anchors = new GrowingNumbers(kept?.anchors);
    this.#strings = new InternedStrings(kept?.strings, kept?.ends);
    this.#facts = [...(kept?.facts ?? [])];
    for (const id of kept?.ids ?? []) this.#rows.set(id, this.#ids.push(id) - 1);
  }

  /** Whether anything was added that the kept ones did not have. */
  get hasNew(): boolean {
    return this.#isNew;
  }

  /** @param id names a text and the way in which it is read */
  find(id: string): number | undefined {
    const row = this.#rows.get(id);
    if (row !== undefined) this.#used.add(row);
    return row;
  }

  /** @returns the row of the reading */
  add(id: string, { references, anchors, ...facts }: Reading): number {
    for (const reference of references) this.addReference(reference);
    for (const anchor of anchors ?? []) this.#anchors.push(anchor);
    const text = JSON.stringify(facts);
    let number = this.#factNumbers.get(text);
    if (number === undefined) this.#factNumbers.set(text, (number = this.#facts.push(facts) - 1));
    this.#numbers.push(number, this.#references.length / COLUMNS, this.#anchors.length, 0);
    const row = this.#ids.push(id) - 1;
    this.#rows.set(id, row);
    this.#used.add(row);
    this.#isNew = true;
    return row;
  }

  private addReference(reference: Reference): void {
    const { use, raw, line, at, length, declared, method, imported, withoutCors, styled, cors, escaping } =
      reference;
    const flags =
      (USE_NUMBERS.get(use) ?? 0) |
      (imported ? IMPORTED : 0) |
      (withoutCors ? WITHOUT_CORS : 0) |
      (styled ? STYLED : 0) |
      (cors === 'anonymous' ? ANONYMOUS : cors === 'credentials' ? CREDENTIALS : 0) |
      (method === undefined ? 0 : POST) |
      ((escaping === undefined ? 0 : ESCAPINGS.indexOf(escaping) + 1) << ESCAPING_AT);
    const type = declared === undefined ? NONE : this.#strings.place(declared);
    this.#references.push(flags, this.#strings.place(raw), line, toColumn(at), length, type);
  }

  facts(row: number): ReadingFacts {
    return this.#facts[this.#numbers.at(row * ROW)] ?? { kind: 'page' };
  }

  /** The numbers of a reading's references: from the first up to, but without, the second. */
  range(row: number): readonly [from: number, to: number] {
    return [row === 0 ? 0 : this.#numbers.at(row * ROW - ROW + 1), this.#numbers.at(row * ROW + 1)];
  }

  /** Hashes of the anchors in a text. */
  anchors(row: number): Uint32Array {
    return this.#anchors.slice(
      row === 0 ? 0 : this.#numbers.at(row * ROW - ROW + 2),
      this.#numbers.at(row * ROW + 2),
    );
  }

  use(reference: number): Use {
    return USES[this.#references.at(reference * COLUMNS) & 0xff] ?? 'link';
  }

  /** The number of the string that is written: equal for equal strings. */
  rawNumber(reference: number): number {
    return this.#references.at(reference * COLUMNS + 1);
  }

  string(number: number): string {
    return this.#strings.at(number);
  }

  line(reference: number): number {
    return this.#references.at(reference * COLUMNS + 2);
  }

  /** What decides, beside its target, what a reference is: its use, its flags and its type. */
  sort(reference: number): number {
    const declared = this.#references.at(reference * COLUMNS + 5);
    return (
      (this.#references.at(reference * COLUMNS) & 0xfff) + (declared === NONE ? 0 : (declared + 1) * 0x1000)
    );
  }

  reference(reference: number): Reference {
    const at = reference * COLUMNS;
    const numbers = this.#references;
    const flags = numbers.at(at);
    const declared = numbers.at(at + 5);
    const escaping = ESCAPINGS[((flags >>> ESCAPING_AT) & 0xf) - 1];
    const place = numbers.at(at + 3);
    return {
      use: USES[flags & 0xff] ?? 'link',
      raw: this.string(numbers.at(at + 1)),
      line: numbers.at(at + 2),
      at: place === NONE ? -1 : place,
      length: numbers.at(at + 4),
      ...(declared === NONE ? {} : { declared: this.string(declared) }),
      ...(flags & POST ? { method: 'POST' } : {}),
      ...(flags & IMPORTED ? { imported: true } : {}),
      ...(flags & WITHOUT_CORS ? { withoutCors: true } : {}),
      ...(flags & STYLED ? { styled: true } : {}),
      ...(flags & ANONYMOUS ? { cors: 'anonymous' } : flags & CREDENTIALS ? { cors: 'credentials' } : {}),
      ...(escaping === undefined ? {} : { escaping }),
    };
  }

  /** A whole reading, as it was added. */
  reading(row: number): Reading {
    const [from, to] = this.range(row);
    const references = Array.from({ length: to - from }, (_, n) => this.reference(from + n));
    const anchors = this.anchors(row);
    const facts = this.facts(row);
    return { ...facts, references, ...(facts.kind === 'page' ? { anchors } : {}) };
  }

  /** What is worth keeping: what was of no use for a while goes once it is a quarter of all. */
  pack(): Packed {
    const idle = this.#ids.map((_, row) => (this.#used.has(row) ? 0 : this.#numbers.at(row * ROW + 3) + 1));
    const due = idle.filter((times) => times >= MAX_IDLE).length;
    if (due * 4 >= this.#ids.length && due > 0) return this.without((row) => (idle[row] ?? 0) >= MAX_IDLE);
    const numbers = this.#numbers.all();
    idle.forEach((times, row) => (numbers[row * ROW + 3] = times));
    return {
      ids: this.#ids,
      facts: this.#facts,
      numbers,
      references: this.#references.all(),
      anchors: this.#anchors.all(),
      ...this.#strings.pack(),
    };
  }

  private without(isDue: (row: number) => boolean): Packed {
    const kept = new Readings();
    for (const [row, id] of this.#ids.entries()) if (!isDue(row)) kept.add(id, this.reading(row));
    return kept.pack();
  }
}

/** Readings as they are kept. */
export interface Packed {
  readonly ids: readonly string[];
  readonly facts: readonly ReadingFacts[];
  readonly numbers: Uint32Array;
  readonly references: Uint32Array;
  readonly anchors: Uint32Array;
  /** All strings in a row, and where each ends, in UTF-16 units. */
  readonly strings: string;
  readonly ends: Uint32Array;
}

const ORDER = ['numbers', 'references', 'anchors', 'ends'] as const;

/** The bytes of what is kept: a head with the lengths, the columns, the strings. */
export function encodeReadings(packed: Packed): Buffer[] {
  const { ids, facts, strings } = packed;
  const columns = ORDER.map((name) => Buffer.from(packed[name].buffer, 0, packed[name].byteLength));
  const head = Buffer.from(
    JSON.stringify({ ids: ids.join('\n'), facts, lengths: columns.map(({ length }) => length) }),
  );
  const length = Buffer.alloc(4);
  length.writeUInt32LE(head.length);
  return [length, head, ...columns, Buffer.from(strings)];
}

/** @throws RangeError, SyntaxError, TypeError where the bytes are something else */
export function decodeReadings(bytes: Buffer): Packed {
  const headTo = 4 + bytes.readUInt32LE(0);
  const head = JSON.parse(bytes.toString('utf8', 4, headTo)) as {
    ids: string;
    facts: ReadingFacts[];
    lengths: number[];
  };
  let at = headTo;
  const [numbers, references, anchors, ends] = ORDER.map((_, n) => {
    const from = at;
    at += head.lengths[n] ?? 0;
    return new Uint32Array(bytes.buffer.slice(bytes.byteOffset + from, bytes.byteOffset + at));
  });
  if (!numbers || !references || !anchors || !ends) throw new RangeError('a column is missing');
  const ids = head.ids === '' ? [] : head.ids.split('\n');
  return { ids, facts: head.facts, numbers, references, anchors, ends, strings: bytes.toString('utf8', at) };
}
