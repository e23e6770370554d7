/** Says at the end of a run which tests were skipped, and what each of them lacks. */
import { relative } from 'node:path';
import type { Reporter, TestCase, TestModule } from 'vitest/node';

export class SkippedReporter implements Reporter {
  onTestRunEnd(modules: readonly TestModule[]): void {
    const skipped = modules.flatMap((module) => [...module.children.allTests('skipped')]);
    if (skipped.length === 0) return;
    console.log(`\n${skipped.length} skipped:\n${skipped.map(describeSkipped).join('\n')}`);
  }
}

function describeSkipped(test: TestCase): string {
  const result = test.result();
  const note = result.state === 'skipped' ? result.note : undefined;
  return `  ${relative(process.cwd(), test.module.moduleId)} > ${test.fullName}${note === undefined ? '' : ` [${note}]`}`;
}
