import { isErrorName } from '../../site/document-names.js';
import { idleKind } from '../../site/idle-files.js';
import { objectRule } from '../rule.js';

const WORDS = {
  build: {
    what: 'is what a build is made from: no visitor has a use for it',
    fix: 'publish the folder that the build writes',
  },
  'page by status': {
    what: 'is a page for one status, which no bucket shows: it has one error document for all',
    fix: 'leave it out',
  },
  includes: {
    what: 'is a page that a server puts together; a bucket shows its parts as they are written',
    fix: 'put the pages together when building',
  },
} as const;

export const fileIdle = objectRule(
  {
    name: 'file-idle',
    level: 'note',
    explain:
      'A file that does nothing on a bucket: what a build is made from, a page for one status such as 500.html, or a page with server-side includes.',
    example: '500.html, package.json, hours.shtml',
    fix: 'Leave it out of the site folder; if it is meant, list it under `allow`.',
  },
  ({ key }, { allowed, settings }) => {
    const kind = idleKind(key);
    if (kind === undefined || kind === 'server rules' || allowed(key)) return undefined;
    if (key === settings.documents.error || isErrorName(key)) return undefined;
    const { what, fix } = WORDS[kind];
    return { message: what, fix: `${fix}, or allow: [${JSON.stringify(key)}]` };
  },
);
