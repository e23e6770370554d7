import { unwantedKind } from '../../site/names.js';
import { objectRule } from '../rule.js';

export const secretPublished = objectRule(
  {
    name: 'secret-published',
    level: 'error',
    concernsReaders: true,
    explain: 'A file that looks like a key, a password list or a private folder is part of the site.',
    example: 'server.pem',
    fix: 'Take it out of the site folder; if it is meant, list it under `allow`.',
  },
  (object, { allowed }) => {
    if (unwantedKind(object.key) !== 'secret' || allowed(object.key)) return undefined;
    return {
      message: `looks secret${object.public ? ', and anyone may read it' : '; the public may not read it, but it is published all the same'}`,
      fix: `take it out of the site folder, or allow: [${JSON.stringify(object.key)}]`,
    };
  },
);
