/** Findings that `check` makes beside those of its rules. */
import { describeExcess } from '../visiting/describe-budget.js';
import type { BudgetExcess } from '../visiting/budget.js';
import { pathOf } from '../words/path-of.js';
import type { ForeignChange } from '../release/foreign.js';
import { DRIFTS, type SettingDrift } from '../release/setting-drift.js';
import { quoteWord, type CommandLine } from '../words/command-line.js';
import type { Finding } from '../findings/finding.js';
import type { RuleHead } from './rule.js';

const BUCKET_CLOSED: RuleHead = {
  name: 'bucket-closed',
  level: 'error',
  explain: 'The bucket is closed, so every visitor is refused.',
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

const MOVED_INSECURELY: RuleHead = {
  name: 'moved-insecurely',
  level: 'warning',
  explain: 'The front serves https, and a moved address sends its visitors to plain http.',
  example: 'moved: { permanently: { "/shop": "http://shop.wendlemill.example/" } } with a front',
  fix: 'Write the target with https.',
};

const CERTIFICATE_ENDS: RuleHead = {
  name: 'certificate-ends',
  level: 'warning',
  explain: 'The certificate of the endpoint ends within three weeks; from then on browsers refuse it.',
  example: 'a certificate that nobody renews',
  fix: 'Renew it, or mend what was to renew it.',
};

const SECURE_ONLY_UNSET: RuleHead = {
  name: 'secure-only-unset',
  level: 'warning',
  explain:
    'The config says for how long browsers come by https alone (`front.secureOnly`), and the endpoint does not tell them (Strict-Transport-Security, RFC 6797).',
  example: 'a front that was never set up to send it',
  fix: 'Have the front send Strict-Transport-Security with its answers.',
};

const PLAIN_NOT_MOVED: RuleHead = {
  name: 'plain-not-moved',
  level: 'error',
  explain:
    'The site is meant for https, and whoever types its name comes by plain http and stays there, or finds nothing.',
  example: 'http://www.wendlemill.example/ answers 200 beside https',
  fix: 'Have the front answer http with 301 to https, path and query kept.',
};

const COOKIE_SHARED: RuleHead = {
  name: 'cookie-shared',
  level: 'error',
  explain:
    'The endpoint sets a cookie with an answer that a cache for everybody may keep: one visitor gets the cookie of another.',
  example: 'Set-Cookie beside Cache-Control: max-age=3600',
  fix: 'Have the front set no cookies for a static site, or send such answers with `private`.',
};

const SHARED_CACHE_MIXES: RuleHead = {
  name: 'shared-cache-mixes',
  level: 'warning',
  explain:
    'The bucket is shared with some sites, a cache for everybody stands before it, and its store says that answers differ by Origin only to those that have leave: the cache may keep an answer for nobody, and give it to a page of such a site, which the browser then refuses.',
  example: 'sharedWith: ["https://app.example"] and front: { shared: true } on a store of kind swift',
  fix: 'Share the bucket with everyone, or have the cache keep its answers apart by Origin.',
};

const CHANGED_BY_OTHERS: RuleHead = {
  name: 'changed-by-others',
  level: 'error',
  explain:
    'An object of the release is not as it was published: somebody has changed its bytes or its headers in the store, or removed it, past Fenestra.',
  example: 'a page that was given another Content-Type in the web console of the store',
  fix: 'Put it back with `fenestra bucket mend`.',
};

const STORE_SETTING_CHANGED: RuleHead = {
  name: 'store-setting-changed',
  level: 'error',
  explain:
    "The store's own settings of the bucket, or of Fenestra's records beside it, are not as publishing left them: who may read or write, which documents answer, what may be listed.",
  example: 'a bucket to which everyone may write',
  fix: 'Put them back with `fenestra bucket mend`.',
};

const FOREIGN_OBJECT: RuleHead = {
  name: 'foreign-object',
  level: 'warning',
  explain:
    'An object lies in the bucket that is in no release: somebody has put it there past Fenestra, and visitors can read it as long as the bucket is open.',
  example: 'drafts/plan.pdf, uploaded by hand',
  fix: 'Remove it with `fenestra publish --over-foreign KEY`, or leave it where it is meant.',
};

const OVER_BUDGET: RuleHead = {
  name: 'over-budget',
  level: 'error',
  explain:
    'A page asks more of a visitor than the config allows it (`budgets`): requests, bytes or seconds, in a first visit or right after it.',
  example: 'a page that loads 52 pictures where budgets allow 40 requests',
  fix: 'See what it asks for with `fenestra visit PAGE --in-full`; make it less, keep it longer, or raise the budget.',
};

export const CHECK_FINDINGS: readonly RuleHead[] = [
  BUCKET_CLOSED,
  BUCKET_OPEN,
  ENDPOINT_REFUSES,
  UNPUBLISHED_EDITS,
  CHANGED_BY_OTHERS,
  STORE_SETTING_CHANGED,
  FOREIGN_OBJECT,
  OVER_BUDGET,
  ANSWERS_DIFFERENTLY,
  MOVED_INSECURELY,
  CERTIFICATE_ENDS,
  SECURE_ONLY_UNSET,
  PLAIN_NOT_MOVED,
  COOKIE_SHARED,
  SHARED_CACHE_MIXES,
];

const finding = ({ name, level }: RuleHead, message: string, fix: string): Finding => ({
  rule: name,
  level,
  message,
  fix,
});

/** @param status what visitors get, 403 or 401 */
export const bucketClosed = (bucket: string, status: number, command: CommandLine): Finding =>
  finding(
    BUCKET_CLOSED,
    `bucket ${bucket} is closed, so every visitor gets ${status}`,
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

/** What somebody else has changed of a bucket, past Fenestra. @param isReadable what the policy lets anyone read */
export function changesOfOthers(
  bucket: string,
  foreign: readonly ForeignChange[],
  drift: readonly SettingDrift[],
  isReadable: (key: string) => boolean,
  command: CommandLine,
): Finding[] {
  const mend = command('bucket mend');
  const settings = drift.map(({ what, ofRecords, now, must }) => ({
    ...finding(
      STORE_SETTING_CHANGED,
      `${ofRecords ? `the records beside ${bucket}` : bucket}: ${DRIFTS[what]} was changed past Fenestra: ${now === '' ? 'not set' : now} in place of ${must === '' ? 'nothing' : must}`,
      mend,
    ),
    about: `${what} ${ofRecords}`,
  }));
  const objects = foreign.map(({ key, change }) =>
    change === 'added'
      ? {
          ...finding(
            FOREIGN_OBJECT,
            isReadable(key)
              ? 'was put into the bucket by somebody else, and is in no release'
              : 'was put into the bucket by somebody else, under a key that nobody may read by the policy',
            `${command(`publish --over-foreign ${quoteWord(key)}`)} removes it; leave it where it is meant`,
          ),
          // This store reads the policy for nobody.
          ...(isReadable(key) ? {} : { level: 'error' as const }),
          key,
        }
      : {
          ...finding(CHANGED_BY_OTHERS, `was ${CHANGED_HOW[change]} in the store by somebody else`, mend),
          key,
        },
  );
  return [...settings, ...objects];
}

const CHANGED_HOW = {
  replaced: 'given other bytes',
  relabelled: 'given other headers',
  removed: 'removed',
} as const;

/** @param from the address that has moved */
export const movedInsecurely = (from: string, to: string): Finding =>
  finding(
    MOVED_INSECURELY,
    `${from} has moved to ${to}, which leaves https`,
    `moved: ${JSON.stringify(from)}: ${to.replace(/^http:/, 'https:')}`,
  );

export const certificateEnds = (host: string, until: string, days: number): Finding =>
  finding(
    CERTIFICATE_ENDS,
    `the certificate of ${host} ends on ${until}, in ${days} ${days === 1 ? 'day' : 'days'}`,
    'renew it, or mend what was to renew it',
  );

export const secureOnlyUnset = (at: string, expected: number, seen: string | undefined): Finding =>
  finding(
    SECURE_ONLY_UNSET,
    `${at} answers ${seen === undefined ? 'without Strict-Transport-Security' : `with Strict-Transport-Security: ${seen}`}, and front.secureOnly asks for max-age=${expected}`,
    `have the front send Strict-Transport-Security: max-age=${expected}`,
  );

/** @param seen what it answers, in words */
export const plainNotMoved = (url: string, seen: string): Finding =>
  finding(
    PLAIN_NOT_MOVED,
    `${url} answers ${seen}, not a redirect to https`,
    'have the front answer http with 301 to https, path and query kept',
  );

export const cookieShared = (at: string, caching: string): Finding =>
  finding(
    COOKIE_SHARED,
    `${at} sets a cookie with an answer that caches for everybody may keep (${caching})`,
    'have the front set no cookie, or send the answer with Cache-Control: private',
  );

export const sharedCacheMixes = (origins: readonly string[]): Finding =>
  finding(
    SHARED_CACHE_MIXES,
    `this store says Vary: Origin only to pages of sites that it is shared with (${origins.join(', ')}), and front.shared keeps answers for everybody`,
    'write sharedWith: everyone, or have the cache keep answers apart by Origin',
  );

/** @param file the name of the config */
export function overBudget(excess: BudgetExcess, file: string, command: CommandLine): Finding {
  const path = pathOf(excess.url);
  return {
    ...finding(
      OVER_BUDGET,
      describeExcess(excess),
      `${command(`visit ${path} --in-full`)} shows them; make it less, or raise the budget: ${file} line ${excess.line}`,
    ),
    key: excess.key,
    // The same one in another run, whatever the figure is by then.
    about: `${path} ${excess.visit} ${excess.figure}`,
  };
}
