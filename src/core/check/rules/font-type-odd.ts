import { essence } from '../../assign/media-type.js';
import { loadRule, typeFix, typeMeant } from '../rule.js';

export const fontTypeOdd = loadRule(
  {
    name: 'font-type-odd',
    level: 'warning',
    explain:
      'A font comes under a type that is no font type. Browsers look at its bytes, but hosts and filters between go by the type.',
    example: 'digits.woff2 sent as application/octet-stream',
    fix: 'Give it its font type.',
  },
  ({ use, object }, context) => {
    const type = essence(object.headers['Content-Type'] ?? '');
    if (
      use !== 'font' ||
      /^font\/|^application\/(?:x-)?font|^application\/vnd\.ms-fontobject$|^image\/svg/.test(type)
    )
      return undefined;
    return {
      message: `uses ${object.key} as a font, but it is sent as ${type || 'no type'}`,
      fix: typeFix(context, object.key, typeMeant(context, object.key, /^font\//) ?? 'font/woff2'),
    };
  },
);
