/** A check as SARIF 2.1.0, the OASIS format for results of static analysis. */
import { pathToFileURL } from 'node:url';
import { isoMoment } from '../../core/words/moments.js';
import type { ArtifactLocation, Location, Log, ReportingDescriptor, Result } from 'sarif';
import { CHECK_FINDINGS } from '../../core/check/check-findings.js';
import { type Failure } from '../../core/check/compare-answer.js';
import { ASPECT_MEANS, ASPECTS, aspectRule } from '../../core/check/difference.js';
import type { CheckOutcome } from '../../core/check/outcome.js';
import { RELEASE_RULES } from '../../core/check/release-rules.js';
import type { RuleHead } from '../../core/check/rule.js';
import { SURVEY_RULES } from '../../core/check/survey-rules.js';
import type { ReportContext } from '../report-context.js';
import { keyToPath } from '../../core/site/key.js';
import { identityOf, type Finding, type FindingLocation } from '../../core/findings/finding.js';
import { describeCause, formatDifference } from '../text/cause-text.js';

export function renderSarif(
  outcome: CheckOutcome,
  { site, folder, version, rules: explained }: ReportContext,
): string {
  const { findings, failures } = outcome;
  const used = new Set(findings.map(({ rule }) => rule));
  const heads = [...SURVEY_RULES, ...RELEASE_RULES, ...CHECK_FINDINGS].filter(({ name }) => used.has(name));
  const aspects = ASPECTS.filter((aspect) => failures.some((failure) => failure.aspect === aspect));
  const rules = [
    ...heads.map((head) => ruleOf(head, explained)),
    ...aspects.map((aspect) => ({
      id: aspectRule(aspect),
      shortDescription: { text: ASPECT_MEANS[aspect] },
      ...helpUri(aspectRule(aspect), explained),
    })),
  ];
  const indexOf = new Map(rules.map(({ id }, at) => [id, at]));
  const numbered = (result: Result): Result => ({
    ...result,
    ruleIndex: indexOf.get(result.ruleId ?? '') ?? -1,
  });
  const log: Log = {
    $schema: 'https://json.schemastore.org/sarif-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: { driver: { name: 'fenestra', semanticVersion: version, rules } },
        originalUriBaseIds: {
          REPOSITORY: { description: { text: 'the root of the repository that the config is in' } },
          SITE: {
            ...folderUri(site),
            description: { text: 'the site folder, from the config' },
          },
        },
        invocations: [
          {
            executionSuccessful: true,
            endTimeUtc: isoMoment(outcome.when),
            exitCode: outcome.passed ? 0 : 1,
          },
        ],
        results: [
          ...findings.map((finding) => findingResult(finding, folder)),
          ...failures.map(failureResult),
        ].map(numbered),
        properties: {
          bucket: outcome.bucket,
          release: outcome.release,
          at: outcome.at,
          probes: outcome.probes,
        },
      },
    ],
  };
  return `${JSON.stringify(log, null, 2)}\n`;
}

const ruleOf = (
  { name, level, explain, fix }: RuleHead,
  explained: string | undefined,
): ReportingDescriptor => ({
  id: name,
  shortDescription: { text: explain },
  help: { text: fix },
  ...helpUri(name, explained),
  defaultConfiguration: { level },
});

/** Where a rule is explained: in the docs of the installed program, which every report can name without a network. */
const helpUri = (name: string, explained: string | undefined): Pick<ReportingDescriptor, 'helpUri'> =>
  explained === undefined ? {} : { helpUri: `${pathToFileURL(explained).href}#${name}` };

/** The cure has to be made at every place, so each is a location of the one result (SARIF 2.1.0, 3.27.12). */
const findingResult = (finding: Finding, folder: string): Result => {
  const { rule, level, key, line, message, fix, elsewhere = [] } = finding;
  const isPlaced = key !== undefined || line !== undefined;
  return {
    ruleId: rule,
    level,
    message: { text: `${message}. Cure: ${fix}` },
    ...(isPlaced
      ? {
          locations: [finding, ...elsewhere].map((place) =>
            locationOf(place, `${folder}${finding.file ?? ''}`),
          ),
        }
      : {}),
    partialFingerprints: { 'finding/v2': identityOf(finding).replaceAll('\0', ':') },
  };
};

const locationOf = ({ key, line }: Partial<FindingLocation>, config: string): Location => ({
  physicalLocation: {
    artifactLocation:
      key === undefined
        ? { uri: keyToPath(config).slice(1), uriBaseId: 'REPOSITORY' }
        : { uri: keyToPath(key).slice(1), uriBaseId: 'SITE' },
    ...(line === undefined ? {} : { region: { startLine: line } }),
  },
});

const failureResult = (failure: Failure): Result => ({
  ruleId: aspectRule(failure.aspect),
  level: 'error',
  message: {
    text: `${failure.about} ${failure.url}: ${formatDifference(failure)}. Cure: ${describeCause(failure.cause)}`,
  },
  locations: [{ physicalLocation: { artifactLocation: { uri: encodeURI(decodeSafely(failure.url)) } } }],
});

function decodeSafely(url: string): string {
  try {
    return decodeURI(url);
  } catch {
    return url.replace(/%/g, '%25');
  }
}

/** A folder below the root of the repository, or a file's address where it is absolute. */
const folderUri = (folder: string): ArtifactLocation =>
  folder.startsWith('/')
    ? { uri: `file://${keyToPath(folder.slice(1))}` }
    : { uri: keyToPath(folder).slice(1), uriBaseId: 'REPOSITORY' };
