import { nameRule } from '../naming-context.js';

export const lookUpEnded = nameRule(
  {
    name: 'look-up-ended',
    level: 'error',
    explain:
      'The look-up asked as many questions as one may, and ended before it knew all: servers that lead to ever further servers, or very many names.',
    example: 'a zone whose name servers have their names in a hundred other zones',
    fix: 'Look up fewer names at once; if one name alone does it, its zone leads to too many servers.',
  },
  function* ({ facts }) {
    if (facts.endedAfter === undefined) return;
    yield {
      message: `the look-up ended after ${facts.endedAfter} questions, and what it says of ${facts.name} is not whole`,
      fix: `look up ${facts.name} alone: fenestra domain check ${facts.name}`,
      about: 'look-up',
    };
  },
);
