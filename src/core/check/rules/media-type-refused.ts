import { essence } from '../../assign/media-type.js';
import { loadRule, typeFix, typeMeant } from '../rule.js';

export const mediaTypeRefused = loadRule(
  {
    name: 'media-type-refused',
    level: 'error',
    explain: 'A film or sound comes under a type that is neither, so browsers do not play it.',
    example: 'wheel.mp4 sent as text/plain',
    fix: 'Give it its media type.',
  },
  ({ use, object }, context) => {
    const type = essence(object.headers['Content-Type'] ?? '');
    if (
      use !== 'media' ||
      /^(?:audio|video)\//.test(type) ||
      /^application\/(?:ogg|dash\+xml|(?:vnd\.apple|x-)\.?mpegurl)$/.test(type)
    )
      return undefined;
    return {
      message: `plays ${object.key}, but it is sent as ${type || 'no type'}`,
      fix: typeFix(context, object.key, typeMeant(context, object.key, /^(?:audio|video)\//) ?? 'video/mp4'),
    };
  },
);
