import { nameRule, placeOf } from '../naming-context.js';

export const transportsDiffer = nameRule(
  {
    name: 'transports-differ',
    level: 'warning',
    explain:
      'A server says over TCP something else than over UDP, or nothing. Every server has to take both (RFC 7766): answers that do not fit into a datagram come over TCP alone, and some resolvers ask in no other way.',
    example: 'a firewall that lets port 53 through for UDP alone',
    fix: 'Open port 53 for TCP on the way to the server, and have the same program answer there.',
  },
  function* ({ facts }) {
    for (const server of facts.servers) {
      if (server.overTcp === undefined) continue;
      yield {
        message:
          server.overTcp === 'silent'
            ? `${placeOf(server)} answers for ${facts.zone} over UDP and not over TCP: longer answers never come, and resolvers that ask over TCP go elsewhere`
            : `${placeOf(server)} says over TCP something else of ${facts.zone} than over UDP: visitors meet either`,
        fix:
          server.overTcp === 'silent'
            ? 'open port 53 for TCP on the way to it'
            : 'have one program answer on both, with the same version of the zone',
      };
    }
  },
);
