import { isWithin } from '../domain-name.js';
import { nameRule, placeOf } from '../naming-context.js';

const WORDS = {
  silent: 'does not answer',
  unreachable: 'cannot be reached',
  nowhere: 'has no address',
} as const;

export const serverSilent = nameRule(
  {
    name: 'server-silent',
    level: 'error',
    explain: 'A server that is named for the zone gives no answer: look-ups that come to it first are slow.',
    example: 'ns2.newhost.example is switched off',
    fix: 'Have the provider start it, or take it out of the NS records.',
  },
  function* ({ facts }) {
    const isAnyThere = facts.servers.some((server) => server.outcome === 'answers');
    for (const server of facts.servers) {
      const { outcome } = server;
      if (outcome !== 'silent' && outcome !== 'unreachable' && outcome !== 'nowhere') continue;
      // Its address can only be had from the zone that it is to answer for.
      const needsGlue = outcome === 'nowhere' && isWithin(server.server, facts.zone);
      yield {
        message: `${placeOf(server)} is named for ${facts.zone} and ${WORDS[outcome]}${needsGlue ? ` that anybody could find: its name lies in that zone, and ${facts.parentZone === '' ? 'the parent' : facts.parentZone} gives none beside it` : ''}`,
        fix: needsGlue
          ? 'have the registrar give the address of this server beside its name (a host record, also called glue), or name servers whose names lie elsewhere'
          : `${outcome === 'nowhere' ? 'give its name an address' : 'have its provider start it'}, ${isAnyThere ? 'or take it out of the NS records; with one server left the zone hangs on it alone' : `or have the registrar name others: nobody answers for ${facts.zone} now`}`,
        about: placeOf(server),
      };
    }
  },
);
