/** All rules of the survey, in the order in which their findings are shown. */
import type { Finding } from '../findings/finding.js';
import type { Rule, SurveyContext } from './rule.js';
import { charsetContradictsBytes } from './rules/charset-contradicts-bytes.js';
import { charsetDisagrees } from './rules/charset-disagrees.js';
import { documentMissing } from './rules/document-missing.js';
import { documentPrivate } from './rules/document-private.js';
import { doubleExtension } from './rules/double-extension.js';
import { errorDocumentUnset } from './rules/error-document-unset.js';
import { fileIdle } from './rules/file-idle.js';
import { expiresPast } from './rules/expires-past.js';
import { keysDifferInCase } from './rules/keys-differ-in-case.js';
import { leftoverPublished } from './rules/leftover-published.js';
import { linkLeftOut } from './rules/link-left-out.js';
import { longKeptName } from './rules/long-kept-name.js';
import { neverIsNotPrivate } from './rules/never-is-not-private.js';
import { ownFileLeftOut } from './rules/own-file-left-out.js';
import { pageKeptLong } from './rules/page-kept-long.js';
import { policyCoversNothing } from './rules/policy-covers-nothing.js';
import { policyNamesBucket } from './rules/policy-names-bucket.js';
import { folderNotServed } from './rules/folder-not-served.js';
import { headerNotSent } from './rules/header-not-sent.js';
import { returningVisitorsRefused } from './rules/returning-visitors-refused.js';
import { patternAtRoot } from './rules/pattern-at-root.js';
import { personalDataShared } from './rules/personal-data-shared.js';
import { readableMatchesNothing } from './rules/readable-matches-nothing.js';
import { referenceNotRewritten } from './rules/reference-not-rewritten.js';
import { ruleMatchesNothing } from './rules/rule-matches-nothing.js';
import { ruleOverridden } from './rules/rule-overridden.js';
import { secretPublished } from './rules/secret-published.js';
import { serverProgramPublished } from './rules/server-program-published.js';
import { serverRulesIdle } from './rules/server-rules-idle.js';
import { sourceMapPublished } from './rules/source-map-published.js';
import { typeContradictsBytes } from './rules/type-contradicts-bytes.js';
import { typeUnknown } from './rules/type-unknown.js';
import { versionedMatchesNothing } from './rules/versioned-matches-nothing.js';

export const SURVEY_RULES: readonly Rule[] = [
  documentMissing,
  documentPrivate,
  errorDocumentUnset,
  secretPublished,
  serverProgramPublished,
  policyCoversNothing,
  policyNamesBucket,
  readableMatchesNothing,
  typeContradictsBytes,
  charsetContradictsBytes,
  charsetDisagrees,
  doubleExtension,
  typeUnknown,
  personalDataShared,
  neverIsNotPrivate,
  pageKeptLong,
  longKeptName,
  referenceNotRewritten,
  expiresPast,
  ruleMatchesNothing,
  ruleOverridden,
  versionedMatchesNothing,
  patternAtRoot,
  headerNotSent,
  returningVisitorsRefused,
  folderNotServed,
  leftoverPublished,
  keysDifferInCase,
  serverRulesIdle,
  fileIdle,
  linkLeftOut,
  ownFileLeftOut,
  sourceMapPublished,
];

const CONCERN_READERS: ReadonlySet<string> = new Set(
  SURVEY_RULES.filter(({ concernsReaders }) => concernsReaders).map(({ name }) => name),
);

/** The errors that concern who may read what. */
export const listReaderErrors = (findings: readonly Finding[]): Finding[] =>
  findings.filter(({ rule, level }) => level === 'error' && CONCERN_READERS.has(rule));

const ORDER = { error: 0, warning: 1, note: 2 } as const;

/** Orders findings by level, errors first. */
export const byLevel = (a: Finding, b: Finding): number => ORDER[a.level] - ORDER[b.level];

/** Every finding, errors first, in the order of the rules. */
export function inspectSurvey(context: SurveyContext, rules: readonly Rule[] = SURVEY_RULES): Finding[] {
  const findings = rules.flatMap((rule) => [...rule.inspect(context)]);
  return findings.sort(byLevel);
}
