/** Media types (RFC 9110 section 8.3) and the public database of extensions. */
import { createRequire } from 'node:module';
import type * as MimeTypes from 'mime-types';
import { extension } from '../site/key.js';

const TOKEN = "[!#$%&'*+.^_`|~0-9A-Za-z-]+";
const ESSENCE = new RegExp(`^${TOKEN}/${TOKEN}$`);
const PARAMETER = new RegExp(`^\\s*(${TOKEN})=(?:(${TOKEN})|"((?:[^"\\\\]|\\\\.)*)")\\s*$`);

export interface MediaType {
  /** `type/subtype`, lower case. */
  readonly essence: string;
  readonly parameters: ReadonlyMap<string, string>;
}

const parsed = new Map<string, MediaType | undefined>();
const MAX_TYPES = 1000;
/** A site has few types; what else comes, from other hosts, takes little room. */
const LONG_TYPE = 200;

/** Parses a Content-Type value; undefined when it is not one. Never throws. */
export function parseMediaType(text: string): MediaType | undefined {
  if (text.length > LONG_TYPE) return readMediaType(text);
  let type = parsed.get(text);
  if (type === undefined && !parsed.has(text)) {
    if (parsed.size >= MAX_TYPES) parsed.clear();
    parsed.set(text, (type = readMediaType(text)));
  }
  return type;
}

function readMediaType(text: string): MediaType | undefined {
  const [first = '', ...rest] = splitOutsideQuotes(text, ';');
  const essence = first.trim().toLowerCase();
  if (!ESSENCE.test(essence)) return undefined;
  const parameters = new Map<string, string>();
  for (const part of rest) {
    if (part.trim() === '') continue;
    const match = PARAMETER.exec(part);
    if (!match?.[1]) return undefined;
    parameters.set(match[1].toLowerCase(), match[2] ?? (match[3] ?? '').replace(/\\(.)/g, '$1'));
  }
  return { essence, parameters };
}

/** Splits on a separator that stands outside quoted strings. */
export function splitOutsideQuotes(text: string, separator: string): string[] {
  const parts: string[] = [];
  let from = 0;
  let quoted = false;
  for (let at = 0; at < text.length; at++) {
    const character = text[at];
    if (quoted && character === '\\') at++;
    else if (character === '"') quoted = !quoted;
    else if (character === separator && !quoted) {
      parts.push(text.slice(from, at));
      from = at + 1;
    }
  }
  parts.push(text.slice(from));
  return parts;
}

const essences = new Map<string, string>();

/** The `type/subtype` of a Content-Type, lower case. */
export function essence(contentType: string): string {
  const known = essences.get(contentType);
  if (known !== undefined) return known;
  const found = (contentType.split(';', 1)[0] ?? '').trim().toLowerCase();
  if (contentType.length > LONG_TYPE) return found;
  if (essences.size >= MAX_TYPES) essences.clear();
  essences.set(contentType, found);
  return found;
}

const RANGE = new RegExp(`^(?:\\*/\\*|${TOKEN}/\\*|${TOKEN}/${TOKEN})$`);
export const isMediaRange = (text: string): boolean =>
  RANGE.test(text.trim()) && !/^\*\/[^*]/.test(text.trim());

/** Types of scripts by their old names are `text/javascript` today (RFC 9239 section 6). */
const OLD_SCRIPT = /^(?:application\/(?:x-)?(?:java|ecma)script|text\/(?:x-(?:java|ecma)script|ecmascript))$/;
const todays = (type: string): string =>
  type.endsWith('script') && OLD_SCRIPT.test(type) ? 'text/javascript' : type;

/** Whether a media range such as `image/*` covers a type; parameters do not count. */
export function matchesRange(range: string, contentType: string): boolean {
  const wanted = todays(range.trim().toLowerCase());
  const type = todays(essence(contentType));
  if (wanted === '*/*') return true;
  return wanted.endsWith('/*') ? type.startsWith(wanted.slice(0, -1)) : type === wanted;
}

/** Types that are text though they are not `text/*`; they are served as UTF-8. */
const TEXT_APPLICATION =
  /^(?:application\/(?:javascript|ecmascript|json|xml|toml|yaml|graphql|sql|x-sh|x-subrip)|image\/svg\+xml|.*\+(?:json|xml))$/;

export const isText = (type: string): boolean => type.startsWith('text/') || TEXT_APPLICATION.test(type);

/**
 * Names whose public registration differs from what a site means by them, or that have no extension.
 */
const BY_NAME: ReadonlyMap<string, string> = new Map(
  Object.entries({
    'apple-app-site-association': 'application/json',
    cname: 'text/plain',
    authors: 'text/plain',
    changelog: 'text/plain',
    copyright: 'text/plain',
    license: 'text/plain',
    notice: 'text/plain',
    readme: 'text/plain',
  }),
);
const BY_EXTENSION: ReadonlyMap<string, string> = new Map(
  Object.entries({
    cjs: 'text/javascript',
    mp4: 'video/mp4',
    gpx: 'application/gpx+xml',
    ico: 'image/x-icon',
    opus: 'audio/ogg',
    avif: 'image/avif',
  }),
);

const cache = new Map<string, string | undefined>();

/** Laying the database out takes longer than all else of a small command, and many need no type. */
let types: Readonly<Record<string, string>> | undefined;

function registered(ending: string): string | undefined {
  types ??= (createRequire(import.meta.url)('mime-types') as typeof MimeTypes).types;
  // An extension may be called as something that every object has.
  return Object.hasOwn(types, ending) ? types[ending] : undefined;
}

/** The registered type of a key's extension without parameters; undefined when the database has none. */
export function typeByName(key: string): string | undefined {
  const ending = extension(key);
  if (ending === '') return BY_NAME.get(key.slice(key.lastIndexOf('/') + 1).toLowerCase());
  if (!cache.has(ending)) cache.set(ending, BY_EXTENSION.get(ending) ?? registered(ending));
  return cache.get(ending);
}

/** Whether a charset is UTF-8, as people write it. */
export const isUtf8Name = (charset: string): boolean => /^utf-?8$/i.test(charset);

/** Whether an extension of this type means sources to one and films to another: only the bytes tell. */
export const isAlsoSources = (type: string): boolean => essence(type) === 'video/mp2t';

/**
 * A type with `charset=utf-8` where the type is text and says nothing of its charset. JSON is always UTF-8 and has no
 * such parameter (RFC 8259 section 11).
 */
export function withCharset(type: string): string {
  if (type.includes(';')) return type;
  const wants =
    type.startsWith('text/') || /^application\/(?:javascript|xml)$/.test(type) || type.endsWith('+xml');
  return wants ? `${type}; charset=utf-8` : type;
}
