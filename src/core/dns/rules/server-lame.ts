import { nameRule, placeOf } from '../naming-context.js';

const WORDS = {
  refuses: 'refuses to answer',
  fails: 'answers SERVFAIL',
  lame: 'answers without being responsible',
  malformed: 'answers with what is no answer',
} as const;

export const serverLame = nameRule(
  {
    name: 'server-lame',
    level: 'error',
    explain:
      'A server that is named for the zone does not answer for it. Visitors rarely notice, since resolvers ask another one; the day that one fails they do.',
    example: 'ns2.newhost.example, where nobody has set the zone up',
    fix: 'Have the provider set the zone up there, or take the server out of the NS records.',
  },
  function* ({ facts, zoneFile }) {
    for (const server of facts.servers) {
      const { outcome } = server;
      if (outcome !== 'refuses' && outcome !== 'fails' && outcome !== 'lame' && outcome !== 'malformed')
        continue;
      const because =
        outcome === 'fails' && (zoneFile?.faults.length ?? 0) > 0
          ? `; ${zoneFile?.path ?? ''} has what servers refuse a zone for`
          : '';
      yield {
        message: `${placeOf(server)} is named for ${facts.zone} and ${WORDS[outcome]}${because}`,
        fix:
          outcome === 'fails'
            ? 'look into the log of the server, or give the zone file with --zone-file: a fault in it takes the whole zone out'
            : `have its provider set ${facts.zone} up, or take it out of the NS records at the registrar`,
        about: placeOf(server),
      };
    }
  },
);
