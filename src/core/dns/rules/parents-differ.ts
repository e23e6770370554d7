import { listed, nameRule, placeOf } from '../naming-context.js';

export const parentsDiffer = nameRule(
  {
    name: 'parents-differ',
    level: 'error',
    explain:
      'Servers of the parent name different servers for the zone: the move has not reached all of them.',
    example: 'ns1.nic.example names the new provider, ns2.nic.example still the old one',
    fix: 'Wait for the registry; the waiting for everybody else begins when the last of them has changed.',
  },
  function* ({ facts }) {
    const sets = new Map<string, { readonly ns: readonly string[]; readonly by: string[] }>();
    for (const parent of facts.parents) {
      if (parent.ns.length === 0) continue;
      const known = sets.get(parent.ns.join());
      if (known) known.by.push(placeOf(parent));
      else sets.set(parent.ns.join(), { ns: parent.ns, by: [placeOf(parent)] });
    }
    if (sets.size < 2) return;
    const says = [...sets.values()].map(
      ({ ns, by }) => `${listed(by)} ${by.length === 1 ? 'names' : 'name'} ${listed(ns)}`,
    );
    yield {
      message: `the parent's servers do not agree on ${facts.zone}: ${says.join('; ')}`,
      fix: 'ask the registrar whether the change is still under way; visitors meet either until all of them name the same',
    };
  },
);
