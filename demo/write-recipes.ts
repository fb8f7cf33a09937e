import { writeFileSync } from 'node:fs';
import { DEMO_MODELS } from './index.ts';

/** Writes the demo recipes as JSON beside this file, for the command line: npm run demo:write */
for (const d of DEMO_MODELS) writeFileSync(new URL(`./recipes/${d.slug}.json`, import.meta.url), `${JSON.stringify(d.model, null, 2)}\n`);
