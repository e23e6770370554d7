import { followMoved } from '../moved-paths.js';
import { releaseRule } from '../rule.js';

export const movedChain = releaseRule(
  {
    name: 'moved-chain',
    level: 'warning',
    explain: 'A moved address leads to another one, which costs every visitor one more request.',
    example: 'moved: { permanently: { /hours: /opening-times, /opening-times: /visit/ } }',
    fix: 'Let it lead to the last address at once.',
  },
  function* ({ view }) {
    for (const { from, steps, loops, end } of followMoved(view)) {
      // A folder without its slash is a step as well, though no rule of the config makes it.
      const last = end?.reason === 'folder' ? `${steps.at(-1) ?? ''}/` : steps.at(-1);
      const length = steps.length + (end?.reason === 'folder' ? 1 : 0);
      if (loops || length < 3 || last === undefined) continue;
      yield {
        message: `the moved address ${from} takes ${length - 1} steps: ${[...steps, ...(end?.reason === 'folder' ? [last] : [])].join(' → ')}`,
        fix: `let ${from} under moved lead to ${last} at once`,
      };
    }
  },
);
