import { typeByName, isText } from '../../assign/media-type.js';
import { fileName } from '../../site/key.js';
import { objectRule } from '../rule.js';

const PAGE_LIKE = /\.(?:html?|css|js|mjs|json|xml|svg|png|jpe?g|gif|webp|pdf|vtt|webmanifest)$/i;

export const doubleExtension = objectRule(
  {
    name: 'double-extension',
    level: 'warning',
    explain:
      'The name ends in two extensions of which the second hides the first, as when an editor adds .txt to a page.',
    example: 'index.html.txt',
    fix: 'Rename the file without the second extension.',
  },
  ({ key }, { allowed, keys }) => {
    const name = fileName(key);
    const dot = name.lastIndexOf('.');
    const inner = name.slice(0, Math.max(dot, 0));
    if (dot <= 0 || !PAGE_LIKE.test(inner) || allowed(key)) return undefined;
    const type = typeByName(key);
    const same = type !== undefined && type === typeByName(inner);
    if (
      !same &&
      !(type !== undefined && /^text\/(?:plain|html)$/.test(type) && isText(typeByName(inner) ?? ''))
    )
      return undefined;
    const plain = key.slice(0, key.length - name.length) + inner;
    // Beside the plain name it is a second version on purpose, such as a page and its source text.
    if (keys.has(plain)) return undefined;
    return {
      message: `ends in two extensions, so it is sent as ${type ?? 'unknown'} and ${plain} does not exist`,
      fix: `rename it to ${plain}`,
    };
  },
);
