// Writes core/tools/index.ts (definitions) and core/tools/evaluations.ts (with their mathematics) from the files in core/tools: a tool is
// a pair of files, nothing else to touch when one is added.
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const dir = fileURLToPath(new URL('../core/tools/', import.meta.url));
const files = readdirSync(dir)
  .filter((f) => f.endsWith('.evaluate.ts'))
  .map((f) => f.replace('.evaluate.ts', ''))
  .sort();
for (const f of files) if (!existsSync(`${dir}${f}.ts`)) throw new Error(`core/tools/${f}.evaluate.ts has no definition beside it`);
const camel = (f) => f.replace(/-(.)/g, (_, c) => c.toUpperCase());
const head = '// Made by scripts/tools-index.mjs from the files of this folder.\n';
const list = (ending) => files.map((f) => `import ${camel(f)} from './${f}${ending}';`).join('\n');
const names = `[${files.map(camel).join(', ')}]`;
const write = (name, text) => {
  const target = `${dir}${name}`;
  let old = '';
  try {
    old = readFileSync(target, 'utf8');
  } catch {}
  if (old !== text) writeFileSync(target, text);
};
write(
  'index.ts',
  `${head}import type { Tool } from '../recipe/index.ts';
${list('.ts')}

const list: readonly Tool[] = ${names};
/** Every tool by its id, without its mathematics: the one source for bench, cards, command line, schema and help. */
export const TOOLS: ReadonlyMap<string, Tool> = new Map(list.map((t) => [t.id, t]));
`,
);
write(
  'evaluations.ts',
  `${head}import type { RunnableTool } from '../recipe/index.ts';
${list('.evaluate.ts')}

const list: readonly RunnableTool[] = ${names};
/** Every tool with its mathematics, by its id: for workers, the command line and tests. */
export const RUNNABLE: ReadonlyMap<string, RunnableTool> = new Map(list.map((t) => [t.id, t]));
`,
);
