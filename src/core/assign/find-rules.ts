/** From what each object is to be sent with: the fewest lines of `assign` that say so, as somebody would write them. */
import type { CachePolicy } from '../caching/cache-result.js';
import { addBit, noBits } from './bits.js';
import { createCascade, type AssignRule } from './cascade.js';
import { cacheDefault } from './defaults.js';
import { essence } from './media-type.js';
import { PROPERTIES, type Property } from './properties.js';
import { listTerms, type Term } from './rule-terms.js';
import { NONE, searchLines, type FoundLine } from './search-lines.js';

/** What a property has to be: a value, none (null), or whatever it comes to (undefined). */
export type Wanted = {
  readonly [P in Property]?: (P extends 'cache' ? CachePolicy : string) | null;
};

export interface WantedObject {
  readonly key: string;
  /** Whether its bytes are known to be text. */
  readonly textual?: boolean;
  readonly wanted: Wanted;
}

/** A property of an object that no line brings about. */
export interface NotFound {
  readonly key: string;
  readonly property: Property;
}

export interface FoundRules {
  readonly rules: readonly AssignRule[];
  readonly otherwise?: CachePolicy;
  readonly left: readonly NotFound[];
}

type Value = string | CachePolicy;

/** That no cache header is sent is something that a line can say. */
const NO_CACHE_HEADER: CachePolicy = { headers: {}, words: 'no cache header' };

const textOf = (value: Value): string =>
  typeof value === 'string' ? value : JSON.stringify(Object.entries(value.headers).sort());

/** The numbers of the values of one property, from 1. */
class Values {
  readonly #ids = new Map<string, number>();
  readonly list: Value[] = [];

  add(value: Value): number {
    const text = textOf(value);
    const id = this.#ids.get(text) ?? this.list.push(value);
    this.#ids.set(text, id);
    return id;
  }

  idOf(value: Value): number {
    return this.#ids.get(textOf(value)) ?? NOBODYS;
  }
}
const NOBODYS = -2;

/**
 * Exact wherever lines can tell the objects apart: `left` names what they do not bring about, by the cascade itself.
 * @param objects with keys that differ
 */
export function findRules(objects: readonly WantedObject[]): FoundRules {
  const found = findOnce(objects, new Set());
  if (found.left.length === 0) return found;
  // What has too little in common with others is called by its name.
  const keys = new Set(found.left.map(({ key }) => key));
  const named = new Set(
    [...objects.keys()].filter((at) => keys.has(objects[at]?.key ?? '')).slice(0, MAX_LEFT),
  );
  const again = findOnce(objects, named);
  return again.left.length < found.left.length ? again : found;
}
const MAX_LEFT = 500;

function findOnce(objects: readonly WantedObject[], named: ReadonlySet<number>): FoundRules {
  const values = PROPERTIES.map(() => new Values());
  const rows = objects.map((object, at) => {
    const now = defaultsOf(object, named.has(at));
    const wants = PROPERTIES.map((property, at) => {
      const { [property]: wanted } = object.wanted;
      const value = property === 'cache' && wanted === null ? NO_CACHE_HEADER : wanted;
      if (value === undefined) return 0;
      // What a default gives and nobody wants cannot be taken away.
      if (value === null) return now.values[at] === undefined ? NONE : 0;
      return values[at]?.add(value) ?? 0;
    });
    return { now, wants };
  });
  const marked = rows.map(({ now, wants }, at) => {
    const has = now.values.map((value, property) =>
      value === undefined ? NONE : (values[property]?.idOf(value) ?? NOBODYS),
    );
    const byPath = PROPERTIES.map(
      (property) => property === 'contentType' || (property === 'encoding' && now.isPacked),
    );
    const byType = PROPERTIES.map((property) => property === 'encoding' && now.isLabelled);
    const flags = [now.weak, byPath, byType].map((row) => row.map(Number));
    const mark = [wants, has, ...flags].map((row) => row.join()).join(';');
    return { key: objects[at]?.key ?? '', type: now.type, mark, wants, has, weak: now.weak, byPath, byType };
  });
  const terms = listTerms(marked, named);
  const size = terms.groups.length;
  const first = terms.groups.map(([at = 0]) => marked[at]);
  const column = (of: (row: NonNullable<(typeof first)[number]>, property: number) => number) =>
    PROPERTIES.map((_, property) => Int32Array.from(first, (row) => (row ? of(row, property) : 0)));
  const bits = (of: (row: NonNullable<(typeof first)[number]>, property: number) => boolean) =>
    PROPERTIES.map((_, property) => {
      const set = noBits(size);
      for (const [group, row] of first.entries()) if (row && of(row, property)) addBit(set, group);
      return set;
    });
  const lines = searchLines({
    size,
    kinds: terms.kinds,
    wants: column(({ wants }, property) => wants[property] ?? 0),
    has: column(({ has }, property) => has[property] ?? NONE),
    weak: bits(({ weak }, property) => weak[property] ?? false),
    byPath: bits(({ byPath }, property) => byPath[property] ?? false),
    byType: bits(({ byType }, property) => byType[property] ?? false),
  });
  return assemble(lines, objects, values);
}

interface Defaults {
  /** By property, what it has without any line. */
  readonly values: readonly (Value | undefined)[];
  /** By property, whether a line that yields to defaults has its say. */
  readonly weak: readonly boolean[];
  /** The essence of the type that it is to have. */
  readonly type: string;
  /** Whether its type is that of what is inside, which a line by path brings about with the encoding. */
  readonly isPacked: boolean;
  /** Whether it has an encoding and is an archive by its type all the same. */
  readonly isLabelled: boolean;
}

const PLAIN = createCascade({ file: '', rules: [] });
const PACKED = createCascade({ file: '', rules: [{ number: 1, line: 0, to: ['**'], encoding: 'gzip' }] });

/** @param isSaid whether nothing is left to what hangs on an encoding */
function defaultsOf({ key, textual, wanted }: WantedObject, isSaid: boolean): Defaults {
  const isArchive = typeof wanted.encoding === 'string' && /\.(?:gz|br)$/i.test(key);
  const isCoded = isArchive && !isSaid;
  const [archive, inside] = [PLAIN, PACKED].map((each) => each.decide(key, textual).headers['Content-Type']);
  const isLabelled = isCoded && archive !== inside && wanted.contentType === archive;
  const isPacked = isCoded && !isLabelled;
  const byName = isPacked ? inside : archive;
  const type = wanted.contentType ?? byName ?? '';
  const { policy, fallback } = cacheDefault(key, type);
  const encoding = PLAIN.decide(key, textual).encoding;
  const byProperty: Readonly<Record<Property, Value | undefined>> = {
    contentType: isArchive && isSaid ? 'unknown' : byName,
    cache: policy,
    encoding,
    language: undefined,
    disposition: undefined,
  };
  const values = PROPERTIES.map((property) => byProperty[property]);
  const weak = PROPERTIES.map((property, at) => (property === 'cache' ? fallback : values[at] === undefined));
  return { values, weak, type: essence(type), isPacked, isLabelled };
}

function assemble(
  lines: readonly FoundLine[],
  objects: readonly WantedObject[],
  values: readonly Values[],
): FoundRules {
  const rules: AssignRule[] = [];
  let otherwise: CachePolicy | undefined;
  for (const { terms, gives, yields } of lines) {
    const given = Object.fromEntries(
      [...gives].map(([property, id]) => [PROPERTIES[property], values[property]?.list[id - 1]]),
    );
    const isForAll = terms.length === 1 && terms[0]?.pattern === '**' && terms[0].range === undefined;
    if (yields && isForAll && gives.size === 1 && typeof given['cache'] === 'object') {
      otherwise = given['cache'];
      continue;
    }
    rules.push({
      number: rules.length + 1,
      line: 0,
      ...selectorOf(terms),
      ...(yields ? { ifUnset: true } : {}),
      ...given,
    });
  }
  const found = { rules, ...(otherwise === undefined ? {} : { otherwise }) };
  return { ...found, left: listLeft(found, objects) };
}

function selectorOf(terms: readonly Term[]): Pick<AssignRule, 'to' | 'type'> {
  const to = terms.flatMap(({ pattern }) => pattern ?? []);
  const type = [...new Set(terms.flatMap(({ range }) => range ?? []))];
  return { ...(to.length > 0 ? { to } : {}), ...(type.length > 0 ? { type } : {}) };
}

/** By the cascade, which decides what is published. */
function listLeft(
  { rules, otherwise }: Pick<FoundRules, 'rules' | 'otherwise'>,
  objects: readonly WantedObject[],
): NotFound[] {
  const cascade = createCascade({ file: '', rules, ...(otherwise === undefined ? {} : { otherwise }) });
  return objects.flatMap(({ key, textual, wanted }) => {
    const { headers } = cascade.decide(key, textual);
    return PROPERTIES.filter((property) => {
      const { [property]: value } = wanted;
      if (value === undefined) return false;
      if (property === 'cache') {
        const { 'Cache-Control': control, Expires, Pragma } = headers;
        const sent = Object.entries({ 'Cache-Control': control, Expires, Pragma }).filter(([, text]) => text);
        return JSON.stringify(sent.sort()) !== textOf(value ?? NO_CACHE_HEADER);
      }
      return (HEADER[property](headers) ?? null) !== value;
    }).map((property) => ({ key, property }));
  });
}

const HEADER: Readonly<
  Record<Exclude<Property, 'cache'>, (headers: Readonly<Record<string, string>>) => string | undefined>
> = {
  contentType: (headers) => headers['Content-Type'],
  encoding: (headers) => headers['Content-Encoding'],
  language: (headers) => headers['Content-Language'],
  disposition: (headers) => headers['Content-Disposition'],
};
