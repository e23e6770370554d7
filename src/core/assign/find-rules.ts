/** From what each object is to be sent with: the fewest lines of `assign` that say so, as somebody would write them. */
import type { CachePolicy } from '../caching/cache-result.js';
import { addBit, noBits } from './bits.js';
import { createCascade, type AssignRule } from './cascade.js';
import { cacheDefault } from './defaults.js';
import { NONE, type FoundLine } from './line-problem.js';
import { essence } from './media-type.js';
import { ASSIGNABLE, PROPERTIES, type Property } from './properties.js';
import { extension } from '../site/key.js';
import { listTerms, type Term } from './rule-terms.js';
import { MAX_LINES, searchLines } from './search-lines.js';
import { NO_CACHE_HEADER, NOBODYS, textOf, Values, type Value } from './wanted-values.js';

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

/** So many are searched at once: of more some stand for the others. */
const MAX_SAMPLE = 400;
const FIRST_SAMPLE = 60;
const MORE = 20;

/**
 * Exact wherever lines can tell the objects apart: `left` names what they do not bring about, by the cascade itself. Of
 * a large site the lines of a few objects are found first, then those of these and of some that come out wrong, and so
 * on: what is found is as short as what the few need.
 * @param objects with keys that differ
 * @param general what a first line for everything says of caching, which the others are exceptions from
 */
export function findRules(objects: readonly WantedObject[], general?: CachePolicy): FoundRules {
  const isSmall = objects.length <= MAX_SAMPLE;
  let sample = isSmall ? objects : listUnlike(objects, FIRST_SAMPLE);
  let thorough = isSmall;
  let best: FoundRules | undefined;
  for (;;) {
    const found = findFor(sample, thorough, general);
    const left = isSmall ? found.left : listLeft(found, objects);
    const whole = { ...found, left };
    if (!best || left.length < best.left.length || isShorter(whole, best)) best = whole;
    const known = new Set(sample.map(({ key }) => key));
    const wrong = new Set(left.map(({ key }) => key));
    const more = objects.filter(({ key }) => wrong.has(key) && !known.has(key));
    if (more.length === 0) {
      if (thorough) return best;
      thorough = true;
      continue;
    }
    // Where even the few cannot be told by lines, more of them cannot.
    if (sample.length >= MAX_SAMPLE || found.left.length > sample.length / 4) return best;
    sample = [...sample, ...listUnlike(more, Math.max(MORE, sample.length / 4))];
  }
}

const linesOf = ({ rules, otherwise }: FoundRules): number => rules.length + (otherwise ? 1 : 0);
const isShorter = (found: FoundRules, than: FoundRules): boolean =>
  found.left.length <= than.left.length && linesOf(found) < linesOf(than);

/** Some that differ in their folders, in their endings or in what they have to have; then whatever comes. */
function listUnlike(objects: readonly WantedObject[], most: number): WantedObject[] {
  const unlike = new Map<string, WantedObject>();
  for (const object of objects) {
    const { key, wanted } = object;
    const folder = key.slice(0, key.indexOf('/') + 1);
    const texts = PROPERTIES.map((property) => {
      const { [property]: value } = wanted;
      return value === null || value === undefined ? String(value) : textOf(value);
    });
    const mark = [folder, extension(key), ...texts].join('\u0001');
    if (!unlike.has(mark)) unlike.set(mark, object);
  }
  const first = [...unlike.values()];
  const step = Math.max(1, first.length / most);
  const chosen = new Set(Array.from({ length: most }, (_, at) => first[Math.floor(at * step)]));
  for (const object of objects) if (chosen.size < most) chosen.add(object);
  return [...chosen].flatMap((object) => object ?? []);
}

/** @param objects few @param thorough whether what was passed over early is looked at too */
function findFor(
  objects: readonly WantedObject[],
  thorough: boolean,
  general: CachePolicy | undefined,
): FoundRules {
  const found = findOnce(objects, new Set(), { thorough, general });
  // What hangs on an encoding may have come out as another line has it: it is said then.
  const said = new Set(found.left.filter(({ property }) => property === 'contentType').map(({ key }) => key));
  const again = said.size > 0 ? findOnce(objects, said, { thorough, general }) : found;
  return again.left.length < found.left.length ? again : found;
}

/** @param said keys of which nothing is left to what hangs on an encoding */
function findOnce(
  objects: readonly WantedObject[],
  said: ReadonlySet<string>,
  { thorough, general }: { readonly thorough: boolean; readonly general: CachePolicy | undefined },
): FoundRules {
  const values = PROPERTIES.map(() => new Values());
  const rows = objects.map((object) => {
    const now = defaultsOf(object, said.has(object.key), general);
    const wants = PROPERTIES.map((property, column) => {
      const { [property]: wanted } = object.wanted;
      const value = property === 'cache' && wanted === null ? NO_CACHE_HEADER : wanted;
      if (value === undefined) return 0;
      // What a default gives and nobody wants cannot be taken away.
      if (value === null) return now.values[column] === undefined ? NONE : 0;
      return values[column]?.add(value) ?? 0;
    });
    return { now, wants };
  });
  // Each value takes a line: of more than there can be lines, the rarest stay as they come out.
  const kept = values.map((each) => each.mostWanted(MAX_LINES));
  const marked = rows.map(({ now, wants: all }, at) => {
    const wants = all.map((want, property) => (want === NONE || kept[property]?.has(want) ? want : 0));
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
  const terms = listTerms(marked);
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
  const problem = {
    size,
    kinds: terms.kinds,
    wants: column(({ wants }, property) => wants[property] ?? 0),
    has: column(({ has }, property) => has[property] ?? NONE),
    weak: bits(({ weak }, property) => weak[property] ?? false),
    byPath: bits(({ byPath }, property) => byPath[property] ?? false),
    byType: bits(({ byType }, property) => byType[property] ?? false),
  };
  return assemble(searchLines(problem, thorough), objects, { values, general });
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
function defaultsOf(
  { key, textual, wanted }: WantedObject,
  isSaid: boolean,
  general: CachePolicy | undefined,
): Defaults {
  const plain = PLAIN.decide(key, textual);
  const [archive, inside] = [plain, PACKED.decide(key, textual)].map(
    ({ headers }) => headers['Content-Type'],
  );
  const isArchive = typeof wanted.encoding === 'string' && archive !== inside;
  const isCoded = isArchive && !isSaid;
  const isLabelled = isCoded && wanted.contentType === archive;
  const isPacked = isCoded && !isLabelled;
  const byName = isPacked ? inside : archive;
  const type = wanted.contentType ?? byName ?? '';
  const { policy, fallback } = general ? { policy: general, fallback: false } : cacheDefault(key, type);
  const byProperty: Readonly<Partial<Record<Property, Value | undefined>>> = {
    contentType: isArchive && isSaid ? 'unknown' : byName,
    cache: policy,
    encoding: plain.encoding,
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
  { values, general }: { readonly values: readonly Values[]; readonly general: CachePolicy | undefined },
): FoundRules {
  const rules: AssignRule[] = general ? [{ number: 1, line: 0, to: ['**'], cache: general }] : [];
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
        const sent = ASSIGNABLE.cache.headers.flatMap((name) =>
          headers[name] === undefined ? [] : [[name, headers[name]]],
        );
        return JSON.stringify(sent.sort()) !== textOf(value ?? NO_CACHE_HEADER);
      }
      return (headers[ASSIGNABLE[property].headers[0]] ?? null) !== value;
    }).map((property) => ({ key, property }));
  });
}
