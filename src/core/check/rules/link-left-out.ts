import { siteRule } from '../rule.js';

export const linkLeftOut = siteRule(
  {
    name: 'link-left-out',
    level: 'warning',
    explain: 'A symbolic link, or something that is neither a file nor a folder, was left out of the site.',
    example: 'a link to a folder beside the site',
    fix: 'Copy the file into the site, or set `links: follow` when the target may be published.',
  },
  function* ({ links }) {
    for (const { path, because } of links) {
      yield {
        key: path,
        message: `left out: ${because}`,
        fix: because.includes('leaves the site')
          ? 'copy the file into the site, or set links: follow'
          : 'replace it with a file, or delete it',
      };
    }
  },
);
