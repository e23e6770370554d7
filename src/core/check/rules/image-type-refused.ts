import { essence } from '../../assign/media-type.js';
import { loadRule, typeFix, typeMeant } from '../rule.js';

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
    const meant = typeMeant(context, object.key, /^image\//);
    return {
      message: `shows ${object.key} as a picture, but it is sent as ${type || 'no type'}`,
      fix: meant === undefined ? 'refer to a picture' : typeFix(context, object.key, meant),
    };
  },
);
