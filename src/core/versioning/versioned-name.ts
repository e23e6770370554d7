/** Names with a hash of the content in them, in the form that the config sets. */
import { fileName } from '../site/key.js';
import { hasContentHash, looksHashed } from '../site/names.js';

export const DEFAULT_FORM = '{stem}.{hash}{extension}';

const HASH_LENGTH = 8;
const PARTS = ['{stem}', '{hash}', '{extension}'] as const;

/** What is wrong with a form of names, or undefined. `becomes` is the form that was probably meant. */
export function versionedNameFault(
  form: string,
): { readonly fault: string; readonly becomes?: string } | undefined {
  const becomes = DEFAULT_FORM;
  for (const part of PARTS) {
    const times = form.split(part).length - 1;
    if (times === 0) return { fault: `"${form}" has no ${part}`, becomes };
    if (times > 1) return { fault: `"${form}" has ${part} more than once`, becomes };
  }
  const rest = form.replace(/\{(?:stem|hash|extension)\}/g, '');
  if (/[{}]/.test(rest))
    return { fault: `"${form}" has braces around something else than stem, hash and extension`, becomes };
  if (rest.includes('/'))
    return {
      fault: `"${form}" would move the object to another folder, where what it refers to is not`,
      becomes,
    };
  if (!/^[\w.~-]*$/.test(rest))
    return { fault: `"${form}" has characters that an address would have to escape`, becomes };
  if (!form.endsWith('{extension}'))
    return { fault: `"${form}" does not end in {extension}, by which other hosts know the type`, becomes };
  if (/\}\{(?!extension)/.test(form))
    return { fault: `"${form}" has nothing between stem and hash that tells them apart`, becomes };
  return undefined;
}

/** Eight characters of a digest that are known for a hash: digits and letters. @param digest lower-case hexadecimal */
export function hashOfName(digest: string): string {
  for (let at = 0; at + HASH_LENGTH <= digest.length; at++) {
    const hash = digest.slice(at, at + HASH_LENGTH);
    if (looksHashed(hash)) return hash;
  }
  // One in very many digests has no such part.
  return `a${digest.slice(0, HASH_LENGTH - 2)}0`;
}

export interface NameForm {
  /** The key under its versioned name, in the same folder. @param digest lower-case hexadecimal */
  versioned(key: string, digest: string): string;
  /** Whether the name carries a hash already, ours or another's. */
  isVersioned(key: string): boolean;
}

export function createNameForm(form: string): NameForm {
  const [, before = '', between = '', after = ''] =
    /^(.*?)\{(?:stem|hash)\}(.*?)\{(?:stem|hash)\}(.*)\{extension\}$/.exec(form) ?? [];
  const isHashLast = form.indexOf('{stem}') < form.indexOf('{hash}');
  const escape = (text: string): string => text.replace(/[.~-]/g, '\\$&');
  const [first, last] = isHashLast ? ['.+?', '([0-9a-f]{8})'] : ['([0-9a-f]{8})', '.+?'];
  const own = new RegExp(
    `^${escape(before)}${first}${escape(between)}${last}${escape(after)}(?:\\.[^.]*)?$`,
    's',
  );
  return {
    versioned(key, digest) {
      const name = fileName(key);
      const dot = name.lastIndexOf('.');
      const [stem, extension] = dot > 0 ? [name.slice(0, dot), name.slice(dot)] : [name, ''];
      const values: Readonly<Record<string, string>> = { stem, extension, hash: hashOfName(digest) };
      const versioned = form.replace(/\{(stem|hash|extension)\}/g, (_, part: string) => values[part] ?? '');
      return key.slice(0, key.length - name.length) + versioned;
    },
    isVersioned(key) {
      const hash = own.exec(fileName(key))?.[1];
      return (hash !== undefined && looksHashed(hash)) || hasContentHash(key);
    },
  };
}
