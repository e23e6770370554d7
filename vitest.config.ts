import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['src/**/*.test.ts', 'test/**/*.test.ts'],
    setupFiles: ['test/helpers/setup.ts'],
    testTimeout: 180_000,
    hookTimeout: 240_000,
    pool: 'forks',
    poolOptions: { forks: { maxForks: 2 } },
  },
});
