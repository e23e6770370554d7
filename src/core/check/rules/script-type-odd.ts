import { essence } from '../../assign/media-type.js';
import { isScript } from '../../assign/defaults.js';
import { loadRule, typeFix } from '../rule.js';

export const scriptTypeOdd = loadRule(
  {
    name: 'script-type-odd',
    level: 'warning',
    explain:
      'A script comes under a type that is no JavaScript. Browsers run it only as long as nobody adds `X-Content-Type-Options: nosniff`, as many hosts do.',
    example: 'a script named menu.txt, sent as text/plain',
    fix: 'Give it a JavaScript type.',
  },
  ({ use, object }, context) => {
    const type = essence(object.headers['Content-Type'] ?? '');
    if (use !== 'script' || isScript(type) || /^(?:image|audio|video)\/|^text\/csv$/.test(type))
      return undefined;
    return {
      message: `loads ${object.key} as a script, but it is sent as ${type || 'no type'}: refused wherever sniffing is off`,
      fix: typeFix(context, object.key, 'text/javascript; charset=utf-8'),
    };
  },
);
