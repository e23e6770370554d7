import { keyToPath } from '../../site/key.js';
import { isLoad } from '../release-context.js';
import { linkRule } from '../rule.js';
import { writtenIn } from '../site-address.js';

export const referenceCase = linkRule(
  {
    name: 'reference-case',
    level: 'error',
    explain:
      'A reference differs from the object that it means only in the case of its letters, or in how they are composed (é as one character, or as e with an accent). It works on a disk that ignores that, and hardly anywhere else.',
    example: '<img src="/pictures/Wheel.png"> where the file is wheel.png',
    fix: 'Write the name as the file has it.',
  },
  ({ problem: trouble, use, from }, { view }) =>
    trouble === 'case' && !(from === view.settings.documents.error && isLoad(use)),
  ({ raw, from, key }, context) => {
    const same = context.index.sameLetters(key ?? '');
    return {
      message: `"${raw}" leads nowhere: ${same?.because ?? 'the case of letters counts'}`,
      fix: `write ${writtenIn(from, keyToPath(same?.key ?? ''), context)}`,
    };
  },
);
