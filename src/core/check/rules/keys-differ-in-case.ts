import { siteRule } from '../rule.js';

export const keysDifferInCase = siteRule(
  {
    name: 'keys-differ-in-case',
    level: 'warning',
    explain:
      'Two keys differ only in the case of their letters: on a disk that ignores case one of them overwrites the other.',
    example: 'Map.svg and map.svg',
    fix: 'Rename one of them.',
  },
  function* ({ objects }) {
    // Only a name with capital letters can differ from another so.
    const foldedNames = new Set<string>();
    for (const { key } of objects) {
      const folded = key.toLowerCase();
      if (folded !== key) foldedNames.add(folded);
    }
    if (foldedNames.size === 0) return;
    const seen = new Map<string, string>();
    for (const { key } of objects) {
      const folded = key.toLowerCase();
      if (!foldedNames.has(folded)) continue;
      const other = seen.get(folded);
      if (other !== undefined)
        yield { key, message: `differs from ${other} only in case`, fix: 'rename one of them' };
      else seen.set(folded, key);
    }
  },
);
