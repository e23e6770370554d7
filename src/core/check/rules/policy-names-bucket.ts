import { coversNothing } from './policy-covers-nothing.js';
import { siteRule } from '../rule.js';

export const policyNamesBucket = siteRule(
  {
    name: 'policy-names-bucket',
    level: 'error',
    explain:
      'A pattern under `readable` begins with the name of a bucket. Keys do not contain it, so the pattern matches nothing.',
    example: 'readable: { keys: ["wendle-mill/**"] }',
    fix: 'Leave the name out.',
  },
  function* (context) {
    if (coversNothing(context)) return;
    const { settings, objects, buckets } = context;
    for (const list of ['keys', 'except'] as const) {
      for (const pattern of settings.readable?.[list] ?? []) {
        const named = namedBucket(pattern, buckets);
        if (named === undefined || objects.some(({ key }) => key.startsWith(`${named}/`))) continue;
        const rest = pattern.replace(/^\/?[^/]+\/?/, '') || '**';
        yield {
          message: `"${pattern}" under readable.${list} begins with the name of the bucket ${named}, which is no part of a key`,
          fix: `readable: { ${list}: ["${rest}"] }`,
        };
      }
    }
  },
);

/** The bucket that a pattern begins with the name of. */
export const namedBucket = (pattern: string, buckets: readonly string[]): string | undefined =>
  buckets.find((bucket) => pattern.replace(/^\//, '').split('/', 1)[0] === bucket);
