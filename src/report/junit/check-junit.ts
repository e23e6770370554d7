/** A check as JUnit XML, as build servers read it: one suite for the inspection, one for each kind of probe. */
import * as reporter from 'junit-report-builder';
import type { Builder, TestCase } from 'junit-report-builder';
import { CHECK_FINDINGS } from '../../core/check/check-findings.js';
import type { CheckOutcome } from '../../core/check/outcome.js';
import { RELEASE_RULES } from '../../core/check/release-rules.js';
import { SURVEY_RULES } from '../../core/check/survey-rules.js';
import type { Finding } from '../../core/findings/finding.js';
import { placeOf } from '../text/findings-text.js';
import { visible } from '../text/paint.js';
import { describeCause, formatDifference } from '../text/cause-text.js';

export function renderJunit(outcome: CheckOutcome): string {
  // Bundled it is the builder itself; as Node.js loads it, what has it inside.
  const found: { newBuilder?: () => Builder; default?: Builder } = reporter.default;
  const report = found.newBuilder?.() ?? found.default?.newBuilder();
  if (!report) throw new Error('the JUnit library has no builder');
  addInspection(report, outcome);
  addProbes(report, outcome);
  return `${report.build()}\n`;
}

const LEVELS = ['error', 'warning', 'note'];

/** A case for every rule; one that found something at or above the level that counts fails. */
function addInspection(
  report: Builder,
  { findings, failOn, bucket, release, inspection }: CheckOutcome,
): void {
  const byRule = new Map<string, Finding[]>();
  for (const finding of findings) byRule.set(finding.rule, [...(byRule.get(finding.rule) ?? []), finding]);
  const suite = report
    .testSuite()
    .name('inspection')
    .time(Number(inspection.seconds.toFixed(3)))
    .property('bucket', bucket);
  // What was never published has none.
  if (release > 0) suite.property('release', String(release));
  for (const { name } of [...SURVEY_RULES, ...RELEASE_RULES, ...CHECK_FINDINGS]) {
    const found = byRule.get(name) ?? [];
    const text = found.map(lineOf).join('\n');
    const one = suite.testCase().className('inspection').name(name);
    if (found.some(({ level }) => LEVELS.indexOf(level) <= LEVELS.indexOf(failOn)))
      fail(one, clean(found[0]?.message ?? ''), text, found[0]?.level ?? 'error');
    else if (text !== '') one.standardOutput(text);
  }
}

const lineOf = (finding: Finding): string => {
  const place = placeOf(finding);
  const also = (finding.elsewhere ?? []).map((each) => `\n  also ${placeOf(each)}`).join('');
  return clean(`${place === '' ? '' : `${place}: `}${finding.message}. Cure: ${finding.fix}${also}`);
};

/** Answers that were right are counted by kind; each wrong one is a case of its own. */
function addProbes(report: Builder, { matrix, failures }: CheckOutcome): void {
  for (const { about, asked, failed } of matrix) {
    const suite = report.testSuite().name(`probes: ${about}`);
    for (const failure of failures.filter((each) => each.about === about)) {
      const { url, aspect, cause } = failure;
      fail(
        suite
          .testCase()
          .className(about)
          .name(clean(`${aspect} of ${url}`)),
        clean(formatDifference(failure)),
        clean(`Cure: ${describeCause(cause)}`),
        aspect,
      );
    }
    suite
      .testCase()
      .className(about)
      .name(`${asked - failed} of ${asked} answered as they must`);
  }
}

const fail = (one: TestCase, message: string, text: string, type: string): void =>
  void one.failure(message, type).stacktrace(text);

/** XML has no way to write control characters. */
const clean = (text: string): string =>
  visible(text).replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '\uFFFD');
