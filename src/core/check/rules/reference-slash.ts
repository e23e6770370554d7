import { linkRule } from '../rule.js';
import { writtenIn } from '../site-address.js';

export const referenceSlash = linkRule(
  {
    name: 'reference-slash',
    level: 'warning',
    explain:
      'A reference to a folder leaves its closing slash out. Most hosts send a redirect, which costs every visitor a request; some answer 404.',
    example: '<a href="/visit">',
    fix: 'Write the closing slash.',
  },
  ({ problem: trouble }) => trouble === 'folder',
  ({ raw, from, path }, context) => ({
    message: `"${raw}" leaves the folder’s closing slash out`,
    fix: `write ${writtenIn(from, `${path}/`, context)}`,
  }),
);
