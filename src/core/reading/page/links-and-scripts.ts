/** What `link` and `script` are for, which their other attributes say: one table for whoever reads pages. */
import type { Use } from '../reading.js';

/** What becomes of a `link` when the page is loaded. */
export type LinkAsks = 'never' | 'style' | 'icon' | 'manifest' | 'module' | 'preload' | 'prefetch';

interface Rel {
  readonly names: readonly string[];
  /** Undefined for what is no reference; of a preload its `as` says it. */
  readonly use: Use | undefined;
  readonly asks: LinkAsks;
  /** Its `type` declares the type of what is there. */
  readonly typed?: true;
}

/** The first that a `link` has counts. */
export const RELS: readonly Rel[] = [
  { names: ['stylesheet'], use: 'style', asks: 'style', typed: true },
  { names: ['icon'], use: 'image', asks: 'icon', typed: true },
  {
    names: ['apple-touch-icon', 'apple-touch-icon-precomposed', 'mask-icon'],
    use: 'image',
    asks: 'never',
    typed: true,
  },
  { names: ['manifest'], use: 'manifest', asks: 'manifest' },
  { names: ['modulepreload'], use: 'module', asks: 'module' },
  { names: ['preload'], use: 'data', asks: 'preload', typed: true },
  { names: ['canonical', 'alternate', 'shortlink'], use: 'identity', asks: 'never', typed: true },
  { names: ['prefetch'], use: 'link', asks: 'prefetch' },
  { names: ['preconnect', 'dns-prefetch'], use: undefined, asks: 'never' },
];
const OTHER: Rel = { names: [], use: 'link', asks: 'never' };

const MAX_WORDS = 100;

/** @param rel as it is written */
export function relOf(rel: string | undefined): Rel & { has(name: string): boolean } {
  const words = (rel ?? '').toLowerCase().split(/\s+/, MAX_WORDS);
  const found = RELS.find(({ names }) => names.some((name) => words.includes(name))) ?? OTHER;
  return { ...found, has: (name) => words.includes(name) };
}

const PRELOADS = {
  style: 'style',
  script: 'script',
  font: 'font',
  image: 'image',
  video: 'media',
  audio: 'media',
  track: 'captions',
  fetch: 'data',
  document: 'frame',
} as const satisfies Record<string, Use>;

/** What a preload says that it is for. */
export const PRELOADED: ReadonlyMap<string, (typeof PRELOADS)[keyof typeof PRELOADS]> = new Map(
  Object.entries(PRELOADS),
);

/** Types by which scripts say that they are scripts, lower case. */
const JAVASCRIPT =
  /^(?:text|application)\/(?:x-)?(?:java|ecma)script$|^text\/(?:jscript|livescript|javascript1\.[0-5])$/;

export type ScriptKind = 'classic' | 'module' | 'import map' | 'speculation rules' | 'data';

/** What the `type` of a `script` makes of it, or its old `language`, where it has no type. */
export function scriptKind(type: string | undefined, language?: string): ScriptKind {
  const plain = (type ?? (language ? `text/${language}` : '')).trim().toLowerCase();
  if (plain === '' || JAVASCRIPT.test(plain)) return 'classic';
  if (plain === 'module') return 'module';
  if (plain === 'importmap') return 'import map';
  return plain === 'speculationrules' ? 'speculation rules' : 'data';
}
