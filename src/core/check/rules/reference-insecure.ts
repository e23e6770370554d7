import { linkRule } from '../rule.js';

export const referenceInsecure = linkRule(
  {
    name: 'reference-insecure',
    level: 'warning',
    explain:
      'A page loads something over plain HTTP. A page that comes over HTTPS must not, so browsers block it or try HTTPS instead.',
    example: '<script src="http://maps.example/map.js">',
    fix: 'Load it over https, or from the site itself.',
  },
  ({ problem: trouble }) => trouble === 'insecure',
  ({ raw }) => ({
    message: `"${raw}" is loaded over plain HTTP`,
    fix: `write ${raw.replace(/^http:/i, 'https:')}, or keep a copy on the site`,
  }),
);
