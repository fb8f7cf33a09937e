// Writes core/tools/index.ts from the files in core/tools: one file a tool, nothing else to touch when one is added.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const dir = fileURLToPath(new URL('../core/tools/', import.meta.url));
const files = readdirSync(dir)
  .filter((f) => f.endsWith('.ts') && f !== 'index.ts' && !f.endsWith('.test.ts'))
  .sort();
const camel = (f) => f.replace(/\.ts$/, '').replace(/-(.)/g, (_, c) => c.toUpperCase());
const text = `// Made by scripts/tools-index.mjs from the files of this folder.
import type { Tool } from '../recipe/index.ts';
${files.map((f) => `import ${camel(f)} from './${f}';`).join('\n')}

const list: readonly Tool[] = [${files.map(camel).join(', ')}];
/** Every tool by its id: the one source for bench, cards, command line, schema and help. */
export const TOOLS: ReadonlyMap<string, Tool> = new Map(list.map((t) => [t.id, t]));
`;
const target = `${dir}index.ts`;
let old = '';
try {
  old = readFileSync(target, 'utf8');
} catch {}
if (old !== text) writeFileSync(target, text);
