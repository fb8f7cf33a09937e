import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['{core,engine,cli,studio,demo}/**/*.test.ts'],
    exclude: ['**/node_modules/**', '**/.next/**'],
    pool: 'forks',
    maxWorkers: 2,
    testTimeout: 300_000,
    hookTimeout: 300_000,
  },
});
