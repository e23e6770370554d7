/** In what an answer differs from what it must be, and what usually causes it. */

/** What of an answer is compared, and what it means where it differs. */
export const ASPECT_MEANS = {
  answer: 'Nothing answered that could be compared.',
  status: 'The status is not the one that this request must get.',
  location: 'The redirect leads to another address than it must.',
  type: 'The Content-Type is not the one that was published.',
  caching: 'Cache-Control, Expires or Pragma are not the ones that were published.',
  encoding: 'The Content-Encoding is not the one that was published, or no browser could undo it.',
  length: 'The length that is announced is not the one of the bytes.',
  bytes: 'The bytes are not the ones that were published.',
  validators: 'ETag and Last-Modified are missing, or do not confirm what they must (RFC 9110 section 13).',
  sharing:
    'Which pages of other sites may read it is not what the config says (the Fetch standard, CORS protocol).',
  range: 'A part that was asked for did not come as it must (RFC 9110 section 14).',
} as const;
export type Aspect = keyof typeof ASPECT_MEANS;
export const ASPECTS = Object.keys(ASPECT_MEANS) as readonly Aspect[];
/** An aspect as reports name its rule. */
export const aspectRule = (aspect: Aspect): string => `answer-${aspect}`;

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
  'by-others',
  'not-shared',
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
