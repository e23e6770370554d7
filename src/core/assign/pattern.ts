/** The one pattern grammar, used wherever the config or an option names keys. */
import picomatch from 'picomatch';

export type Matcher = (key: string) => boolean;

const OPTIONS = {
  dot: true,
  noextglob: true,
  nonegate: true,
  strictSlashes: true,
  noquantifiers: true,
} as const;

/**
 * Compiles a pattern. Without a slash it matches the file name at any depth; with one it is anchored at the
 * site's root, where a leading slash only anchors. `*` and `**` match dot names too; case counts.
 */
export function parsePattern(pattern: string): Matcher {
  const anchored = pattern.startsWith('/') ? pattern.slice(1) : pattern;
  const known = compiled.get(pattern);
  if (known) return known;
  const matcher = pattern.includes('/') ? anchoredMatcher(anchored) : nameMatcher(pattern);
  compiled.set(pattern, matcher);
  return matcher;
}

const compiled = new Map<string, Matcher>();

const expression = (glob: string): RegExp => picomatch.makeRe(escapeParentheses(glob), OPTIONS);

// With extended globs off, a parenthesis in a file's name is an ordinary character.
const escapeParentheses = (glob: string): string => glob.replace(/(?<!\\)[()|+]/g, '\\$&');

function anchoredMatcher(glob: string): Matcher {
  if (glob === '**' || glob === '**/*') return () => true;
  const prefix = /^([^*?[\]{}\\()!+@|]+\/)\*\*$/.exec(glob)?.[1];
  if (prefix !== undefined) return (key) => key.length > prefix.length && key.startsWith(prefix);
  const regex = expression(glob);
  return (key) => regex.test(key);
}

function nameMatcher(glob: string): Matcher {
  if (glob === '*' || glob === '**') return () => true;
  const ending = /^\*(\.[^*?[\]{}\\()!+@|]+)$/.exec(glob)?.[1];
  if (ending !== undefined) return (key) => key.endsWith(ending);
  const regex = expression(glob);
  return (key) => regex.test(key.slice(key.lastIndexOf('/') + 1));
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
  const folder = pattern.replace(/^\//, '') + '/';
  const matches = parsePattern(pattern);
  if (keys.some((key) => matches(key))) return undefined;
  return keys.some((key) => key.startsWith(folder)) ? `${folder}**` : undefined;
}
