/** Writes what a run came to into a file, for who started it: `FENESTRA_RUN_REPORT` names it. */
import { writeFileSync } from 'node:fs';
import { relative } from 'node:path';
import type { Reporter, SerializedError, TestModule } from 'vitest/node';

/** Names of failed tests; of a set-up that failed, what it is of. */
export interface FileReport {
  readonly passed: number;
  readonly skipped: number;
  readonly failed: readonly string[];
}
/** By the path of the file from here. */
export interface RunReport {
  readonly files: Readonly<Record<string, FileReport>>;
  readonly unhandled: number;
}

export class CountsReporter implements Reporter {
  onTestRunEnd(modules: readonly TestModule[], unhandled: readonly SerializedError[]): void {
    const path = process.env['FENESTRA_RUN_REPORT'];
    if (path === undefined) return;
    const report: RunReport = {
      files: Object.fromEntries(
        modules.map((module) => [relative(process.cwd(), module.moduleId), reportOf(module)]),
      ),
      unhandled: unhandled.length,
    };
    writeFileSync(path, JSON.stringify(report));
  }
}

function reportOf(module: TestModule): FileReport {
  const named = (state: 'passed' | 'skipped' | 'failed'): string[] =>
    [...module.children.allTests(state)].map(({ fullName }) => fullName);
  // What fails in a set-up fails no test of its own.
  const groups = [module, ...module.children.allSuites()].filter((group) => group.errors().length > 0);
  return {
    passed: named('passed').length,
    skipped: named('skipped').length,
    failed: [
      ...named('failed'),
      ...groups.map((group) => `set-up of ${group.type === 'suite' ? group.fullName : 'the file'}`),
    ],
  };
}
