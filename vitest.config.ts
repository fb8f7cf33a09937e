import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['{core,engine,cli,studio,demo}/**/*.test.ts'],
    exclude: ['**/node_modules/**', '**/.next/**'],
    // files that tests store go to a folder of their own
    env: { AMPLE_DATA: mkdtempSync(join(tmpdir(), 'ample-units-')) },
    setupFiles: ['core/testing/seed.ts'],
    pool: 'forks',
    maxWorkers: 2,
    testTimeout: 300_000,
    hookTimeout: 300_000,
  },
});
