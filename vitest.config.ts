import { defineConfig } from 'vitest/config';
import { SkippedReporter } from './test/helpers/skipped-reporter.js';

export default defineConfig({
  test: {
    include: ['src/**/*.test.ts', 'test/**/*.test.ts'],
    globalSetup: ['test/helpers/whole-run.ts'],
    setupFiles: ['test/helpers/setup.ts'],
    reporters: ['default', new SkippedReporter()],
    testTimeout: 180_000,
    hookTimeout: 240_000,
    // The built program is run as it is.
    server: { deps: { external: [/\/dist\//] } },
    pool: 'forks',
    poolOptions: { forks: { maxForks: 2 } },
  },
});
