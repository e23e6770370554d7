/** The outcome of a check for a terminal: the verdict, then causes with their cures. */
import type { Failure } from '../../core/check/probe.js';
import { countOf, formatCount } from '../../core/site/format-bytes.js';
import type { Finding } from '../../core/site/site-object.js';
import { countFindings, formatFindings } from './findings-text.js';
import { visible, type Paint } from './paint.js';

export interface CheckView {
  readonly bucket: string;
  readonly release: number;
  /** The address that was probed. */
  readonly at: string;
  /** Whether it was our own emulation, started for this check. */
  readonly selfTest: boolean;
  readonly objects: number;
  readonly probes: { readonly run: number; readonly failed: number; readonly retries: number };
  readonly failures: readonly Failure[];
  readonly findings: readonly Finding[];
  readonly passed: boolean;
  readonly seconds: number;
}

export function formatCheck(view: CheckView, paint: Paint): string {
  const { probes, findings, failures } = view;
  const where = view.selfTest ? `self-test against Fenestra's own emulation` : view.at;
  const verdict = view.passed ? paint.good('It works.') : paint.bad('It does not work yet.');
  const head = `${paint.strong(verdict)} ${view.bucket}, release ${view.release}, ${countOf(view.objects, 'object')}; ${where}`;
  const counts = [
    `  ${probes.failed === 0 ? paint.good('✓') : paint.bad('✗')} ${formatCount(probes.run - probes.failed)} of ${countOf(probes.run, 'probe')} answered as they must${probes.retries > 0 ? `, ${countOf(probes.retries, 'retry', 'retries')}` : ''} ${paint.soft(`(${view.seconds.toFixed(1)} s)`)}`,
    `  ${findings.some(({ level }) => level === 'error') ? paint.bad('✗') : paint.good('✓')} inspection: ${countFindings(findings)}`,
  ];
  const parts = [head, counts.join('\n')];
  if (findings.length > 0) parts.push(formatFindings(findings, paint));
  if (failures.length > 0) parts.push(formatFailures(failures, paint));
  return parts.join('\n\n');
}

/** Failures that share aspect, expectation, observation and cure share a cause. */
function formatFailures(failures: readonly Failure[], paint: Paint): string {
  const groups = new Map<string, Failure[]>();
  for (const failure of failures) {
    const { aspect, expected, observed, fix } = failure;
    const id = aspect === 'bytes' ? `bytes\0${fix}` : [aspect, expected, observed, fix].join('\0');
    groups.set(id, [...(groups.get(id) ?? []), failure]);
  }
  const all = [...groups.values()].sort((a, b) => b.length - a.length);
  const shown = all.slice(0, 10).map((group) => {
    const [first] = group;
    if (!first) return '';
    const others =
      group.length > 1 ? ` and ${countOf(group.length - 1, 'other address', 'other addresses')}` : '';
    return [
      `  ${paint.bad(first.aspect)} ${paint.place(visible(first.url))}${others}`,
      `    must be ${visible(first.expected)}, was ${visible(first.observed)}`,
      `    ${paint.soft('cure:')} ${visible(first.fix)}`,
    ].join('\n');
  });
  if (all.length > shown.length)
    shown.push(paint.soft(`  and ${all.length - shown.length} more causes; --json lists them all`));
  return shown.join('\n');
}
