/** Files of a site folder that mean something to a server or to a build, and nothing to a bucket. */
import { fileName } from './key.js';

/** Rules of a web server, by the names that such files have. */
const SERVER_RULES = /^(?:\.ht[a-z]+|\.user\.ini|web\.config|[\w-]+\.conf|_headers|_redirects)$/i;

/** What builds are made from. */
const BUILD =
  /^(?:package(?:-lock)?\.json|[\w.-]+\.lock|[\w-]+-lock\.ya?ml|[jt]sconfig[\w.-]*\.json|[\w-]+\.config\.[cm]?[jt]s|makefile|dockerfile|requirements\.txt|pyproject\.toml)$/i;

/** A page for one status: `500.html`, `50x.html`. */
const BY_STATUS = /^(?:4\d\d|5\d\d|[45]xx?|50x)\.x?html?$/i;

/** Pages that a server puts together (server-side includes). */
const INCLUDES = /\.(?:shtml?|stm)$/i;

export type IdleKind = 'server rules' | 'build' | 'page by status' | 'includes';

/** @returns undefined for what a bucket has a use for */
export function idleKind(key: string): IdleKind | undefined {
  const name = fileName(key);
  if (SERVER_RULES.test(name)) return 'server rules';
  // Deeper down it may be something to look at.
  if (BUILD.test(key)) return 'build';
  if (BY_STATUS.test(name)) return 'page by status';
  return INCLUDES.test(name) ? 'includes' : undefined;
}

/** What lines of such rules speak of, by the words that their grammars share. */
const SUBJECTS: readonly (readonly [subject: string, RegExp])[] = [
  ['caching', /expires|cache|max-age/i],
  ['moved addresses', /redirect|rewrite|\b30[1278]\b/i],
  ['error pages', /error/i],
  ['types', /mime|charset|type\b/i],
  ['who may read', /require|deny|allow|auth/i],
  ['headers', /header/i],
];

/** More of a file is not looked at. Characters. */
const MOST = 64 * 1024;

/** How many lines speak of what, in words: `4 lines of caching, 2 of types`; '' where none does. */
export function describeServerRules(text: string): string {
  const counts = new Map<string, number>();
  for (const line of text.slice(0, MOST).split(/\r\n?|\n/)) {
    if (/^\s*(?:#|$|<\/|<!--)/.test(line)) continue;
    const subject = SUBJECTS.find(([, pattern]) => pattern.test(line.slice(0, 2000)))?.[0];
    if (subject !== undefined) counts.set(subject, (counts.get(subject) ?? 0) + 1);
  }
  return [...counts]
    .sort(([, a], [, b]) => b - a)
    .map(([subject, count], at) =>
      at === 0 ? `${count} ${count === 1 ? 'line' : 'lines'} of ${subject}` : `${count} of ${subject}`,
    )
    .join(', ');
}
