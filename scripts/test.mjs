// Everything that is tested, in one run: types, lint, units, the browser journeys. Prints one closing line with the counts.
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
let passed = 0;
let failed = 0;
let skipped = 0;
function run(name, args, count) {
  console.log(`\n== ${name}`);
  const r = spawnSync('npx', args, { cwd: root, stdio: ['ignore', 'inherit', 'inherit'], env: { ...process.env, FORCE_COLOR: '0' } });
  const counted = count?.();
  if (counted) {
    passed += counted.passed;
    failed += counted.failed;
    skipped += counted.skipped;
    if (r.status !== 0 && counted.failed === 0) failed++;
  } else if (r.status === 0) passed++;
  else failed++;
}
const json = (file) => JSON.parse(readFileSync(join(root, '.cache', file), 'utf8'));
const safe = (read) => () => {
  try {
    return read();
  } catch {
    return { passed: 0, failed: 1, skipped: 0 };
  }
};
run('types', ['tsc', '-p', 'tsconfig.json', '--noEmit']);
run('lint', ['biome', 'check', '.']);
run(
  'units',
  ['vitest', 'run', '--reporter=default', '--reporter=json', '--outputFile.json=.cache/units.json'],
  safe(() => {
    const r = json('units.json');
    return { passed: r.numPassedTests, failed: r.numFailedTests + (r.success || r.numFailedTests ? 0 : 1), skipped: r.numPendingTests };
  }),
);
run(
  'journeys',
  ['playwright', 'test', '-c', 'studio/playwright.config.ts'],
  safe(() => {
    const r = json('journeys.json');
    return { passed: r.stats.expected, failed: r.stats.unexpected + r.stats.flaky, skipped: r.stats.skipped };
  }),
);
console.log(`\n${passed} passed, ${failed} failed, ${skipped} skipped`);
process.exit(failed ? 1 : 0);
