import { linkRule } from '../rule.js';
import { writtenIn } from '../site-address.js';

export const referenceToEndpoint = linkRule(
  {
    name: 'reference-to-endpoint',
    level: 'warning',
    explain:
      'A reference spells out the address that the site has here and now. It breaks or leads astray when the same files are published elsewhere.',
    example: '<a href="http://wendle-mill.localhost:4680/visit/">',
    fix: 'Write the path alone.',
  },
  ({ problem: trouble }) => trouble === 'endpoint',
  ({ raw, from, path }, context) => ({
    message: `"${raw}" spells out where the site is published`,
    fix: `write ${path === '' ? raw.replace(/^[a-z]+:\/\/[^/]*/i, '') || '/' : writtenIn(from, path, context)}`,
  }),
);
