// Pictures of all tools, made from their examples, and the pages for readers: npm run help:write. With ids only the pictures of those tools.
import { mkdirSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { pictureOfTool } from '../core/help/of-tool.ts';
import { guidePage, toolsPage } from '../core/help/page.ts';
import { TOPICS } from '../core/help/topics.ts';
import { RUNNABLE } from '../core/tools/evaluations.ts';
import { TOOLS } from '../core/tools/index.ts';

const only = process.argv.slice(2);
const folder = new URL('../studio/public/help/', import.meta.url);
mkdirSync(folder, { recursive: true });
for (const f of readdirSync(folder)) if (!RUNNABLE.has(f.replace(/\.svg$/, ''))) rmSync(new URL(f, folder));
for (const tool of RUNNABLE.values())
  if (!only.length || only.includes(tool.id)) writeFileSync(new URL(`${tool.id}.svg`, folder), await pictureOfTool(tool));
writeFileSync(new URL('../docs/tools.md', import.meta.url), toolsPage(TOOLS));
writeFileSync(new URL('../docs/guide.md', import.meta.url), guidePage(TOPICS));
console.log(`${only.length || RUNNABLE.size} pictures, docs/tools.md, docs/guide.md`);
