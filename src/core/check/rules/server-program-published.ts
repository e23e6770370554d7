import { programByName } from '../../site/server-program.js';
import { objectRule } from '../rule.js';

export const serverProgramPublished = objectRule(
  {
    name: 'server-program-published',
    level: 'error',
    concernsReaders: true,
    explain:
      'The source of a program that a server would run, or a page that holds a part of one. A bucket runs nothing: whoever asks gets the source, with whatever passwords stand in it.',
    example: 'contact.php',
    fix: 'Take it out of the site folder, and do when building what it did on the server; if its source is meant to be read, list it under `allow`.',
  },
  ({ key, facts: { program }, public: isPublic }, { allowed }) => {
    const byName = programByName(key);
    const language = byName ?? program;
    if (language === undefined || allowed(key)) return undefined;
    const what =
      byName === undefined
        ? `holds code of a server program (${language})`
        : `is a server program (${language})`;
    return {
      message: `${what}; a bucket runs none, ${isPublic ? 'and anyone may read its source' : 'and it is published all the same, though the public may not read it'}`,
      fix: `take it out of the site folder, or allow: [${JSON.stringify(key)}] where its source is meant to be read`,
    };
  },
);
