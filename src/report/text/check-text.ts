/** The outcome of a check for a terminal: the verdict, then causes with their cures. */
import { groupFailures } from '../../core/check/causes.js';
import type { CheckOutcome, EndpointOutcome } from '../../core/check/outcome.js';
import { completeCommands } from '../../core/words/command-line.js';
import { countOf, formatCount } from '../../core/words/counts.js';
import { countFindings, extentOf, formatFindings } from './findings-text.js';
import { describeCause, formatDifference } from './cause-text.js';
import { columns, visible, type Paint } from './paint.js';

const MAX_RULES = 60;
const MAX_CAUSES = 10;

/** What was checked: a release, or the site folder. */
export const describeChecked = ({ unpublished, bucket, release }: CheckOutcome): string =>
  unpublished ? 'The site folder, as it would be published' : `${bucket}, release ${release}`;

/** @param inFull every finding, place and answer */
export function formatCheck(outcome: CheckOutcome, paint: Paint, inFull = false): string {
  const { findings, failures, beside, baseline } = outcome;
  const verdict = outcome.passed ? paint.good('It works.') : paint.bad('It does not work yet.');
  const head = `${paint.strong(verdict)} ${describeChecked(outcome)}, ${countOf(outcome.objects, 'object')}`;
  const mark = (good: boolean): string => (good ? paint.good('✓') : paint.bad('✗'));
  const counts = [
    `  ${mark(!findings.some(({ level }) => level === 'error'))} inspection: ${countFindings(findings)}, ${countOf(outcome.inspection.read, 'text')} read`,
    ...[outcome, ...(beside ? [beside] : [])].map(
      (endpoint) =>
        `  ${mark(endpoint.failures.length === 0 && !endpoint.refused)} ${formatProbes(endpoint, paint)}`,
    ),
    ...(outcome.sample.objects < outcome.objects
      ? [
          `    ${paint.soft(`a sample of ${formatCount(outcome.sample.objects)} objects, some of each of ${countOf(outcome.sample.kinds, 'kind')} (type, caching, folder, readable or not); --all asks for every one`)}`,
        ]
      : []),
    ...(baseline
      ? [
          `    ${paint.soft(`${countOf(baseline.known, 'known problem')} left out by the baseline${baseline.gone > 0 ? `; ${countOf(baseline.gone, 'entry', 'entries')} of it no longer occur` : ''}`)}`,
        ]
      : []),
  ];
  if (outcome.meanwhile !== undefined)
    counts.push(
      `    ${paint.warn(`release ${outcome.meanwhile} was published meanwhile`)}: what differed was asked again against it; the inspection is of release ${outcome.release}`,
    );
  if (outcome.against) counts.push(formatAgainst(outcome.against, mark));
  const parts = [head, counts.join('\n')];
  const differences = outcome.against?.differences ?? [];
  if (differences.length > 0) parts.push(formatDifferences(differences, outcome.against, paint, inFull));
  if (failures.length > 0) parts.push(formatFailures(outcome, paint, inFull));
  if (beside && beside.failures.length > 0) parts.push(formatFailures(beside, paint, inFull));
  if (findings.length > 0) parts.push(formatFindings(findings, paint, extentOf(inFull, MAX_RULES)));
  return parts.join('\n\n');
}

function formatProbes({ probes, at, selfTest, refused }: EndpointOutcome, paint: Paint): string {
  if (refused) return `${paint.place(visible(at))} refuses the public, so nothing else was asked of it`;
  const retries = probes.retries > 0 ? `, ${countOf(probes.retries, 'retry', 'retries')}` : '';
  const where = selfTest ? "self-test against Fenestra's own emulation" : paint.place(visible(at));
  return `${where}: ${formatCount(probes.run - probes.failed)} of ${countOf(probes.run, 'probe')} answered as they must${retries}`;
}

/** What shares a cause is one entry. */
function formatFailures({ failures, selfTest }: EndpointOutcome, paint: Paint, inFull: boolean): string {
  const causes = groupFailures(failures);
  const shown = causes.slice(0, inFull ? causes.length : MAX_CAUSES).map((group) => {
    const { first, aspect, cause } = group;
    const rest = group.failures.slice(1);
    const others = rest.length > 0 ? ` and ${countOf(rest.length, 'other probe')}` : '';
    const listed = inFull
      ? rest.map(({ about, url }) => `      ${paint.soft(about)} ${paint.place(visible(url))}`)
      : [];
    return [
      `  ${paint.bad(aspect)} ${paint.soft(first.about)} ${paint.place(visible(first.url))}${others}`,
      `    ${visible(formatDifference(first))}`,
      ...listed,
      `    ${paint.soft('cure:')} ${visible(completeCommands(describeCause(cause), paint.command))}`,
    ].join('\n');
  });
  if (causes.length > shown.length)
    shown.push(paint.soft(`  and ${causes.length - shown.length} more causes; --in-full lists them all`));
  return `${paint.strong(selfTest ? 'Answers of our own emulation' : 'Answers')}\n${shown.join('\n')}`;
}

type Against = NonNullable<CheckOutcome['against']>;

function formatAgainst(
  { name, bucket, release, asked, differences }: Against,
  mark: (good: boolean) => string,
): string {
  const unexpected = differences.filter(({ expected }) => !expected).length;
  const meant = differences.length - unexpected;
  const said =
    differences.length === 0
      ? 'all alike'
      : [
          ...(unexpected > 0 ? [`${countOf(unexpected, 'difference')} that should not be`] : []),
          ...(meant > 0 ? [`${countOf(meant, 'difference')} that the two hosts are expected to have`] : []),
        ].join(', ');
  return `  ${mark(unexpected === 0)} beside ${name} (${bucket}, release ${release}): ${countOf(asked, 'address', 'addresses')} asked of both, ${said}`;
}

const MAX_DIFFERENCES = 12;

/** What should not be comes first. */
function formatDifferences(
  differences: Against['differences'],
  against: Against | undefined,
  paint: Paint,
  inFull: boolean,
): string {
  const sorted = [...differences].sort((a, b) => Number(a.expected) - Number(b.expected));
  const shown = sorted
    .slice(0, inFull ? sorted.length : MAX_DIFFERENCES)
    .map(({ path, aspect, header, here, there, expected }) => [
      expected ? paint.soft('expected') : paint.bad('should not be'),
      header ?? aspect,
      paint.place(visible(path)),
      `${visible(here)} here, ${visible(there)} there`,
    ]);
  const more = sorted.length - shown.length;
  return `${paint.strong(`Beside ${against?.name ?? ''}`)}\n${columns(shown, [], paint.width)}${more > 0 ? paint.soft(`\n  and ${more} more; --in-full lists them all`) : ''}`;
}
