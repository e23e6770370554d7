/**
 * Matching of globs in time that grows with pattern times key, whatever either holds: expressions that libraries make
 * of them take far longer on hostile ones. `*` and `?` stay within a segment, `**` spans segments, braces are
 * alternatives, brackets are sets of characters; a backslash takes a character as it is.
 */

/** One character, any character, a set of characters, or any number of them. */
type Part =
  | { readonly is: 'character'; readonly character: string }
  | { readonly is: 'any' | 'many' }
  | { readonly is: 'set'; readonly holds: (character: string) => boolean };

type Segment = readonly Part[] | 'span';

/** Alternatives that braces may stand for; a pattern with more is refused. */
export const MAX_ALTERNATIVES = 256;

/** Whether a pattern's braces stand for more alternatives than are matched. */
export const hasTooManyAlternatives = (glob: string): boolean => expandBraces(glob) === undefined;

/** Matches a whole key. */
export function matchGlob(glob: string): (key: string) => boolean {
  const alternatives = (expandBraces(glob) ?? []).map((each) => each.split('/').map(parseSegment));
  const literals = new Set(alternatives.flatMap((pattern) => literalOf(pattern) ?? []));
  const others = alternatives.filter((pattern) => literalOf(pattern) === undefined);
  return (key) => {
    if (literals.has(key)) return true;
    if (others.length === 0) return false;
    const segments = key.split('/');
    return others.some((pattern) => matchSegments(pattern, segments));
  };
}

/** The one key that a pattern matches; undefined where it may match others. */
function literalOf(pattern: readonly Segment[]): string | undefined {
  const segments: string[] = [];
  for (const segment of pattern) {
    if (segment === 'span') return undefined;
    let text = '';
    for (const part of segment) {
      if (part.is !== 'character') return undefined;
      text += part.character;
    }
    segments.push(text);
  }
  return segments.join('/');
}

/** Matches one segment, such as a file's name; a pattern without a slash. */
export function matchName(glob: string): (name: string) => boolean {
  const alternatives = (expandBraces(glob) ?? []).map(parseParts);
  return (name) => alternatives.some((parts) => matchParts(parts, name));
}

/** Every plain pattern that braces stand for; undefined where they are too many. */
function expandBraces(glob: string): string[] | undefined {
  let done = [''];
  let at = 0;
  while (at < glob.length) {
    const character = glob.charAt(at);
    if (character === '\\') {
      done = done.map((each) => each + glob.slice(at, at + 2));
      at += 2;
      continue;
    }
    const group = character === '{' ? readGroup(glob, at) : undefined;
    if (!group) {
      done = done.map((each) => each + character);
      at++;
      continue;
    }
    const within: string[] = [];
    for (const part of group.parts) {
      const expanded = expandBraces(part);
      if (!expanded) return undefined;
      within.push(...expanded);
      if (within.length * done.length > MAX_ALTERNATIVES) return undefined;
    }
    done = done.flatMap((each) => within.map((part) => each + part));
    at = group.end;
  }
  return done;
}

/** The alternatives of a brace; undefined where it holds no comma and no range, and so stands for itself. */
function readGroup(
  glob: string,
  open: number,
): { readonly parts: readonly string[]; readonly end: number } | undefined {
  const parts: string[] = [];
  let depth = 0;
  let from = open + 1;
  for (let at = open; at < glob.length; at++) {
    const character = glob.charAt(at);
    if (character === '\\') at++;
    else if (character === '{') depth++;
    else if (character === ',' && depth === 1) {
      parts.push(glob.slice(from, at));
      from = at + 1;
    } else if (character === '}' && --depth === 0) {
      const last = glob.slice(from, at);
      const range = parts.length === 0 ? readRange(last) : undefined;
      if (parts.length === 0 && !range) return undefined;
      return { parts: range ?? [...parts, last], end: at + 1 };
    }
  }
  return undefined;
}

/** `1..3` or `a..c`, spelt out. */
function readRange(text: string): string[] | undefined {
  const [, first = '', last = ''] = /^(\d{1,3}|[A-Za-z])\.\.(\d{1,3}|[A-Za-z])$/.exec(text) ?? [];
  if (first === '' || /\d/.test(first) !== /\d/.test(last)) return undefined;
  const numbers = /\d/.test(first);
  const [from, to] = [first, last].map((end) => (numbers ? Number(end) : end.charCodeAt(0)));
  if (from === undefined || to === undefined) return undefined;
  const [low, high] = [Math.min(from, to), Math.max(from, to)];
  return Array.from({ length: high - low + 1 }, (_, at) =>
    numbers ? String(low + at) : String.fromCharCode(low + at),
  );
}

const parseSegment = (segment: string): Segment => (segment === '**' ? 'span' : parseParts(segment));

function parseParts(text: string): Part[] {
  const parts: Part[] = [];
  for (let at = 0; at < text.length; at++) {
    const character = text.charAt(at);
    if (character === '*') {
      // Several in a row are one.
      if (parts.at(-1)?.is !== 'many') parts.push({ is: 'many' });
    } else if (character === '?') parts.push({ is: 'any' });
    else if (character === '\\' && at + 1 < text.length)
      parts.push({ is: 'character', character: text.charAt(++at) });
    else {
      const set = character === '[' ? readSet(text, at) : undefined;
      parts.push(set ? { is: 'set', holds: set.holds } : { is: 'character', character });
      if (set) at = set.end;
    }
  }
  return parts;
}

/** `[ab]`, `[a-z]`, `[!ab]`, `[^ab]`; undefined where the bracket is never closed. */
function readSet(
  text: string,
  open: number,
): { readonly holds: (character: string) => boolean; readonly end: number } | undefined {
  let at = open + 1;
  const negated = text.charAt(at) === '!' || text.charAt(at) === '^';
  if (negated) at++;
  const ranges: (readonly [string, string])[] = [];
  for (let first = true; at < text.length; first = false) {
    let character = text.charAt(at);
    if (character === ']' && !first) {
      return {
        end: at,
        holds: (each) => ranges.some(([from, to]) => from <= each && each <= to) !== negated,
      };
    }
    if (character === '\\') character = text.charAt(++at);
    const to = text.charAt(at + 1) === '-' && text.charAt(at + 2) !== ']' ? text.charAt(at + 2) : '';
    ranges.push([character, to === '' ? character : to]);
    at += to === '' ? 1 : 3;
  }
  return undefined;
}

/** A `**` between others matches no segment or more; at the end one or more. */
function matchSegments(pattern: readonly Segment[], segments: readonly string[]): boolean {
  const [first, last] = [pattern[0], pattern.at(-1)];
  // Most keys are not matched: their depth, first or last segment mostly shows it.
  if (pattern.length !== segments.length && !pattern.includes('span')) return false;
  if (first !== undefined && first !== 'span' && !matchParts(first, segments[0] ?? '')) return false;
  if (last !== undefined && last !== 'span' && !matchParts(last, segments.at(-1) ?? '')) return false;
  /** How many segments of the key may be taken when the pattern has been read so far. */
  let taken = new Set([0]);
  for (const [at, part] of pattern.entries()) {
    const next = new Set<number>();
    if (part === 'span') {
      const least = Math.min(...taken);
      if (at === pattern.length - 1) return least < segments.length;
      for (let count = least; count <= segments.length; count++) next.add(count);
    } else
      for (const count of taken) {
        const segment = segments[count];
        if (segment !== undefined && matchParts(part, segment)) next.add(count + 1);
      }
    if (next.size === 0) return false;
    taken = next;
  }
  return taken.has(segments.length);
}

/** Only the last `*` is ever tried again, which is enough: what came before it fits wherever it fitted first. */
function matchParts(parts: readonly Part[], text: string): boolean {
  let at = 0;
  let part = 0;
  let star = -1;
  let tried = 0;
  while (at < text.length) {
    const wanted = parts[part];
    if (wanted?.is === 'many') {
      star = part++;
      tried = at;
    } else if (wanted && matchesCharacter(wanted, text.charAt(at))) {
      at++;
      part++;
    } else if (star >= 0) {
      part = star + 1;
      at = ++tried;
    } else return false;
  }
  while (parts[part]?.is === 'many') part++;
  return part === parts.length;
}

const matchesCharacter = (part: Part, character: string): boolean =>
  part.is === 'character'
    ? part.character === character
    : part.is === 'any' || (part.is === 'set' && part.holds(character));
