import { isUndelegated, listed, nameRule } from '../naming-context.js';

export const delegationElsewhere = nameRule(
  {
    name: 'delegation-elsewhere',
    level: 'error',
    explain: 'The parent names other servers for the zone than the config says (`nameServers`).',
    example: 'the registrar still has the old provider',
    fix: 'Have the registrar change the NS records.',
  },
  function* (context) {
    const { facts, nameServers, awaited, need, target } = context;
    // Where the parent names nobody the servers are those of the parent itself.
    if (nameServers.length === 0 || isUndelegated(context)) return;
    for (const ns of new Set(
      facts.parents.filter((parent) => parent.ns.length > 0).map((parent) => parent.ns.join()),
    )) {
      if (ns === [...nameServers].sort().join()) continue;
      const ready =
        awaited.length > 0 && awaited.every(({ outcome, own }) => outcome === 'answers' && own.length > 0);
      yield {
        message: `the parent has ${listed(ns.split(','))} for ${facts.zone}, not ${listed(nameServers)}`,
        fix: `have the registrar enter ${nameServers.join(', ')}${awaited.length === 0 ? '' : ready ? '; they are ready, and answer with what the zone needs' : `; not before they answer for it${target.addresses.length > 0 ? ` and lead ${need.name} to ${need.bucketHost}` : ''}`}`,
      };
    }
  },
);
