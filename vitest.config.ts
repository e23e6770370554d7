import { defineConfig } from 'vitest/config';
import { CountsReporter } from './test/helpers/counts-reporter.js';
import { LongestFirst } from './test/helpers/longest-first.js';
import { SkippedReporter } from './test/helpers/skipped-reporter.js';

export default defineConfig({
  test: {
    reporters: ['default', new SkippedReporter(), new CountsReporter()],
    sequence: { sequencer: LongestFirst },
    setupFiles: ['test/helpers/setup.ts'],
    testTimeout: 180_000,
    hookTimeout: 240_000,
    // The built program is run as it is.
    server: { deps: { external: [/\/dist\//] } },
    pool: 'forks',
    // Many tests wait for a browser, a store or a name server more than they work.
    poolOptions: { forks: { maxForks: 4 } },
    projects: [
      {
        extends: true,
        test: {
          name: 'pure',
          include: ['src/core/**/*.test.ts'],
          poolOptions: { forks: { isolate: false } },
        },
      },
      {
        extends: true,
        test: {
          name: 'program',
          include: ['src/**/*.test.ts', 'test/**/*.test.ts'],
          exclude: ['src/core/**'],
          globalSetup: ['test/helpers/whole-run.ts'],
        },
      },
    ],
  },
});
