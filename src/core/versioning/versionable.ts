/** Which objects get versioned names: what the config covers and nothing that is found by its address alone. */
import { isFeedObject, isPage } from '../assign/defaults.js';
import { parsePattern, type Matcher } from '../assign/pattern.js';
import { fileName } from '../site/key.js';
import { createNameForm, type NameForm } from './versioned-name.js';

/** What the config says of versioned names. */
export interface VersionedSetting {
  readonly patterns: readonly string[];
  /** Patterns of what keeps its plain name too. */
  readonly keepPlain: readonly string[];
  /** The form of the names. */
  readonly form: string;
  /** Names of index and error documents, of all destinations. */
  readonly documents: readonly string[];
}

export interface Versionable {
  readonly form: NameForm;
  /** Whether an object gets a versioned name. @param type its Content-Type; '' when it has none */
  covers(key: string, type: string): boolean;
  /** Whether the config wants its plain name to stay. */
  keepsPlain(key: string): boolean;
}

export function createVersionable({ patterns, keepPlain, form, documents }: VersionedSetting): Versionable {
  const matches = anyOf(patterns);
  const names = createNameForm(form);
  const isDocument = new Set(documents);
  return {
    form: names,
    covers: (key, type) =>
      matches(key) &&
      !isFoundByAddress(key, type) &&
      !isDocument.has(key) &&
      !isDocument.has(fileName(key)) &&
      !names.isVersioned(key),
    keepsPlain: anyOf(keepPlain),
  };
}

function anyOf(patterns: readonly string[]): Matcher {
  const matchers = patterns.map(parsePattern);
  return (key) => matchers.some((matches) => matches(key));
}

/** Names that programs ask for at the root of a site without being led there. */
const AT_THE_ROOT =
  /^(?:\.well-known\/.*|(?:robots|humans|ads|app-ads|security|llms)\.txt|favicon\.ico|apple-touch-icon[\w.-]*\.png|browserconfig\.xml|crossdomain\.xml|CNAME)$/s;

export const isFoundByAddress = (key: string, type: string): boolean =>
  AT_THE_ROOT.test(key) || isPage(type) || isFeedObject(key, type) || type === 'text/cache-manifest';

/** What a pattern may not cover, with what each is for. */
const EXAMPLES: readonly (readonly [key: string, what: string])[] = [
  ['robots.txt', 'robots.txt'],
  ['.well-known/security.txt', 'what lies in .well-known/'],
  ['page.html', 'pages'],
  ['folder/page.html', 'pages'],
  ['sitemap.xml', 'sitemaps'],
  ['feed.xml', 'feeds'],
  ['feed.atom', 'feeds'],
  ['feed.rss', 'feeds'],
];

/** What is wrong with versioning what a pattern covers; undefined when nothing is. @param documents names of index and error documents */
export function versionedFault(
  pattern: string,
  documents: readonly string[],
): { readonly fault: string; readonly becomes: string } | undefined {
  const matches = parsePattern(pattern);
  const [, what] =
    [
      ...documents.flatMap((name) => [
        [name, name],
        [`folder/${name}`, name],
      ]),
      ...EXAMPLES,
    ].find(([key = '']) => matches(key)) ??
    (/\.x?html?$/i.test(pattern) || isFoundByAddress(pattern.replace(/^\//, ''), '')
      ? [pattern, pattern]
      : []);
  if (what === undefined) return undefined;
  const folder = /^\/?([^*?[\]{}]+\/)/.exec(pattern)?.[1];
  return {
    fault:
      what === pattern
        ? `"${pattern}" is found by its address alone`
        : `"${pattern}" covers ${what}, which visitors and programs find by the address alone`,
    becomes: folder === undefined || folder === '.well-known/' ? 'assets/**' : `${folder}*.{css,js}`,
  };
}
