/** The one pattern grammar, used wherever the config or an option names keys. */
import { hasTooManyAlternatives, matchGlob, matchName, MAX_ALTERNATIVES } from './glob.js';

export type Matcher = (key: string) => boolean;

/** A longer pattern is a mistake, and no key is longer. */
const MAX_LENGTH = 1024;

/**
 * Compiles a pattern. Without a slash it matches the file name at any depth; with one it is anchored at the
 * site's root, where a leading slash only anchors. `*` and `**` match dot names too; case counts.
 */
export function parsePattern(written: string): Matcher {
  const known = compiled.get(written);
  if (known) return known;
  // Keys are in form NFC, so what is to match them is too.
  const pattern = written.normalize('NFC');
  const anchored = pattern.startsWith('/') ? pattern.slice(1) : pattern;
  const matcher = pattern.includes('/') ? anchoredMatcher(anchored) : nameMatcher(pattern);
  if (compiled.size >= MAX_COMPILED) compiled.clear();
  compiled.set(written, matcher);
  return matcher;
}

/** A name as a pattern that matches it alone. */
export const escapePattern = (name: string): string => name.replace(/[*?[\]{}\\!]/g, '\\$&');

const MAX_COMPILED = 10_000;
const compiled = new Map<string, Matcher>();

function anchoredMatcher(glob: string): Matcher {
  if (glob === '**' || glob === '**/*') return () => true;
  const prefix = /^([^*?[\]{}\\()!+@|]+\/)\*\*$/.exec(glob)?.[1];
  if (prefix !== undefined) return (key) => key.length > prefix.length && key.startsWith(prefix);
  return matchGlob(glob);
}

function nameMatcher(glob: string): Matcher {
  if (glob === '*' || glob === '**') return () => true;
  const ending = /^\*(\.[^*?[\]{}\\()!+@|]+)$/.exec(glob)?.[1];
  if (ending !== undefined) return (key) => key.endsWith(ending);
  const matches = matchName(glob);
  return (key) => matches(key.slice(key.lastIndexOf('/') + 1));
}

/** What is wrong with a pattern, or undefined. `becomes` is the pattern that was probably meant. */
export function patternFault(pattern: string): { fault: string; becomes?: string } | undefined {
  if (pattern === '') return { fault: 'the pattern is empty', becomes: '**' };
  if (pattern !== pattern.trim()) {
    return {
      fault: `the pattern "${pattern}" has white space around it, which no key has`,
      becomes: pattern.trim(),
    };
  }
  if (pattern === '/') return { fault: 'the pattern "/" matches nothing', becomes: '**' };
  if (pattern.endsWith('/'))
    return { fault: `"${pattern}" names a folder and matches nothing in it`, becomes: `${pattern}**` };
  if (pattern.startsWith('!'))
    return { fault: `"${pattern}": patterns have no negation; use except:`, becomes: pattern.slice(1) };
  if (pattern.split('/').some((part) => part === '.' || part === '..')) {
    return {
      fault: `"${pattern}" has a dot segment, which no key has`,
      becomes: pattern.replace(/(^|\/)\.{1,2}(?=\/)/g, '').replace(/^\/+/, ''),
    };
  }
  if (pattern.length > MAX_LENGTH)
    return {
      fault: `the pattern "${pattern.slice(0, 20)}…" is ${pattern.length} characters long; ${MAX_LENGTH} are the most`,
    };
  if (hasTooManyAlternatives(pattern))
    return { fault: `"${pattern}" stands for more than ${MAX_ALTERNATIVES} alternatives` };
  if (unbalanced(pattern)) return { fault: `"${pattern}" has a bracket or brace that is never closed` };
  return undefined;
}

function unbalanced(pattern: string): boolean {
  const plain = pattern.replace(/\\./g, '');
  const count = (mark: string): number => plain.split(mark).length - 1;
  return count('{') !== count('}') || count('[') !== count(']');
}

/**
 * The pattern that covers what is in a folder, when `pattern` names just the folder itself.
 * @param keys the site's keys
 */
export function folderMeant(pattern: string, keys: readonly string[]): string | undefined {
  if (/[*?[\]{}]/.test(pattern)) return undefined;
  const folder = `${pattern.normalize('NFC').replace(/^\//, '')}/`;
  const matches = parsePattern(pattern);
  if (keys.some((key) => matches(key))) return undefined;
  return keys.some((key) => key.startsWith(folder)) ? `${folder}**` : undefined;
}

/** What a pattern was meant to be that matches nothing: all of a folder, or all of an extension (`webm` for `*.webm`). */
export function patternMeant(pattern: string, keys: readonly string[]): string | undefined {
  const folder = folderMeant(pattern, keys);
  if (folder !== undefined) return folder;
  const [, ending] = /^\.?(\w{1,10})$/.exec(pattern) ?? [];
  const isEnding = ending !== undefined && keys.some((key) => key.endsWith(`.${ending}`));
  return isEnding ? `*.${ending}` : undefined;
}
