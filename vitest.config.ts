import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['{core,engine,cli,studio,demo}/**/*.test.ts'],
    exclude: ['**/node_modules/**', '**/.next/**'],
    pool: 'forks',
    maxWorkers: 2,
    testTimeout: 90_000,
    hookTimeout: 90_000,
  },
});
