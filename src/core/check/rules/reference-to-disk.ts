import { linkRule } from '../rule.js';

export const referenceToDisk = linkRule(
  {
    name: 'reference-to-disk',
    level: 'error',
    explain: 'A reference names a file on the disk of whoever made the page.',
    example: '<img src="file:///home/mill/owl.png">',
    fix: 'Put the file into the site and refer to it there.',
  },
  ({ problem: trouble }) => trouble === 'disk',
  ({ raw, use }) => ({
    message: `"${raw}" names a file on a disk, which no visitor has`,
    fix:
      use === 'identity'
        ? 'write the public address of the page, or leave the element out'
        : `put the file into the site and write its address there, such as /${raw.replace(/^.*[\\/]/, '')}`,
  }),
);
