// The command line, started quickly.
import { runBundled } from '../scripts/bundle.mjs';

await runBundled('cli', 'cli/main.ts', ['core', 'engine', 'cli']);
