import { linkRule } from '../rule.js';
import { writtenIn } from '../site-address.js';

export const referenceMoved = linkRule(
  {
    name: 'reference-moved',
    level: 'note',
    explain: 'A reference leads to an address that has moved, which costs every visitor one more request.',
    example: '<a href="/opening-times"> with moved: { permanently: { /opening-times: /visit/ } }',
    fix: 'Write the new address.',
  },
  ({ problem: trouble }) => trouble === 'moved',
  ({ raw, from, detail = '' }, context) => ({
    message: `"${raw}" has moved to ${detail}`,
    fix: `write ${detail.startsWith('/') ? writtenIn(from, detail, context) : detail}`,
  }),
);
