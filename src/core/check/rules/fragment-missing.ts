import { linkRule } from '../rule.js';

export const fragmentMissing = linkRule(
  {
    name: 'fragment-missing',
    level: 'warning',
    explain: 'A link leads to a part of a page that the page does not have, so visitors land at its top.',
    example: '<a href="/visit/#paking">',
    fix: 'Correct the fragment, or give the part that id.',
  },
  ({ problem: trouble }) => trouble === 'fragment',
  ({ raw, key, detail }) => ({
    message: `"${raw}": ${key ?? ''} has no part with the id ${detail ?? ''}`,
    fix: `correct the fragment, or add id="${detail ?? ''}" in ${key ?? ''}`,
  }),
);
