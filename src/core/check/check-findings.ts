/** Findings that `check` makes beside those of the survey. */
import type { Finding } from '../site/site-object.js';
import type { Rule } from './rule.js';

export type FindingHead = Omit<Rule, 'inspect'>;

const BUCKET_CLOSED: FindingHead = {
  name: 'bucket-closed',
  level: 'error',
  explain: 'The bucket is closed, so every visitor gets 403.',
  example: 'a bucket that was published and never opened',
  cure: 'Open it on purpose with `fenestra access open`, or check with `--expect closed` where that is meant.',
};

const BUCKET_OPEN: FindingHead = {
  name: 'bucket-open',
  level: 'error',
  explain: 'The bucket is open although `--expect closed` says that it must not be.',
  example: 'a rehearsal that was opened and forgotten',
  cure: 'Close it with `fenestra access close`.',
};

const UNPUBLISHED_EDITS: FindingHead = {
  name: 'unpublished-edits',
  level: 'note',
  explain: 'The site folder differs from the release that was checked.',
  example: 'a page edited since the last publish',
  cure: 'Publish, when the edits are meant to be seen.',
};

export const CHECK_FINDINGS: readonly FindingHead[] = [BUCKET_CLOSED, BUCKET_OPEN, UNPUBLISHED_EDITS];

const finding = ({ name, level }: FindingHead, message: string, fix: string): Finding => ({
  rule: name,
  level,
  message,
  fix,
});

export const bucketClosed = (bucket: string): Finding =>
  finding(
    BUCKET_CLOSED,
    `bucket ${bucket} is closed, so every visitor gets 403`,
    `fenestra access open --sure ${bucket}, or --expect closed where that is meant`,
  );

export const bucketOpen = (bucket: string): Finding =>
  finding(
    BUCKET_OPEN,
    `bucket ${bucket} is open, and --expect closed says that it must not be`,
    'fenestra access close',
  );

export const unpublishedEdits = (release: number, objects: string): Finding =>
  finding(
    UNPUBLISHED_EDITS,
    `the site folder differs from release ${release} in ${objects}; the release is what was checked`,
    'fenestra publish',
  );
