import { existsSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { defineConfig } from '@playwright/test';

const root = fileURLToPath(new URL('..', import.meta.url));
const port = 3611;
const chromium = [process.env.CHROMIUM, '/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'].find(
  (p) => p && existsSync(p),
);
const data = join(tmpdir(), `ample-e2e-${process.ppid}`);

export default defineConfig({
  testDir: './e2e',
  // each with a browser of its own; journeys wait for events, never for the clock
  workers: 2,
  timeout: 480_000,
  expect: { timeout: 60_000 },
  reporter: [['list'], ['json', { outputFile: '../.cache/journeys.json' }]],
  outputDir: '../test-results',
  use: {
    actionTimeout: 60_000,
    screenshot: 'only-on-failure',
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: chromium,
      args: [
        '--no-sandbox',
        '--disable-dev-shm-usage',
        '--use-gl=angle',
        '--use-angle=swiftshader',
        '--enable-unsafe-swiftshader',
        '--ignore-gpu-blocklist',
        '--disable-background-networking',
      ],
    },
  },
  webServer: {
    command: 'rm -rf "$AMPLE_DATA" && npx tsx studio/db/prepare.ts && node scripts/serve.mjs',
    cwd: root,
    url: `http://127.0.0.1:${port}/api/health`,
    env: { PORT: String(port), AMPLE_DATA: data },
    timeout: 120_000,
    reuseExistingServer: false,
  },
});
