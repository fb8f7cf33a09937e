// Pictures of all tools, made from their examples, and the page of tools for readers. npm run help:write
import { mkdirSync, writeFileSync } from 'node:fs';
import { pictureOfTool } from '../core/help/of-tool.ts';
import { RUNNABLE } from '../core/tools/evaluations.ts';

const only = process.argv[2];
const folder = new URL('../studio/public/help/', import.meta.url);
mkdirSync(folder, { recursive: true });
for (const tool of RUNNABLE.values()) {
  if (only && tool.id !== only) continue;
  try {
    const svg = await pictureOfTool(tool);
    writeFileSync(new URL(`${tool.id}.svg`, folder), svg);
    if (svg.length > 30_000 || svg.length < 600) console.log(tool.id, svg.length);
  } catch (e) {
    console.log(tool.id, String(e));
  }
}
