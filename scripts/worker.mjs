// A worker for heavy work on the PostgreSQL server of DATABASE_URL: npm run worker. Any number may run, on any machines.
import { runBundled } from './bundle.mjs';

await runBundled('worker', 'studio/jobs/main.ts', ['core', 'engine', 'studio/jobs', 'studio/db']);
