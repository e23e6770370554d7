import { essence } from '../../assign/media-type.js';
import { loadRule, typeFix } from '../rule.js';

export const styleTypeRefused = loadRule(
  {
    name: 'style-type-refused',
    level: 'error',
    explain:
      'A stylesheet comes under a type other than text/css, so browsers ignore it on any page with a doctype.',
    example: 'mill.css sent as text/plain',
    fix: 'Give it text/css.',
  },
  ({ use, object, quirksMode }, context) => {
    const type = essence(object.headers['Content-Type'] ?? '');
    if (use !== 'style' || type === 'text/css' || quirksMode) return undefined;
    return {
      message: `loads ${object.key} as a stylesheet, but it is sent as ${type || 'no type'}, so browsers ignore it`,
      fix: typeFix(context, object.key, 'text/css; charset=utf-8'),
    };
  },
);
