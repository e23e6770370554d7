import { countOf } from '../../words/counts.js';
import { resolveMoved } from '../../hosting/moved.js';
import { keyToPath } from '../../site/key.js';
import { releaseRule } from '../rule.js';

export const movedShadows = releaseRule(
  {
    name: 'moved-shadows',
    level: 'warning',
    explain:
      'A moved address covers objects that are published: moved addresses are looked at first, so nobody can reach them.',
    example: 'moved: { permanently: { "/news/*": /archive/ } } with pages under news/',
    fix: 'Take the moved address out, or do not publish the objects.',
  },
  function* ({ view, objects }) {
    const { moved, documents } = view.settings;
    const hidden = new Map<string, string[]>();
    for (const { key } of objects) {
      const index = key === documents.index || key.endsWith(`/${documents.index}`);
      const paths = [`/${key}`, ...(index ? [`/${key.slice(0, -documents.index.length)}`] : [])];
      for (const path of paths) {
        const found = resolveMoved(moved, path, path, '');
        if (found) hidden.set(found.from, [...(hidden.get(found.from) ?? []), key]);
      }
    }
    for (const [from, keys] of hidden) {
      const [first = ''] = keys;
      yield {
        key: first,
        message: `nobody can reach it: the moved address ${from} covers ${keyToPath(first)}${keys.length > 1 ? ` and ${countOf(keys.length - 1, 'other object')}` : ''}`,
        fix: `take ${from} out of moved, or do not publish what it covers`,
      };
    }
  },
);
