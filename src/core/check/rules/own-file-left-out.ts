import { siteRule } from '../rule.js';

export const ownFileLeftOut = siteRule(
  {
    name: 'own-file-left-out',
    level: 'note',
    explain:
      'The config, what it names, or something that Fenestra wrote lies in the site folder. It is never published, whatever the patterns say.',
    example: 'fenestra.yaml, with site: .',
    fix: 'Nothing has to be done. A folder for the site alone (site: site) keeps the two apart.',
  },
  function* ({ own = [] }) {
    for (const { path, because } of own)
      yield {
        key: path,
        message: `left out: it is ${because}`,
        fix: 'nothing has to be done; a folder for the site alone would keep the two apart',
      };
  },
);
