/** What a site's answers say of the objects that it would be in a bucket. */
import { createCascade } from '../assign/cascade.js';
import type { WantedObject } from '../assign/find-rules.js';
import { essence, parseMediaType } from '../assign/media-type.js';
import { ASSIGNABLE, type Property } from '../assign/properties.js';
import { cachingOf, type SeenAnswer } from './seen.js';

/** An object, and the answer that shows it. */
export interface SeenObject {
  readonly key: string;
  readonly answer: SeenAnswer;
}

const PLAIN = createCascade({ file: '', rules: [] });

/** Types that have several names: what a browser makes of them is the same. */
const SAME_TYPES: readonly (readonly string[])[] = [
  [
    'text/javascript',
    'application/javascript',
    'application/x-javascript',
    'text/x-javascript',
    'application/ecmascript',
    'text/ecmascript',
  ],
  ['image/x-icon', 'image/vnd.microsoft.icon'],
  ['application/xml', 'text/xml'],
  ['font/woff', 'application/font-woff', 'application/x-font-woff'],
  ['font/woff2', 'application/font-woff2', 'application/x-font-woff2'],
  ['font/ttf', 'application/font-sfnt', 'application/x-font-ttf', 'font/sfnt', 'application/x-font-truetype'],
  ['font/otf', 'application/x-font-otf', 'application/vnd.ms-opentype', 'application/x-font-opentype'],
  ['application/gzip', 'application/x-gzip'],
  ['audio/wav', 'audio/x-wav', 'audio/wave'],
  ['application/rtf', 'text/rtf'],
  ['text/markdown', 'text/x-markdown'],
];
const NAMES: ReadonlyMap<string, string> = new Map(
  SAME_TYPES.flatMap(([first = '', ...others]) => others.map((other) => [other, first] as const)),
);
const todays = (type: string): string => NAMES.get(type) ?? type;

/**
 * Whether a browser makes the same of two types: their names are the same thing's, and their charsets too, or the one
 * that says nothing has bytes of which the other speaks truly.
 */
export function isSameType(sent: string, ours: string, isUtf8: boolean): boolean {
  if (todays(essence(sent)) !== todays(essence(ours))) return false;
  const [a, b] = [sent, ours].map((type) => parseMediaType(type)?.parameters.get('charset')?.toLowerCase());
  return a === b || (isUtf8 && [a, b].every((charset) => charset === undefined || /^utf-?8$/.test(charset)));
}

/** @param isExact whether types are kept as they were written, whatever today's names are */
export function learnObjects(seen: readonly SeenObject[], isExact: boolean): WantedObject[] {
  return seen.map(({ key, answer }) => {
    const { headers, isUtf8 } = answer;
    const byDefault = PLAIN.decide(key, isUtf8).headers;
    const sent = headers['content-type'];
    const isSame =
      !isExact && sent !== undefined && isSameType(sent, byDefault['Content-Type'] ?? '', isUtf8);
    // Of what has none there, or none that can be written, the name says what it is.
    const type = isSame || sent === undefined || !parseMediaType(sent) ? byDefault['Content-Type'] : sent;
    // What has no type of its own is sent as some octets anyway.
    const isUnlabelled = byDefault['Content-Type'] === undefined && type === 'application/octet-stream';
    return {
      key,
      textual: isUtf8,
      wanted: {
        contentType: isUnlabelled ? null : (type ?? null),
        cache: cachingOf(headers)?.policy,
        encoding: encodingOf(headers),
        language: textOf('language', headers),
        disposition: textOf('disposition', headers),
      },
    } as WantedObject;
  });
}

/** Null for none; undefined for one that no line can give. */
function encodingOf(headers: SeenAnswer['headers']): string | null | undefined {
  const encoding = headers['content-encoding']?.trim().toLowerCase();
  if (encoding === undefined || encoding === 'identity' || encoding === '') return null;
  return (ASSIGNABLE.encoding.shape.choices as readonly string[]).includes(encoding) ? encoding : undefined;
}

function textOf(property: Extract<Property, 'language' | 'disposition'>, headers: SeenAnswer['headers']) {
  const { headers: names, shape } = ASSIGNABLE[property];
  const value = headers[names[0].toLowerCase()]?.trim();
  if (value === undefined || value === '') return null;
  return shape.pattern.test(value) ? value : undefined;
}
