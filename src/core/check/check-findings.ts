/** Findings that `check` makes beside those of its rules. */
import type { CommandLine } from '../words/command-line.js';
import type { Finding } from '../findings/finding.js';
import type { RuleHead } from './rule.js';

const BUCKET_CLOSED: RuleHead = {
  name: 'bucket-closed',
  level: 'error',
  explain: 'The bucket is closed, so every visitor gets 403.',
  example: 'a bucket that was published and never opened',
  fix: 'Open it on purpose with `fenestra access open`, or check with `--expect closed` where that is meant.',
};

const BUCKET_OPEN: RuleHead = {
  name: 'bucket-open',
  level: 'error',
  explain: 'The bucket is open although `--expect closed` says that it must not be.',
  example: 'a rehearsal that was opened and forgotten',
  fix: 'Close it with `fenestra access close`.',
};

const ENDPOINT_REFUSES: RuleHead = {
  name: 'endpoint-refuses',
  level: 'error',
  explain:
    'The endpoint answers 401 or 403 to everything that must be readable, so nothing else was asked of it. One cause is one finding.',
  example: 'a host whose bucket was never opened, or whose policy names another bucket',
  fix: 'Open the bucket at the endpoint, and give it a policy that covers what is in it.',
};

const UNPUBLISHED_EDITS: RuleHead = {
  name: 'unpublished-edits',
  level: 'note',
  explain: 'The site folder differs from the release that was checked.',
  example: 'a page edited since the last publish',
  fix: 'Publish, when the edits are meant to be seen.',
};

export const ANSWERS_DIFFERENTLY: RuleHead = {
  name: 'answers-differently',
  level: 'note',
  explain:
    'With `--everywhere`: an address that the site uses would answer otherwise on a host that is set up in another common way (docs/behaviours.md names the sets).',
  example: '<a href="/visit/"> on a host that has index documents for the root alone',
  fix: 'Write the reference so that every host understands it.',
};

export const CHECK_FINDINGS: readonly RuleHead[] = [
  BUCKET_CLOSED,
  BUCKET_OPEN,
  ENDPOINT_REFUSES,
  UNPUBLISHED_EDITS,
  ANSWERS_DIFFERENTLY,
];

const finding = ({ name, level }: RuleHead, message: string, fix: string): Finding => ({
  rule: name,
  level,
  message,
  fix,
});

export const bucketClosed = (bucket: string, command: CommandLine): Finding =>
  finding(
    BUCKET_CLOSED,
    `bucket ${bucket} is closed, so every visitor gets 403`,
    `${command(`access open --sure ${bucket}`)}, or --expect closed where that is meant`,
  );

export const bucketOpen = (bucket: string, command: CommandLine): Finding =>
  finding(
    BUCKET_OPEN,
    `bucket ${bucket} is open, and --expect closed says that it must not be`,
    command('access close'),
  );

export const endpointRefuses = (at: string, status: number, asked: number): Finding =>
  finding(
    ENDPOINT_REFUSES,
    `${at} refuses the public: ${asked} of ${asked} addresses that anyone must be able to read answered ${status}`,
    'open the bucket at the endpoint and give it a policy over what is in it, or --expect closed where that is meant',
  );

export const unpublishedEdits = (release: number, objects: string, command: CommandLine): Finding =>
  finding(
    UNPUBLISHED_EDITS,
    `the site folder differs from release ${release} in ${objects}; the release is what was checked`,
    command('publish'),
  );
