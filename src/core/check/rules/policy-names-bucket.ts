import { listNamesOfBuckets } from '../read-policy-faults.js';
import { siteRule } from '../rule.js';

export const policyNamesBucket = siteRule(
  {
    name: 'policy-names-bucket',
    level: 'error',
    concernsReaders: true,
    explain:
      'A pattern under `readable` begins with the name of a bucket. Keys do not contain it, so the pattern matches nothing.',
    example: 'readable: { keys: ["wendle-mill/**"] }',
    fix: 'Leave the name out.',
  },
  function* (context) {
    for (const { list, pattern, bucket, becomes } of listNamesOfBuckets(context))
      yield {
        message: `"${pattern}" under readable.${list} begins with the name of the bucket ${bucket}, which is no part of a key`,
        fix: `readable: { ${list}: ["${becomes}"] }`,
      };
  },
);
