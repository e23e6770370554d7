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
    for (const server of facts.servers) {
      const { outcome } = server;
      if (outcome !== 'silent' && outcome !== 'unreachable' && outcome !== 'nowhere') continue;
      yield {
        message: `${placeOf(server)} is named for ${facts.zone} and ${WORDS[outcome]}`,
        fix: 'have its provider start it, or take it out of the NS records; with one server left the zone hangs on it alone',
        about: placeOf(server),
      };
    }
  },
);
