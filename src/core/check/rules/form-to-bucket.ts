import { linkRule } from '../rule.js';

export const formToBucket = linkRule(
  {
    name: 'form-to-bucket',
    level: 'error',
    explain:
      'A form posts to an address of this site. A bucket only answers reading: it says 405, and what was filled in is lost.',
    example: '<form method="post" action="/booking/">',
    fix: 'Post to a server that takes forms, or use a mailto: link.',
  },
  ({ problem: trouble }) => trouble === 'post',
  ({ raw, path }) => ({
    message: `a form posts to "${raw}", and a bucket answers 405 to that`,
    fix: `give the form the address of a server that takes it, instead of ${path}`,
  }),
);
