import { followMoved } from '../moved-paths.js';
import { releaseRule } from '../rule.js';

const NOWHERE = {
  missing: 'does not exist',
  'error-document': 'does not exist',
  unreadable: 'the public may not read',
};

export const movedNowhere = releaseRule(
  {
    name: 'moved-nowhere',
    level: 'error',
    explain: 'A moved address leads to an address of this site that has no object, or a private one.',
    example: 'moved: { permanently: { /opening-times: /vist/ } }',
    fix: 'Correct its target, or publish what it names.',
  },
  function* ({ view, index, objects }) {
    for (const { from, steps, end } of followMoved(view)) {
      const why = end && NOWHERE[end.reason as keyof typeof NOWHERE];
      const last = steps.at(-1) ?? '';
      if (why === undefined || steps.length < 2) continue;
      // What a star stands for is not known: it is enough that the folder has something in it.
      if (from.endsWith('*')) {
        const folder = last.slice(1, last.lastIndexOf('/') + 1);
        if (objects.some(({ key }) => key.startsWith(folder))) continue;
      }
      const near = index.near(end?.key ?? '');
      yield {
        message: `the moved address ${from} leads to ${last}, which ${why}`,
        fix: `correct its target under moved${near ? `, for instance to /${near.key}` : ''}, or publish an object there`,
      };
    }
  },
);
