/** What reading a cache value comes to: a policy, or what is wrong with it. */
import { formatCacheControl, type CacheDirective } from './cache-control.js';
import type { ObjectHeaders } from '../site/site-object.js';

export interface CachePolicy {
  /** The headers that the policy is sent as; none for `unset`. */
  readonly headers: ObjectHeaders;
  /** The policy in a few words, as `survey` prints it. */
  readonly words: string;
}

/** A fault in a cache value. `at` is the key inside a mapping where it stands. */
export interface CacheFault {
  readonly fault: string;
  readonly becomes?: string;
  readonly at?: string;
}

export type CacheResult = { readonly policy: CachePolicy } | { readonly faults: readonly CacheFault[] };

export const control = (
  directives: readonly CacheDirective[],
  words: string,
  more: ObjectHeaders = {},
): CacheResult => ({
  policy: { headers: { 'Cache-Control': formatCacheControl(directives), ...more }, words },
});

export const fault = (text: string, becomes?: string, at?: string): CacheResult => ({
  faults: [asFault(text, becomes, at)],
});

export const asFault = (text: string, becomes?: string, at?: string): CacheFault => ({
  fault: text,
  ...(becomes === undefined ? {} : { becomes }),
  ...(at === undefined ? {} : { at }),
});

export const seconds = (name: string, value: number): CacheDirective => ({ name, value: String(value) });
