/** What modules import, and where a name of theirs leads. */
import { parse as parseModule } from 'es-module-lexer/js';
import { parseAddress } from './parse-address.js';

/** Static imports alone: what a script imports while it runs is for nobody to know. */
export function importsIn(text: string): string[] {
  if (!/\b(?:import|export)\b/.test(text)) return [];
  try {
    return parseModule(text)[0].flatMap(({ type, specifier }) =>
      type === 'static' && specifier !== undefined ? [specifier] : [],
    );
  } catch {
    return [];
  }
}

export type ResolveModule = (name: string, from: string) => string | undefined;

/** By the import map where it has the name, exactly or up to a slash (HTML section 8.1.5.2). */
export function mapModules(map: Readonly<Record<string, string>>, base: string): ResolveModule {
  const prefixes = Object.keys(map)
    .filter((name) => name.endsWith('/'))
    .sort((a, b) => b.length - a.length);
  return (name, from) => {
    if (Object.hasOwn(map, name)) return parseAddress(map[name] ?? '', base);
    const prefix = prefixes.find((each) => name.startsWith(each));
    if (prefix !== undefined) return parseAddress((map[prefix] ?? '') + name.slice(prefix.length), base);
    return /^(?:\.{0,2}\/|[a-z][a-z0-9+.-]*:)/i.test(name) ? parseAddress(name, from) : undefined;
  };
}
