import { linkRule } from '../rule.js';

export const referenceMalformed = linkRule(
  {
    name: 'reference-malformed',
    level: 'error',
    explain: 'A reference is no address: no browser can ask for it.',
    example: '<a href="http://[mill/"> or <a href="/100%/">',
    fix: 'Write a valid address; a bare percent sign is %25.',
  },
  ({ problem: trouble }) => trouble === 'malformed',
  ({ raw }) => ({
    message: `"${raw}" is no address that can be asked for`,
    fix: 'write a valid address; a bare percent sign is %25',
  }),
);
