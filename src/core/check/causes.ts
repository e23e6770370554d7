/** Failures that share a cause. */
import type { Failure } from './compare-answer.js';

export interface Cause {
  readonly aspect: Failure['aspect'];
  readonly fix: string;
  /** At least one. */
  readonly failures: readonly Failure[];
  readonly first: Failure;
}

/** Groups failures by what is wrong and what cures it, the largest group first. */
export function groupFailures(failures: readonly Failure[]): Cause[] {
  const groups = new Map<string, { first: Failure; all: Failure[] }>();
  for (const failure of failures) {
    const id = `${failure.aspect}\0${failure.fix}`;
    const known = groups.get(id);
    if (known) known.all.push(failure);
    else groups.set(id, { first: failure, all: [failure] });
  }
  return [...groups.values()]
    .map(({ first, all }) => ({ aspect: first.aspect, fix: first.fix, first, failures: all }))
    .sort((a, b) => b.failures.length - a.failures.length);
}
