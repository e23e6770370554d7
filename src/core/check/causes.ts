/** Failures that share a cause. */
import type { Failure } from './compare-answer.js';
import type { FailureCause } from './difference.js';

/** Failures that are one trouble. */
export interface FailureGroup {
  readonly aspect: Failure['aspect'];
  readonly cause: FailureCause;
  /** At least one. */
  readonly failures: readonly Failure[];
  readonly first: Failure;
}

/** Groups failures by what is wrong and what causes it, types by what was sent for what too; the largest group first. */
export function groupFailures(failures: readonly Failure[]): FailureGroup[] {
  const groups = new Map<string, { first: Failure; all: Failure[] }>();
  for (const failure of failures) {
    const { aspect, cause, expected, observed } = failure;
    // Each wrong type has a cure of its own.
    const pair = aspect === 'type' ? `\0${expected}\0${observed}` : '';
    const id = `${aspect}\0${cause}${pair}`;
    const known = groups.get(id);
    if (known) known.all.push(failure);
    else groups.set(id, { first: failure, all: [failure] });
  }
  return [...groups.values()]
    .map(({ first, all }) => ({ aspect: first.aspect, cause: first.cause, first, failures: all }))
    .sort((a, b) => b.failures.length - a.failures.length);
}
