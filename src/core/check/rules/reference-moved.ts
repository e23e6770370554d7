import { linkRule } from '../rule.js';

export const referenceMoved = linkRule(
  {
    name: 'reference-moved',
    level: 'note',
    explain: 'A reference leads to an address that has moved, which costs every visitor one more request.',
    example: '<a href="/opening-times"> with moved: { permanently: { /opening-times: /visit/ } }',
    fix: 'Write the new address.',
  },
  ({ problem: trouble }) => trouble === 'moved',
  ({ raw, detail }) => ({
    message: `"${raw}" has moved to ${detail ?? ''}`,
    fix: `write ${detail ?? ''}`,
  }),
);
