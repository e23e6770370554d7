import { unwantedKind } from '../../site/names.js';
import { objectRule } from '../rule.js';

export const sourceMapPublished = objectRule(
  {
    name: 'source-map-published',
    level: 'note',
    explain:
      'A source map is published: it lets anyone read the source that a script or style was made from.',
    example: 'assets/app.js.map',
    fix: 'Leave source maps out of the build, or list them under `allow`.',
  },
  (object, { allowed }) => {
    if (unwantedKind(object.key) !== 'source-map' || allowed(object.key) || !object.public) return undefined;
    return {
      message: 'a source map that anyone may read',
      fix: 'leave it out of the build, or allow: ["*.map"]',
    };
  },
);
