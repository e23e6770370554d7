import { nameRule } from '../naming-context.js';

export const signatureLeft = nameRule(
  {
    name: 'signature-left',
    level: 'error',
    explain:
      'The parent vouches for keys of the zone (a DS record), and its servers have none: resolvers that verify refuse every answer.',
    example: 'a DS record of the old provider, left at the registrar',
    fix: 'Have the registrar remove the DS record, and wait for its TTL, before the zone moves.',
  },
  function* ({ facts, awaited }) {
    if (!facts.parents.some(({ ds }) => ds)) return;
    for (const { server, address, outcome, keys } of [...facts.servers, ...awaited]) {
      if (outcome !== 'answers' || keys) continue;
      yield {
        message: `the parent has a DS record for ${facts.zone}, and ${server} (${address}) has no key for it: visitors whose resolvers verify get SERVFAIL`,
        fix: 'have the registrar remove the DS record, or the provider sign the zone with a key that it vouches for',
        about: facts.zone,
      };
      return;
    }
  },
);
