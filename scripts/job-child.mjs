// The process beside the server that does heavy work, one item after the other (studio/jobs/local.ts starts it).
import { runBundled } from './bundle.mjs';

await runBundled('job-child', 'studio/jobs/child.ts', ['core', 'engine', 'studio/jobs']);
