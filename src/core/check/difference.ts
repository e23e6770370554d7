/** In what an answer differs from what it must be, and what usually causes it. */

export const ASPECTS = [
  'answer',
  'status',
  'location',
  'type',
  'caching',
  'encoding',
  'length',
  'bytes',
  'validators',
  'range',
] as const;
export type Aspect = (typeof ASPECTS)[number];

/** What usually causes a difference; what to do about each is told in report/text. */
export const CAUSES = [
  'no-answer',
  'never-ends',
  'not-asked',
  'takes-writing',
  'redirect-differs',
  'own-type',
  'own-caching',
  'own-expires',
  're-encodes',
  'other-bytes',
  'false-length',
  'no-validator',
  'head-differs',
  'validator-ignored',
  'range-ignored',
  'wrong-part',
  'condition-differs',
  'hides-missing-keys',
  'refuses-public',
  'shows-private',
  'tells-of-private',
  'wrong-address-200',
  'no-folder-index',
  'no-folder-redirect',
  'moved-unknown',
  'missing',
  'asks-to-wait',
  'fails-itself',
  'settings-differ',
] as const;
export type FailureCause = (typeof CAUSES)[number];

export interface Difference {
  readonly aspect: Aspect;
  /** The header that differs, where it is one. */
  readonly header?: string;
  readonly expected: string;
  readonly observed: string;
  readonly cause: FailureCause;
}
