/** Where the name of a module leads, by the import maps of its page (HTML standard, section 8.1.5.2). */
import type { MappedName } from '../reading/reading.js';
import { parseAddress } from './parse-address.js';

export type ResolveModule = (name: string, from: string) => string | undefined;

type Mapped = Pick<MappedName, 'name' | 'address' | 'scope'>;
/** Addresses by name; those of names that are addresses themselves by the whole address. */
type Names = Map<string, string | undefined>;

const NAMES_A_PATH = /^(?:\.{0,2}\/|[a-z][a-z0-9+.-]*:)/i;

/** A name that is an address as that address, any other as it is. */
const wholeName = (name: string, base: string): string =>
  (NAMES_A_PATH.test(name) ? parseAddress(name, base) : undefined) ?? name;

/** @param mapped of all maps of the page; of two of a name the first counts @param base of the page */
export function mapModules(mapped: readonly Mapped[], base: string): ResolveModule {
  const top: Names = new Map();
  const scopes = new Map<string, Names>();
  for (const { name, address, scope } of mapped) {
    const within = scope === undefined ? undefined : parseAddress(scope, base);
    if (scope !== undefined && within === undefined) continue;
    const names = within === undefined ? top : (scopes.get(within) ?? new Map<string, string | undefined>());
    if (within !== undefined) scopes.set(within, names);
    const whole = wholeName(name, base);
    if (!names.has(whole))
      names.set(whole, NAMES_A_PATH.test(address) ? parseAddress(address, base) : undefined);
  }
  const narrowestFirst = [...scopes].sort(([a], [b]) => (a < b ? 1 : -1));
  return (name, from) => {
    const whole = wholeName(name, from);
    for (const [scope, names] of narrowestFirst) {
      if (from !== scope && !(scope.endsWith('/') && from.startsWith(scope))) continue;
      const found = lookUp(whole, names);
      if (found) return found.address;
    }
    const found = lookUp(whole, top);
    if (found) return found.address;
    return NAMES_A_PATH.test(name) ? parseAddress(name, from) : undefined;
  };
}

/** Exactly, or by the longest beginning up to a slash. */
function lookUp(name: string, names: Names): { readonly address: string | undefined } | undefined {
  if (names.size === 0) return undefined;
  if (names.has(name)) return { address: names.get(name) };
  for (let at = name.lastIndexOf('/'); at >= 0; at = at === 0 ? -1 : name.lastIndexOf('/', at - 1)) {
    const prefix = name.slice(0, at + 1);
    if (!names.has(prefix)) continue;
    const address = names.get(prefix);
    return { address: address === undefined ? undefined : parseAddress(name.slice(at + 1), address) };
  }
  return undefined;
}
