/** Import maps (HTML standard, section 8.1.6.2): the addresses in them, and what is mapped to them. */
import { listJsonStrings } from '../json-strings.js';
import { lineCounter } from '../lines.js';
import { NOWHERE, type Integrity, type MappedName, type Reference, type Span } from '../reading.js';

export interface ImportMapReading {
  /** Addresses of single modules; a folder's address is none. */
  readonly references: readonly Reference[];
  readonly mapped: readonly MappedName[];
  readonly integrity: readonly Integrity[];
}

/** @param first the line on which the text begins in its page @param offset where it begins, -1 for unknown */
export function readImportMap(text: string, first: number, offset: number): ImportMapReading {
  const references: Reference[] = [];
  const mapped: MappedName[] = [];
  const integrity: Integrity[] = [];
  try {
    JSON.parse(text);
  } catch {
    // Browsers pass over it too.
    return { references, mapped, integrity };
  }
  const lineOf = lineCounter(text);
  let name: MappedName | undefined;
  for (const { path, isName, value, ...span } of listJsonStrings(text)) {
    const place: Span = offset < 0 ? NOWHERE : { ...span, at: offset + span.at };
    const [section] = path;
    const isMapping =
      (section === 'imports' && path.length === 2) || (section === 'scopes' && path.length === 3);
    if (isName) name = { name: value, address: '', ...place };
    else if (isMapping && name) {
      mapped.push({ ...name, address: value, ...(path.length === 3 ? { scope: String(path[1]) } : {}) });
      if (!value.endsWith('/'))
        references.push({ use: 'module', raw: value, line: first - 1 + lineOf(span.at), ...place });
    } else if (section === 'integrity' && path.length === 2 && name) {
      const { name: raw, address: _address, ...at } = name;
      integrity.push({ reference: -1, of: { raw, ...at }, value, at: place.at, length: place.length });
    }
  }
  return { references, mapped, integrity };
}
