import { listed, nameRule } from '../naming-context.js';

export const serversListedDifferently = nameRule(
  {
    name: 'servers-listed-differently',
    level: 'warning',
    explain:
      'The zone itself names other servers than its parent does; some resolvers believe one, some the other.',
    example: 'the zone has a third NS record that the registrar does not know',
    fix: 'Make the NS records of the zone and those at the registrar the same.',
  },
  function* ({ facts }) {
    const atParent = new Set(facts.parents.flatMap(({ ns }) => ns));
    const inZone = new Set(facts.servers.flatMap(({ ns }) => ns));
    if (atParent.size === 0 || inZone.size === 0) return;
    const only = (some: ReadonlySet<string>, others: ReadonlySet<string>): string[] =>
      [...some].filter((server) => !others.has(server)).sort();
    const [parentOnly, zoneOnly] = [only(atParent, inZone), only(inZone, atParent)];
    if (parentOnly.length + zoneOnly.length === 0) return;
    const says = [
      ...(parentOnly.length > 0 ? [`${listed(parentOnly)} only at the parent`] : []),
      ...(zoneOnly.length > 0 ? [`${listed(zoneOnly)} only in the zone`] : []),
    ];
    yield {
      message: `${facts.zone} names its servers differently than its parent: ${says.join('; ')}`,
      fix: 'make the NS records in the zone and at the registrar the same',
    };
  },
);
