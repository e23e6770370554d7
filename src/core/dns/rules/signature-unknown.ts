import { nameRule } from '../naming-context.js';

export const signatureUnknown = nameRule(
  {
    name: 'signature-unknown',
    level: 'warning',
    explain:
      'The parent vouches for keys of the zone by algorithms or digests that are retired or were never taken up: resolvers treat the zone as one that is not signed, and some refuse it.',
    example: 'a DS record with algorithm 3 (DSA)',
    fix: 'Have the zone signed with a key of algorithm 13 (ECDSA P-256), and its DS record (digest 2, SHA-256) entered.',
  },
  function* ({ facts, awaited }) {
    const met = [...facts.servers, ...awaited].some(({ signing }) =>
      signing?.faults.some(({ what }) => what === 'unknown-algorithm'),
    );
    if (!met) return;
    const signers = [...new Set(facts.parents.flatMap(({ signers: own = [] }) => own))];
    yield {
      message: `the parent vouches for keys of ${facts.zone} by algorithms that no resolver verifies (DS ${signers.join(', ')}): the zone counts as not signed, and some refuse it`,
      fix: 'have the zone signed with a key of algorithm 13 and the DS record of that key entered, or the old one removed',
      about: facts.zone,
    };
  },
);
