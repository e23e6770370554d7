import { linkRule } from '../rule.js';
import { writtenIn } from '../site-address.js';

export const referenceOutside = linkRule(
  {
    name: 'reference-outside',
    level: 'error',
    explain:
      'The endpoint serves the bucket below a path of its host, and a reference begins with a slash: a browser asks the root of the host, where the site is not.',
    example: '<link href="/styles/mill.css"> at https://store.example/v1/account/bucket/',
    fix: 'Write it relative to the page (../styles/mill.css), or give the site a host name of its own.',
  },
  ({ problem: trouble }) => trouble === 'outside',
  ({ raw, from, path }, context) => ({
    message: `"${raw}" leads out of the site, which does not lie at the root of its host`,
    fix: `write ${writtenIn(from, path, context)}, or give the site a host name of its own`,
  }),
);
