import { formatSecond } from '../../words/moments.js';
import type { SigningFault } from '../facts.js';
import { listed, nameRule, placeOf } from '../naming-context.js';

type Told = SigningFault & { readonly what: Exclude<SigningFault['what'], 'unknown-algorithm'> };
const isTold = (fault: SigningFault): fault is Told => fault.what !== 'unknown-algorithm';

/** What is wrong, and what helps. */
const SAID: Readonly<
  Record<Told['what'], (fault: SigningFault, has: 'has' | 'have') => readonly [string, string]>
> = {
  'no-key': (_, has) => [
    `${has} keys, and none of them is one that the parent vouches for`,
    'have the registrar enter the DS record of the key that the zone is signed with, or remove the one that is there',
  ],
  unsigned: ({ set }, has) => [
    `${has} no signature for ${set}`,
    'have the provider sign the zone anew, or have the DS record removed first',
  ],
  ended: ({ set, tag, at = 0 }, has) => [
    `${has} a signature for ${set} by key ${String(tag)} that ended on ${formatSecond(at)}`,
    'have the provider sign the zone anew, and see why it was not done by itself',
  ],
  early: ({ set, tag, at = 0 }, has) => [
    `${has} a signature for ${set} by key ${String(tag)} that begins on ${formatSecond(at)} only`,
    'look to the clock of the server that signs, and sign the zone anew',
  ],
  wrong: ({ set, tag }, has) => [
    `${has} a signature for ${set} by key ${String(tag)} that does not fit it`,
    'have the provider sign the zone anew: it was changed, or came over in pieces, after it was signed',
  ],
};

export const signatureRefused = nameRule(
  {
    name: 'signature-refused',
    level: 'error',
    explain:
      'The parent vouches for keys of the zone (a DS record), and what a server says is not signed by them, or its signature has ended or not begun: resolvers that verify refuse the answer (RFC 4035, section 5).',
    example: 'a zone whose signatures ended in the night, since nobody signed it anew',
    fix: 'Have the zone signed anew with a key that the parent vouches for, or have the DS record removed.',
  },
  function* ({ facts, awaited }) {
    const by = new Map<string, { readonly servers: Set<string>; readonly fault: Told }>();
    for (const server of [...facts.servers, ...awaited]) {
      const met = new Set<string>();
      for (const fault of server.signing?.faults ?? []) {
        if (!isTold(fault)) continue;
        // One set of a kind says enough of a server.
        const kind = `${fault.what} ${String(fault.tag)}`;
        if (met.has(kind)) continue;
        met.add(kind);
        const id = JSON.stringify([kind, fault.set, fault.at]);
        const told = by.get(id) ?? { servers: new Set(), fault };
        told.servers.add(placeOf(server));
        by.set(id, told);
      }
    }
    for (const { servers, fault } of by.values()) {
      const [said, fix] = SAID[fault.what](fault, servers.size === 1 ? 'has' : 'have');
      yield {
        message: `${listed([...servers])} ${said}: visitors whose resolvers verify get SERVFAIL`,
        fix,
        about: facts.zone,
      };
    }
  },
);
