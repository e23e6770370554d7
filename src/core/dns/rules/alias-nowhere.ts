import { nameRule } from '../naming-context.js';
import { targetOf } from '../record.js';

export const aliasNowhere = nameRule(
  {
    name: 'alias-nowhere',
    level: 'error',
    explain: 'An alias (CNAME) leads to a name that has no address.',
    example: 'a CNAME to a bucket host that is written wrong',
    fix: 'Correct the name that it leads to.',
  },
  function* ({ facts, need }) {
    const { trouble, chain } = facts.reached;
    const last = chain.at(-1);
    if (trouble !== 'dangling' || !last) return;
    yield {
      message: `${[facts.name, ...chain.map(targetOf)].join(' → ')} has no address`,
      fix: `let ${last.name} lead to ${need.bucketHost}, written just so and with a dot at its end in a zone file`,
    };
  },
);
