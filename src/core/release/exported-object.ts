/** One object of an exported release, as a line of JSON and as attributes in a tar archive: docs/export.md. */
import { propertyOf } from '../assign/properties.js';
import { parseKey } from '../site/key.js';
import type { SiteObject, StoredObject } from '../site/site-object.js';

/** One line of the list. */
export interface ExportedObject {
  readonly key: string;
  /** The key under its plain name, where `key` is a versioned one. */
  readonly plainKey?: string;
  /** Bytes, as they are stored and sent. */
  readonly size: number;
  /** SHA-256, hexadecimal. */
  readonly digest: string;
  readonly headers: StoredObject['headers'];
  /** Absent where anyone may read it once the bucket is open. */
  readonly readable?: false;
}

export const exportedObject = (
  { key, plain, size, digest, headers }: SiteObject,
  readable: boolean,
): ExportedObject => ({
  key,
  ...(plain === undefined ? {} : { plainKey: plain }),
  size,
  digest,
  headers,
  ...(readable ? {} : { readable: false }),
});

/** Keys that are paths of files below a folder, and of nothing else. */
export const isFilePath = (key: string): boolean => !/(?:^|\/)\.{0,2}(?:\/|$)|[\0\\]/.test(key);

/** What no header may have in it: control characters, and letters that are no bytes. */
const HEADER_VALUE = /^[\t\x20-\x7e\xa0-\xff]*$/;
const MAX_HEADER = 8192;

/** @returns the object, or what is wrong with the line, as a phrase */
export function parseExportedLine(text: string): ExportedObject | string {
  try {
    return checkExported(JSON.parse(text));
  } catch {
    return 'is no JSON';
  }
}

/** @returns the object, or what is wrong with it, as a phrase */
function checkExported(value: unknown): ExportedObject | string {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return 'is no object';
  const { key, plainKey, size, digest, headers, readable } = value as {
    readonly [K in keyof ExportedObject]?: unknown;
  };
  for (const name of [key, ...(plainKey === undefined ? [] : [plainKey])])
    if (typeof name !== 'string' || parseKey(name).fault !== undefined || !isFilePath(name))
      return `has ${JSON.stringify(name) ?? 'nothing'} as a key, which is no path of a file`;
  if (!Number.isSafeInteger(size) || (size as number) < 0) return 'has no size';
  if (typeof digest !== 'string' || !/^[0-9a-f]{64}$/.test(digest)) return 'has no SHA-256 as its digest';
  if (typeof headers !== 'object' || headers === null || Array.isArray(headers)) return 'has no headers';
  for (const [name, given] of Object.entries(headers as Record<string, unknown>)) {
    if (propertyOf(name) === undefined)
      return `has the header ${JSON.stringify(name)}, which nothing is published with`;
    if (typeof given !== 'string' || given.length > MAX_HEADER || !HEADER_VALUE.test(given))
      return `has a header ${name} that is none`;
  }
  if (readable !== undefined && readable !== false) return 'has something else than false as readable';
  return value as ExportedObject;
}

/** Whose attributes they are, as POSIX asks of keywords that it does not define. */
const VENDOR = 'FENESTRA';

/** What a tar archive says of a file beside its name, size and time. */
export const toAttributes = ({
  plainKey,
  digest,
  headers,
  readable,
}: ExportedObject): Record<string, string> => ({
  [`${VENDOR}.digest`]: digest,
  ...(plainKey === undefined ? {} : { [`${VENDOR}.plainKey`]: plainKey }),
  ...(readable === false ? { [`${VENDOR}.readable`]: 'false' } : {}),
  ...Object.fromEntries(Object.entries(headers).map(([name, value]) => [`${VENDOR}.header.${name}`, value])),
});

/** @returns the object, or what is wrong with it, as a phrase */
export function parseAttributes(
  key: string,
  size: number,
  attributes: Readonly<Record<string, string>>,
): ExportedObject | string {
  const own = (name: string): string | undefined => attributes[`${VENDOR}.${name}`];
  const start = `${VENDOR}.header.`;
  const headers = Object.fromEntries(
    Object.entries(attributes)
      .filter(([name]) => name.startsWith(start))
      .map(([name, value]) => [name.slice(start.length), value]),
  );
  const [plainKey, readable] = [own('plainKey'), own('readable')];
  return checkExported({
    key,
    ...(plainKey === undefined ? {} : { plainKey }),
    size,
    digest: own('digest'),
    headers,
    ...(readable === undefined ? {} : { readable: readable === 'false' ? false : readable }),
  });
}
