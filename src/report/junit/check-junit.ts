/** A check as JUnit XML, as build servers read it: one suite for the inspection, one for each kind of probe. */
import { getJunitXml, type TestCase, type TestSuite } from 'junit-xml';
import { CHECK_FINDINGS } from '../../core/check/check-findings.js';
import type { CheckOutcome } from '../../core/check/outcome.js';
import { RELEASE_RULES } from '../../core/check/release-rules.js';
import { SURVEY_RULES } from '../../core/check/rules.js';
import type { Finding } from '../../core/site/site-object.js';
import { placeOf } from '../text/findings-text.js';
import { visible } from '../text/paint.js';

export function renderJunit(outcome: CheckOutcome): string {
  return getJunitXml({
    name: `fenestra check: ${outcome.bucket}, release ${outcome.release}`,
    time: outcome.seconds,
    suites: [inspectionSuite(outcome), ...probeSuites(outcome)],
  });
}

const LEVELS = ['error', 'warning', 'note'];

/** A case for every rule; one that found something at or above the level that counts fails. */
function inspectionSuite({ findings, failOn }: CheckOutcome): TestSuite {
  const byRule = new Map<string, Finding[]>();
  for (const finding of findings) byRule.set(finding.rule, [...(byRule.get(finding.rule) ?? []), finding]);
  const testCases = [...SURVEY_RULES, ...RELEASE_RULES, ...CHECK_FINDINGS].map(({ name }): TestCase => {
    const found = byRule.get(name) ?? [];
    const text = found.map((each) => clean(`${placeOf(each)}: ${each.message}. Cure: ${each.fix}`));
    const counts = found.some(({ level }) => LEVELS.indexOf(level) <= LEVELS.indexOf(failOn));
    return {
      name,
      classname: 'inspection',
      ...(counts ? { failures: [{ message: text.join('\n'), type: found[0]?.level ?? '' }] } : {}),
      ...(found.length > 0 && !counts ? { systemOut: text } : {}),
    };
  });
  return { name: 'inspection', testCases };
}

/** Answers that were right are counted by kind; each wrong one is a case of its own. */
const probeSuites = ({ matrix, failures }: CheckOutcome): TestSuite[] =>
  matrix.map(({ about, asked, failed }) => ({
    name: `probes: ${about}`,
    testCases: [
      ...failures
        .filter((failure) => failure.about === about)
        .map(({ url, aspect, expected, observed, fix }) => ({
          name: clean(`${aspect} of ${url}`),
          classname: about,
          failures: [{ message: clean(`must be ${expected}, was ${observed}. Cure: ${fix}`), type: aspect }],
        })),
      { name: `${asked - failed} of ${asked} answered as they must`, classname: about },
    ],
  }));

/** XML has no way to write control characters. */
const clean = (text: string): string =>
  visible(text).replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '\uFFFD');
