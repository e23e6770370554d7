/** Faults of the public-read policy that several rules ask about. */
import { createReadPolicy } from '../access/read-policy.js';
import type { SurveyContext } from './rule.js';

const known = new WeakMap<SurveyContext, boolean>();

/** Whether nobody may read anything. */
export function coversNothing(context: SurveyContext): boolean {
  let nothing = known.get(context);
  if (nothing === undefined) {
    const { isReadable } = createReadPolicy(context.settings);
    nothing = context.objects.length > 0 && !context.objects.some(({ key }) => isReadable(key));
    known.set(context, nothing);
  }
  return nothing;
}

/** A pattern that begins with the name of a bucket, which is no part of a key. */
export interface NamesBucket {
  readonly list: 'keys' | 'except';
  readonly pattern: string;
  readonly bucket: string;
  /** The pattern without it. */
  readonly becomes: string;
}

export function listNamesOfBuckets({ settings, objects, buckets }: SurveyContext): NamesBucket[] {
  return (['keys', 'except'] as const).flatMap((list) =>
    (settings.readable?.[list] ?? []).flatMap((pattern) => {
      const first = pattern.replace(/^\//, '').split('/', 1)[0];
      const bucket = buckets.find((name) => name === first);
      // A folder may be called as the bucket is.
      if (bucket === undefined || objects.some(({ key }) => key.startsWith(`${bucket}/`))) return [];
      return [{ list, pattern, bucket, becomes: pattern.replace(/^\/?[^/]+\/?/, '') || '**' }];
    }),
  );
}
