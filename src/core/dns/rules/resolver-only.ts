import { isUnheard, nameRule } from '../naming-context.js';

export const resolverOnly = nameRule(
  {
    name: 'resolver-only',
    level: 'note',
    explain:
      'Only a resolver was asked. It tells what its own visitors get now, and neither whether all servers agree nor for how long others hold what was before.',
    example: 'a network in which port 53 is closed',
    fix: 'Run it where port 53 is open, or give --root.',
  },
  function* ({ facts }) {
    if (facts.via !== 'resolver' || isUnheard(facts)) return;
    yield {
      message: `${facts.fallback ?? 'a resolver was asked'}: it is not known whether all name servers of ${facts.name} agree, nor what others still hold`,
      fix: 'run it in a network where port 53 is open',
      about: 'resolver',
    };
  },
);
