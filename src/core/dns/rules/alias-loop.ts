import { nameRule } from '../naming-context.js';
import { targetOf } from '../record.js';

export const aliasLoop = nameRule(
  {
    name: 'alias-loop',
    level: 'error',
    explain: 'Aliases (CNAME) lead back to each other, so no visitor ever comes to an address.',
    example: 'www → web → www',
    fix: "Let one of them lead to the bucket's host.",
  },
  function* ({ facts, need }) {
    const { trouble, chain } = facts.reached;
    if (trouble !== 'loop' && trouble !== 'too-long') return;
    const way = [facts.name, ...chain.map(targetOf)].join(' → ');
    yield {
      message: trouble === 'loop' ? `${way} is a circle` : `${way} goes on for longer than resolvers follow`,
      fix: `let ${facts.name} lead to ${need.bucketHost} itself`,
    };
  },
);
