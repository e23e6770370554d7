/** References in scripts: static imports of modules, source maps; and the features that they ask for. */
import { parse } from 'es-module-lexer/js';
import { lineCounter } from './lines.js';
import { readSourceMap } from './read-style.js';
import { NOWHERE, type Reading, type Reference, type Span } from './reading.js';

/** By what a script calls them; only pages from secure origins get them. */
const SECURE_FEATURES: readonly (readonly [RegExp, string])[] = [
  [/\bnavigator\s*\.\s*serviceWorker\s*\.\s*register\b/, 'service workers'],
  [/\bnavigator\s*\.\s*geolocation\s*\.\s*(?:getCurrentPosition|watchPosition)\b/, 'the visitor’s place'],
  [/\bnavigator\s*\.\s*mediaDevices\s*\.\s*get(?:User|Display)Media\b/, 'camera or microphone'],
  [/\bcrypto\s*\.\s*subtle\s*\.\s*\w+\s*\(/, 'cryptography'],
  [/\bnavigator\s*\.\s*clipboard\s*\.\s*(?:read|write)/, 'the clipboard'],
  [/\bnavigator\s*\.\s*(?:share|bluetooth|usb|wakeLock|storage)\s*[.(]/, 'device features'],
  [/\bnew\s+(?:PaymentRequest|SharedArrayBuffer)\b/, 'payments or shared memory'],
];

export function secureFeatures(text: string, first = 1): { feature: string; line: number }[] {
  if (!/navigator|crypto|PaymentRequest|SharedArrayBuffer/.test(text)) return [];
  return SECURE_FEATURES.flatMap(([pattern, feature]) => {
    const at = text.search(pattern);
    return at < 0 ? [] : [{ feature, line: first - 1 + lineCounter(text)(at) }];
  });
}

type Imported = ReturnType<typeof parse>[0][number];

/** What a text imports and exports, as it is written; nothing where it does not parse as a module. */
function parseImports(text: string): readonly Imported[] {
  if (!/\b(?:import|export)\b/.test(text)) return [];
  try {
    return parse(text)[0];
  } catch {
    return [];
  }
}

/** What a browser asks for before a module runs: `export … from` counts, what is imported by running code does not. */
export const staticImports = (text: string): string[] =>
  parseImports(text).flatMap(({ type, specifier }) =>
    (type === 'static' || type === 'reexport-star') && specifier !== undefined ? [specifier] : [],
  );

/** Static imports, and dynamic ones whose address is written out. A script that does not parse as a module has none. */
export function readImports(text: string, first = 1, offset = 0): Reference[] {
  const imports = parseImports(text);
  if (imports.length === 0) return [];
  const lineOf = lineCounter(text);
  return imports.flatMap((each): Reference[] => {
    const dynamic = each.type === 'dynamic';
    if (each.type === 'import-meta') return ownAddress(text, each.start, each.end, first, offset, lineOf);
    if ((dynamic && each.glob) || !each.specifier) return [];
    const other =
      !dynamic && each.attributes?.some(([name, value]) => name === 'type' && value !== 'javascript');
    return [
      {
        use: other ? 'data' : 'module',
        raw: each.specifier,
        line: first - 1 + lineOf(each.start),
        ...spanOf(text, each.specifier, each.start, offset),
        imported: true,
      },
    ];
  });
}

const BEFORE = /\bnew\s+URL\s*\(\s*(["'`])([^"'`\\$\n]{1,1000})\1\s*,\s*$/;
const BEHIND = /^\s*\.\s*url\s*[,)]/;
/** How far before it the address of `new URL("…", import.meta.url)` may begin. */
const MAX_BEFORE = 1100;

/** `new URL("…", import.meta.url)`: an address that is relative to the module itself. */
function ownAddress(
  text: string,
  from: number,
  to: number,
  first: number,
  offset: number,
  lineOf: (at: number) => number,
): Reference[] {
  if (!BEHIND.test(text.slice(to, to + 20))) return [];
  const before = text.slice(Math.max(0, from - MAX_BEFORE), from);
  const found = BEFORE.exec(before);
  if (!found?.[2]) return [];
  const raw = found[2];
  const at = from - before.length + found.index + found[0].lastIndexOf(raw);
  const span = offset < 0 ? NOWHERE : { at: offset + at, length: raw.length };
  return [{ use: 'data', raw, line: first - 1 + lineOf(at), ...span }];
}

/** A dynamic import counts its quotes; an address with escapes in it stays unknown. */
function spanOf(text: string, specifier: string, start: number, offset: number): Span {
  const at = text.startsWith(specifier, start) ? start : start + 1;
  if (offset < 0 || !text.startsWith(specifier, at)) return NOWHERE;
  return { at: offset + at, length: specifier.length };
}

export function readScript(text: string): Reading {
  const map = readSourceMap(text);
  return {
    kind: 'script',
    references: [...readImports(text), ...(map ? [map] : [])],
    secureFeatures: secureFeatures(text),
  };
}
