import { essence } from '../../assign/media-type.js';
import type { ReleaseContext } from '../release-context.js';
import { loadRule, typeFix } from '../rule.js';

/** Names of one format that browsers take for one another. */
const ALIKE = [
  ['image/x-icon', 'image/vnd.microsoft.icon'],
  ['image/jpeg', 'image/jpg'],
  ['audio/mpeg', 'audio/mp3'],
  ['audio/mp4', 'audio/x-m4a'],
  ['audio/wav', 'audio/x-wav'],
  ['application/json', 'application/manifest+json'],
  ['font/ttf', 'application/x-font-ttf'],
  ['font/woff', 'application/font-woff'],
  ['text/xml', 'application/xml'],
];
const OWN_RULE = new Set(['image', 'media', 'font', 'style', 'module', 'captions']);
const kindOf = (type: string): string => type.slice(0, type.indexOf('/')).replace('video', 'audio');
const alike = (a: string, b: string): boolean =>
  ALIKE.some((names) => names.includes(a) && names.includes(b));

export const declaredTypeDiffers = loadRule(
  {
    name: 'declared-type-differs',
    level: 'warning',
    explain:
      'A page declares one type for what it loads and the object comes under another. Browsers go by the declaration when they choose among sources, and by the object when they use it.',
    example: '<source type="image/webp" srcset="/pictures/mill.avif">',
    fix: 'Declare the type that the object has.',
  },
  ({ use, object, declared }, context) => {
    const type = essence(object.headers['Content-Type'] ?? '');
    if (declared === undefined || use === 'script') return undefined;
    const said = essence(declared);
    // What is no picture, film, font or style at all has a rule of its own.
    if (OWN_RULE.has(use) && kindOf(said) !== kindOf(type)) return undefined;
    if (said === '' || !said.includes('/') || said === type || alike(said, type)) return undefined;
    return {
      message: `declares ${said} for ${object.key}, which is sent as ${type || 'no type'}`,
      fix: fixFor(said, type, object.key, context),
      about: `${object.key} as ${said}`,
    };
  },
);

/** By what its bytes are, where they tell. */
function fixFor(said: string, type: string, key: string, context: ReleaseContext): string {
  const bytes = context.bytesAre(key);
  if (bytes === undefined) return `declare type="${type}", or ${typeFix(context, key, said)}`;
  if (bytes === said || alike(bytes, said)) return typeFix(context, key, said);
  const declare = `declare type="${bytes}"`;
  return bytes === type || alike(bytes, type) ? declare : `${declare}, and ${typeFix(context, key, bytes)}`;
}
