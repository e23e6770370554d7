/** What the settings of a bucket come to, worked out once for each. */
import { createReadPolicy, type ReadPolicy } from '../access/read-policy.js';
import type { BucketSettings } from './bucket-view.js';
import { DEFAULT_QUIRKS, type Quirks } from './quirks.js';

const quirksMemo = new WeakMap<BucketSettings, Quirks>();
export function quirksOf(settings: BucketSettings): Quirks {
  let quirks = quirksMemo.get(settings);
  if (!quirks) quirksMemo.set(settings, (quirks = { ...DEFAULT_QUIRKS, ...settings.quirks }));
  return quirks;
}

const policyCache = new WeakMap<BucketSettings, ReadPolicy>();
export function policyOf(settings: BucketSettings): ReadPolicy {
  let policy = policyCache.get(settings);
  if (!policy) policyCache.set(settings, (policy = remembering(createReadPolicy(settings))));
  return policy;
}

const MAX_KEYS = 1000;

/** The same keys are asked for again and again. */
function remembering({ isReadable, explain }: ReadPolicy): ReadPolicy {
  const known = new Map<string, boolean>();
  return {
    explain,
    isReadable(key) {
      let readable = known.get(key);
      if (readable === undefined) {
        if (known.size >= MAX_KEYS) known.clear();
        known.set(key, (readable = isReadable(key)));
      }
      return readable;
    },
  };
}
