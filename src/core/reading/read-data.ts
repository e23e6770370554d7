/** References in web manifests, and in feeds and sitemaps. */
import { SaxesParser } from 'saxes';
import { listJsonStrings, type JsonString } from './json-strings.js';
import { lineCounter } from './lines.js';
import { NOWHERE, type Reading, type Reference, type Span, type Use } from './reading.js';

/** A web app manifest: its addresses are relative to itself. */
export function readManifest(text: string): Reading {
  const manifest = parseObject(text);
  if ('fault' in manifest) return { kind: 'manifest', references: [], fault: manifest.fault };
  const lineOf = lineCounter(text);
  const references: Reference[] = [];
  const places = new Map<string, JsonString>();
  for (const each of listJsonStrings(text)) if (!each.isName) places.set(each.path.join('\0'), each);
  const add = (use: Use, raw: unknown, path: readonly (string | number)[], declared?: unknown): void => {
    if (typeof raw !== 'string') return;
    const place = places.get(path.join('\0'));
    references.push({
      use,
      raw,
      line: place ? lineOf(place.at) : 1,
      ...(place ? spanOf(place) : NOWHERE),
      ...(typeof declared === 'string' ? { declared } : {}),
    });
  };
  const { start_url, icons, screenshots, shortcuts } = manifest.value;
  add('link', start_url, ['start_url']);
  const images = (list: unknown, path: readonly (string | number)[]): void => {
    for (const [at, { src, type }] of entries(list)) add('image', src, [...path, at, 'src'], type);
  };
  images(icons, ['icons']);
  images(screenshots, ['screenshots']);
  for (const [at, shortcut] of entries(shortcuts)) {
    add('link', shortcut['url'], ['shortcuts', at, 'url']);
    images(shortcut['icons'], ['shortcuts', at, 'icons']);
  }
  return { kind: 'manifest', references };
}

/** A source map (ECMA-426): the file that it is of, and its sources. */
export function readMap(text: string): Reading {
  const map = parseObject(text.replace(/^\)\]\}'[^\n]*/, (guard) => ' '.repeat(guard.length)));
  if ('fault' in map) return { kind: 'map', references: [], fault: map.fault };
  const { sourceRoot } = map.value;
  const isRooted = typeof sourceRoot === 'string' && sourceRoot !== '';
  const references: Reference[] = [];
  const lineOf = lineCounter(text);
  for (const string of listJsonStrings(text)) {
    const { path, isName, value: raw } = string;
    const isFile = path.length === 1 && path[0] === 'file';
    const isSource = path.length === 2 && path[0] === 'sources' && !isRooted;
    if (!isName && (isFile || isSource))
      references.push({ use: 'source map', raw, line: lineOf(string.at), ...spanOf(string) });
  }
  return { kind: 'map', references };
}

const spanOf = ({ at, length, escaping }: Span): Span => ({
  at,
  length,
  ...(escaping === undefined ? {} : { escaping }),
});

function parseObject(
  text: string,
): { readonly value: Record<string, unknown> } | { readonly fault: NonNullable<Reading['fault']> } {
  let value: unknown;
  try {
    value = JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch (error) {
    const at = Number(/position (\d+)/.exec(String(error))?.[1] ?? 0);
    return { fault: { because: `it is not JSON: ${reasonOf(error)}`, line: lineCounter(text)(at) } };
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    return { fault: { because: 'it is no JSON object', line: 1 } };
  return { value: value as Record<string, unknown> };
}

/** The mappings of a list, each with its number. */
const entries = (list: unknown): [number, Record<string, unknown>][] =>
  Array.isArray(list)
    ? list.flatMap((each: unknown, at): [number, Record<string, unknown>][] =>
        typeof each === 'object' && each !== null ? [[at, each as Record<string, unknown>]] : [],
      )
    : [];

/** The parser's own words without its counting of characters, which nobody can follow. */
const reasonOf = (error: unknown): string =>
  (error instanceof Error ? error.message : String(error))
    .split(/,? (?:in JSON )?at position \d/, 1)
    .join('')
    .replace(/, "[^]*$/, '')
    .replace(/^./, (letter) => letter.toLowerCase());

/** Elements whose text is an address. */
const ADDRESS_TEXT = new Set([
  'loc',
  'link',
  'url',
  'comments',
  'docs',
  'icon',
  'logo',
  'image:loc',
  'video:content_loc',
]);
const MAX_TEXT = 4096;
/** Attributes that hold addresses, by element. */
const ADDRESS_ATTRIBUTES: ReadonlyMap<string, readonly string[]> = new Map([
  ['link', ['href']],
  ['atom:link', ['href']],
  ['xhtml:link', ['href']],
  ['enclosure', ['url']],
  ['media:content', ['url']],
  ['content', ['src']],
  ['script', ['src']],
]);

/** An Atom or RSS feed, a sitemap, or other XML that may be one. */
export function readFeed(text: string): Reading {
  const references: Reference[] = [];
  let fault: Reading['fault'];
  let open = '';
  let heard = '';
  let began = 0;
  const parser = new SaxesParser();
  const add = (raw: string, from: number, behind = 0): void => {
    const address = raw.trim();
    if (address !== '')
      references.push({
        use: 'identity',
        raw: address,
        line: parser.line,
        ...placeOf(address, from, behind),
      });
  };
  /** The last place of an address before where the parser is; one that is written with entities stays unknown. */
  const placeOf = (raw: string, from: number, behind: number): Span => {
    const at = text.slice(from, parser.position - behind).lastIndexOf(raw);
    return at < 0 ? NOWHERE : { at: from + at, length: raw.length };
  };
  parser.on('opentagstart', ({ name }) => {
    open = name;
    heard = '';
  });
  // Told right behind its value, before anything that follows is read.
  parser.on('attribute', ({ name, value }) => {
    if (ADDRESS_ATTRIBUTES.get(open)?.includes(name))
      add(value, Math.max(0, parser.position - value.length - 4));
  });
  parser.on('opentag', () => (began = parser.position));
  parser.on('text', (piece) => {
    if (ADDRESS_TEXT.has(open) && heard.length < MAX_TEXT) heard += piece;
  });
  parser.on('closetag', ({ name }) => {
    if (name === open && ADDRESS_TEXT.has(name)) add(heard, began, name.length + 3);
    open = '';
    heard = '';
  });
  parser.on('error', (error) => {
    fault ??= { because: error.message.replace(/^\d+:\d+: /, '').replace(/\.$/, ''), line: parser.line };
  });
  try {
    parser.write(text.replace(/^\uFEFF/, '')).close();
  } catch (error) {
    fault ??= { because: error instanceof Error ? error.message : String(error), line: parser.line };
  }
  return { kind: 'feed', references, ...(fault === undefined ? {} : { fault }) };
}
