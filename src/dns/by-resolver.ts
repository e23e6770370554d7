/** Asking a resolver, where the delegation cannot be followed. */
import type { NameFacts } from '../core/dns/facts.js';
import type { NameRecord } from '../core/dns/record.js';
import type { ServerPlace } from '../core/dns/server-place.js';
import type { Questions } from './questions.js';

/** What a resolver says of a name: neither which servers there are nor whether they agree. */
export async function lookByResolver(
  questions: Questions,
  place: ServerPlace,
  name: string,
  fallback: string | undefined,
): Promise<NameFacts> {
  const answers = await Promise.all(
    (['A', 'AAAA'] as const).map((type) => questions.ask(place, { name, type, recursive: true })),
  );
  const messages = answers.flatMap((asked) => ('message' in asked ? asked.message : []));
  const chain: NameRecord[] = [];
  for (const { answers: records } of messages)
    for (const record of records)
      if (!chain.some(({ name: owner, data }) => owner === record.name && data === record.data))
        chain.push(record);
  const addresses = chain.flatMap(({ type, data }) => (type === 'A' || type === 'AAAA' ? data : []));
  const isSilent = messages.every(({ rcode }) => rcode !== 'NOERROR' && rcode !== 'NXDOMAIN');
  return {
    name,
    via: 'resolver',
    ...(fallback === undefined ? {} : { fallback }),
    zone: '',
    parentZone: '',
    parents: [],
    servers: [],
    reached: {
      chain,
      addresses,
      ...(addresses.length > 0
        ? {}
        : {
            trouble: isSilent
              ? ('no-answer' as const)
              : chain.length > 0
                ? ('dangling' as const)
                : ('missing' as const),
          }),
    },
    serverAddresses: {},
  };
}
