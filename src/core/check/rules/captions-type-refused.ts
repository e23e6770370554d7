import { essence } from '../../assign/media-type.js';
import { loadRule, typeFix } from '../rule.js';

export const captionsTypeRefused = loadRule(
  {
    name: 'captions-type-refused',
    level: 'error',
    explain: 'Captions are WebVTT and come as text/vtt; browsers show no others.',
    example: '<track src="/film/wheel.en.srt">',
    fix: 'Refer to a WebVTT file, sent as text/vtt.',
  },
  ({ use, object }, context) => {
    const type = essence(object.headers['Content-Type'] ?? '');
    if (use !== 'captions' || type === 'text/vtt') return undefined;
    return {
      message: `loads ${object.key} as captions, but it is sent as ${type || 'no type'}, and browsers take WebVTT alone`,
      fix: object.key.endsWith('.vtt')
        ? typeFix(context, object.key, 'text/vtt; charset=utf-8')
        : `refer to a WebVTT file, such as /${object.key.replace(/\.[^./]*$/, '')}.vtt`,
    };
  },
);
