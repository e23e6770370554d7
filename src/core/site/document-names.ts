/** Names that index documents and error pages usually have. */

const INDEX = /^(?:index|default|home)\.x?html?$/i;
const ERROR = /(?:^|\/)(?:404|error|not[-_]?found|404[-_]?error|error[-_]?404)\.x?html?$/i;

export const isErrorName = (key: string): boolean => ERROR.test(key);
/** What is taken before others. */
const USUAL_ERRORS = ['not-found.html', '404.html', 'error.html'];

/** Names of index documents that are looked for in a folder, the usual ones first. */
export const INDEX_NAMES = ['index', 'default', 'home'].flatMap((name) =>
  ['.html', '.htm', '.xhtml'].map((ending) => name + ending),
);

/** The index document of the root, by its usual name. */
export const findIndex = (keys: readonly string[]): string | undefined =>
  keys.find((key) => key === 'index.html') ?? keys.find((key) => INDEX.test(key));

/** A page for wrong addresses, by its usual names: at the root first. */
export function findErrorPage(keys: Iterable<string>): string | undefined {
  const found = [...keys].filter((key) => ERROR.test(key));
  return (
    USUAL_ERRORS.find((key) => found.includes(key)) ?? found.find((key) => !key.includes('/')) ?? found[0]
  );
}
