import { followMoved } from '../moved-paths.js';
import { releaseRule } from '../rule.js';

export const movedLoop = releaseRule(
  {
    name: 'moved-loop',
    level: 'error',
    explain: 'A moved address leads back to itself, so browsers give up.',
    example: 'moved: { permanently: { /a: /b, /b: /a } }',
    fix: 'Let one of them lead to a page.',
  },
  function* ({ view }) {
    const told = new Set<string>();
    for (const { from, steps, loops } of followMoved(view)) {
      if (!loops || told.has(from)) continue;
      for (const step of steps) told.add(step);
      yield {
        message: `the moved address ${from} leads back to itself: ${[...steps, steps[0]].join(' → ')}`,
        fix: `let each of ${steps.join(', ')} under moved lead to a page, or take them out`,
      };
    }
  },
);
