import fc from 'fast-check';
import { expect, test } from 'vitest';
import { parseCache } from '../caching/policy.js';
import { addRules, createRelabel } from './add-rules.js';
import { createCascade, type AssignRule } from './cascade.js';

const cacheOf = (text: string) => {
  const parsed = parseCache(text);
  if ('faults' in parsed) throw new Error(text);
  return parsed.policy;
};
const rule = fc.record(
  {
    to: fc.subarray(['**', '*.css', 'a/**', '*.{png,svg}', 'a/x.css'], { minLength: 1 }),
    ifUnset: fc.constantFrom(true as const),
    cache: fc.constantFrom('1 day', 'never', 'forever', 'revalidate', '2 hours').map(cacheOf),
    language: fc.constantFrom('en', 'de'),
    disposition: fc.constant('attachment'),
    contentType: fc.constantFrom('text/plain', 'image/x-icon'),
  },
  { requiredKeys: ['to'] },
);
const KEYS = ['a/x.css', 'b.css', 'index.html', 'a/p.png', 'q.svg', 'LICENSE', 'a/b/c.js'];

test('what is published, with a line more, is what would be published with that line in the config', () => {
  fc.assert(
    fc.property(
      fc.array(rule, { maxLength: 4 }),
      fc.array(rule, { minLength: 1, maxLength: 3 }),
      (own, more) => {
        const numbered = (list: readonly object[], from: number): AssignRule[] =>
          list.map((each, at) => ({ number: from + at, line: from + at, ...each }));
        const assignments = { file: 'fenestra.yaml', rules: numbered(own, 1) };
        const added = numbered(more, own.length + 1);
        const relabel = createRelabel(assignments, added, 'site/');
        const [was, becomes] = [createCascade(assignments), createCascade(addRules(assignments, added))];
        for (const key of KEYS) {
          const object = {
            key: `site/${key}`,
            digest: 'd',
            size: 1,
            modified: 0,
            since: 0,
            headers: was.decide(key).headers,
          };
          expect(relabel(object as never).headers).toEqual(becomes.decide(key).headers);
          expect(relabel({ ...object, key } as never)).toEqual({ ...object, key });
        }
      },
    ),
    { numRuns: 300 },
  );
});
