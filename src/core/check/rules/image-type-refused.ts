import { essence, typeByName } from '../../assign/media-type.js';
import { loadRule, typeFix } from '../rule.js';

export const imageTypeRefused = loadRule(
  {
    name: 'image-type-refused',
    level: 'error',
    explain:
      'A picture comes under a type that is no picture. SVG is shown under its own type alone; the others only as long as nobody turns sniffing off.',
    example: 'creek.svg sent as text/plain',
    fix: 'Give it its picture type.',
  },
  ({ use, object }, context) => {
    const type = essence(object.headers['Content-Type'] ?? '');
    if (use !== 'image' || type.startsWith('image/')) return undefined;
    const usual = typeByName(object.key);
    return {
      message: `shows ${object.key} as a picture, but it is sent as ${type || 'no type'}`,
      fix: usual?.startsWith('image/') ? typeFix(context, object.key, usual) : 'refer to a picture',
    };
  },
);
