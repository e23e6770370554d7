import { linkRule } from '../rule.js';

export const sourceMapMissing = linkRule(
  {
    name: 'source-map-missing',
    level: 'note',
    explain:
      'A style or script names a source map that is not published. Visitors notice nothing; developer tools complain.',
    example: '/*# sourceMappingURL=mill.css.map */',
    fix: 'Publish the map, or leave the comment out.',
  },
  ({ problem: trouble, use }) => (trouble === 'missing' || trouble === 'case') && use === 'source map',
  ({ raw }) => ({
    message: `names the source map "${raw}", which is not published`,
    fix: 'leave the comment out when building, or publish the map',
  }),
);
