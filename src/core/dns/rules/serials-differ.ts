import { listed, nameRule, placeOf } from '../naming-context.js';

export const serialsDiffer = nameRule(
  {
    name: 'serials-differ',
    level: 'warning',
    explain:
      'Servers of the zone hold different versions of it, so what a visitor gets depends on whom a resolver asks.',
    example: 'ns1 has serial 2026112502, ns2 still 2026112501',
    fix: 'Wait a minute; if it stays, have the provider mend the transfer between them.',
  },
  function* ({ facts }) {
    const serials = new Map<number, string[]>();
    for (const server of facts.servers)
      if (server.serial !== undefined)
        serials.set(server.serial, [...(serials.get(server.serial) ?? []), placeOf(server)]);
    // Two providers number their zones each for itself.
    const sets = new Set(facts.parents.filter(({ ns }) => ns.length > 0).map(({ ns }) => ns.join()));
    if (serials.size < 2 || sets.size > 1) return;
    const says = [...serials].sort(([a], [b]) => b - a).map(([serial, by]) => `${listed(by)} ${serial}`);
    yield {
      message: `the servers of ${facts.zone} hold different versions: ${says.join('; ')}`,
      fix: 'wait a minute and check again; if it stays, have the provider mend the transfer to the server that is behind',
    };
  },
);
