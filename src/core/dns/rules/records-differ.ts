import { listed, nameRule, placeOf } from '../naming-context.js';
import { sayings } from '../record.js';

export const recordsDiffer = nameRule(
  {
    name: 'records-differ',
    level: 'error',
    explain: 'Servers of the zone lead the name to different places.',
    example: 'ns1 has the new address of www, ns2 the parked one',
    fix: 'Bring the record to all servers of the zone.',
  },
  function* ({ facts }) {
    const says = new Map<string, string[]>();
    for (const server of facts.servers)
      if (server.outcome === 'answers')
        says.set(sayings(server.own), [...(says.get(sayings(server.own)) ?? []), placeOf(server)]);
    if (says.size < 2) return;
    const words = [...says].map(
      ([saying, by]) =>
        `${listed(by)} ${
          saying === ''
            ? 'no record'
            : saying
                .split('\n')
                .map((each) => each.split(' ').slice(1).join(' '))
                .join(', ')
        }`,
    );
    yield {
      message: `the servers of ${facts.zone} lead ${facts.name} to different places: ${words.join('; ')}`,
      fix: 'put the same record on all of them; until then visitors meet either',
    };
  },
);
