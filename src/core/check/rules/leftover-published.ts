import { unwantedKind } from '../../site/names.js';
import { objectRule } from '../rule.js';

const WORDS = {
  backup: "an editor's backup or a working copy",
  archive: 'an archive of the site itself',
} as const;

export const leftoverPublished = objectRule(
  {
    name: 'leftover-published',
    level: 'warning',
    explain:
      'A backup copy or an archive of the site lies in the site folder and would be published with it.',
    example: 'index.html.bak',
    fix: 'Delete it; if it is meant, list it under `allow`.',
  },
  ({ key }, { allowed }) => {
    const kind = unwantedKind(key);
    if ((kind !== 'backup' && kind !== 'archive') || allowed(key)) return undefined;
    return { message: `looks like ${WORDS[kind]}`, fix: `delete it, or allow: [${JSON.stringify(key)}]` };
  },
);
