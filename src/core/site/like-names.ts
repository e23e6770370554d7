/** Keys that some file system could take for one name. */

/** Wider than what any file system folds: what differs here is another name on every one of them. */
const foldWidely = (key: string): string =>
  key
    .split('/')
    .map((part) => part.slice(0, lengthWithoutEnd(part)))
    .join('/')
    .normalize('NFKD')
    .toUpperCase()
    .toLowerCase()
    .normalize('NFKD')
    .replace(/[\p{M}\p{Default_Ignorable_Code_Point}]/gu, '');

/** Some drop blanks and dots at the end of a name. */
function lengthWithoutEnd(name: string): number {
  let length = name.length;
  while (length > 0 && (name[length - 1] === ' ' || name[length - 1] === '.')) length--;
  return length;
}

/** @returns the keys that could be one file with another, or a file where another needs a folder, in their order */
export function likeNames(keys: readonly string[]): readonly string[] {
  const files = new Map<string, string[]>();
  for (const key of keys) {
    const name = foldWidely(key);
    const others = files.get(name);
    if (others) others.push(key);
    else files.set(name, [key]);
  }
  const like = new Set<string>();
  for (const [name, own] of files) {
    if (own.length > 1) own.forEach((key) => like.add(key));
    for (let at = name.indexOf('/'); at >= 0; at = name.indexOf('/', at + 1)) {
      const inTheWay = files.get(name.slice(0, at)) ?? [];
      if (inTheWay.length > 0) [...inTheWay, ...own].forEach((key) => like.add(key));
    }
  }
  return keys.filter((key) => like.has(key));
}
