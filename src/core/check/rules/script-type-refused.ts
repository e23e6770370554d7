import { essence } from '../../assign/media-type.js';
import { isScript } from '../../assign/defaults.js';
import { loadRule, typeFix } from '../rule.js';

export const scriptTypeRefused = loadRule(
  {
    name: 'script-type-refused',
    level: 'error',
    explain:
      'A script comes under a type that browsers refuse to run: a module under anything but JavaScript, any script under an image, sound, film or CSV type.',
    example: 'a module named tides.txt, sent as text/plain',
    fix: 'Give it a JavaScript type.',
  },
  ({ use, object }, context) => {
    const type = essence(object.headers['Content-Type'] ?? '');
    if ((use !== 'module' && use !== 'script') || isScript(type)) return undefined;
    if (use === 'script' && !/^(?:image|audio|video)\/|^text\/csv$/.test(type)) return undefined;
    return {
      message: `loads ${object.key} as a ${use}, but it is sent as ${type || 'no type'}, which browsers refuse to run`,
      fix: typeFix(context, object.key, 'text/javascript; charset=utf-8'),
    };
  },
);
