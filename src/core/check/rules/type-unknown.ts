import { unwantedKind } from '../../site/names.js';
import { extension } from '../../site/key.js';
import { programByName } from '../../site/server-program.js';
import { assignLine, objectRule } from '../rule.js';

export const typeUnknown = objectRule(
  {
    name: 'type-unknown',
    level: 'warning',
    explain:
      'No content type could be found: the name has no extension, or one that the public media-type database does not know.',
    example: 'maps/creek.wmap',
    fix: 'Give the type in a rule by pattern.',
  },
  ({ key, headers, facts, decision }, { allowed }) => {
    if (headers['Content-Type'] !== undefined || decision.decidedBy.contentType || unwantedKind(key))
      return undefined;
    const ending = extension(key);
    const isProgram = facts.program !== undefined || programByName(key) !== undefined;
    if (isProgram && !allowed(key)) return undefined;
    const type = facts.sniffed || (isProgram ? 'application/octet-stream' : 'text/plain');
    return ending === ''
      ? {
          message: 'the name has no extension, so no content type is known',
          fix: assignLine(`/${key}`, `contentType: ${type}`),
        }
      : {
          message: `the media-type database does not know ".${ending}"`,
          fix: assignLine(`*.${ending}`, `contentType: ${type}`),
        };
  },
);
