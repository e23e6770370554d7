/** Keys: the names of objects. */
export const MAX_KEY_BYTES = 1024;

export type KeyFault = 'too-long' | 'control-character' | 'not-unicode' | 'empty';

export interface ParsedKey {
  readonly key: string;
  readonly fault?: KeyFault;
}

const CONTROL = /[\u0000-\u001f\u007f]/;

/**
 * The key of a file: its POSIX path below the site, in Unicode form NFC, case kept.
 * @param path relative path with `/` between segments
 */
export function parseKey(path: string): ParsedKey {
  const key = isAscii(path) ? path : path.normalize('NFC');
  if (key === '') return { key, fault: 'empty' };
  if (key.length > MAX_KEY_BYTES / 3 && Buffer.byteLength(key) > MAX_KEY_BYTES)
    return { key, fault: 'too-long' };
  if (CONTROL.test(key)) return { key, fault: 'control-character' };
  // A name that is not UTF-8 on disk arrives with replacement characters: nobody could ask for it.
  if (key.includes('\uFFFD')) return { key, fault: 'not-unicode' };
  return { key };
}

const ASCII = /^[\u0000-\u007f]*$/;
const isAscii = (text: string): boolean => ASCII.test(text);

/** The folders that a key lies in, the outermost first, each with its closing slash. */
export function foldersAbove(key: string): string[] {
  const found: string[] = [];
  for (let at = key.indexOf('/'); at >= 0; at = key.indexOf('/', at + 1)) found.push(key.slice(0, at + 1));
  return found;
}

export const fileName = (key: string): string => key.slice(key.lastIndexOf('/') + 1);

/** The last extension in lower case without its dot; '' when there is none. A leading dot is no extension. */
export function extension(key: string): string {
  const name = fileName(key);
  const dot = name.lastIndexOf('.');
  return dot > 0 ? name.slice(dot + 1).toLowerCase() : '';
}

/** The path of a key in a URL: every segment percent-encoded, slashes kept, with a leading slash. */
export const keyToPath = (key: string): string =>
  '/' + (PLAIN.test(key) ? key : key.split('/').map(encodeSegment).join('/'));

/** Nothing in it has to be encoded. */
const PLAIN = /^[\w.~!*'()/-]*$/;

const encodeSegment = (segment: string): string =>
  encodeURIComponent(segment).replace(/%(2B|40|3A|24|26|2C|3B|3D)/g, (code) => decodeURIComponent(code));

/** Orders keys by their UTF-8 bytes, as every store lists them. */
export function compareKeys(a: string, b: string): number {
  if (a === b) return 0;
  const length = Math.min(a.length, b.length);
  for (let at = 0; at < length; at++) {
    const x = a.charCodeAt(at);
    const y = b.charCodeAt(at);
    // Surrogates stand for code points above U+FFFF, whose UTF-8 sorts after everything in the BMP.
    if (x !== y) return (isSurrogate(x) ? x + 0x10000 : x) - (isSurrogate(y) ? y + 0x10000 : y);
  }
  return a.length - b.length;
}

const isSurrogate = (unit: number): boolean => unit >= 0xd800 && unit <= 0xdfff;
