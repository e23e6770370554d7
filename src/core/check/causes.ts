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

/** Groups failures by what is wrong and what causes it, the largest group first. */
export function groupFailures(failures: readonly Failure[]): FailureGroup[] {
  const groups = new Map<string, { first: Failure; all: Failure[] }>();
  for (const failure of failures) {
    const id = `${failure.aspect}\0${failure.cause}`;
    const known = groups.get(id);
    if (known) known.all.push(failure);
    else groups.set(id, { first: failure, all: [failure] });
  }
  return [...groups.values()]
    .map(({ first, all }) => ({ aspect: first.aspect, cause: first.cause, first, failures: all }))
    .sort((a, b) => b.failures.length - a.failures.length);
}
