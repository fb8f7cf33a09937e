import { execFileSync, spawnSync } from 'node:child_process';
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, it } from 'vitest';

const root = fileURLToPath(new URL('..', import.meta.url));
/** What the linter says of one line of code standing in a room. */
function lint(place: string, code: string): string {
  const file = join(root, place);
  writeFileSync(file, code);
  try {
    const r = spawnSync(process.execPath, [join(root, 'node_modules/@biomejs/biome/bin/biome'), 'lint', '--vcs-enabled=false', file], {
      cwd: root,
      encoding: 'utf8',
    });
    return `${r.status}\n${r.stdout}${r.stderr}`;
  } finally {
    rmSync(file, { force: true });
  }
}

describe('arrows between rooms point one way', () => {
  it.each([
    [
      'core/math/breach-a.ts',
      "import { Session } from '@ample-skin/engine';\nexport const x = Session;\n",
      'core knows nothing of its hosts',
    ],
    ['core/skins/breach-b.ts', "import { readFileSync } from 'node:fs';\nexport const x = readFileSync;\n", 'noNodejsModules'],
    [
      'core/brep/breach-c.ts',
      "import init from 'replicad-opencascadejs';\nexport const x = init;\n",
      'only the adapter talks to the kernel',
    ],
    ['core/sketch/breach-d.ts', "import { useState } from 'react';\nexport const x = useState;\n", 'core knows nothing of its hosts'],
    ['engine/breach-e.ts', "import { useStudio } from '@ample-skin/studio';\nexport const x = useStudio;\n", 'engine hosts core'],
  ])('%s is refused', (place, code, reason) => {
    const said = lint(place, code);
    expect(said.startsWith('0')).toBe(false);
    expect(said).toContain(reason);
  });
  it('and what is allowed passes', () => {
    expect(lint('engine/fine.ts', "import { length } from '@ample-skin/core/math';\n\nexport const x = length;\n").startsWith('0')).toBe(
      true,
    );
  });
});

describe('the house', () => {
  it('no file of the project carries a path of a machine or a registry host', () => {
    const files = execFileSync('git', ['ls-files'], { cwd: root, encoding: 'utf8' })
      .split('\n')
      .filter((f) => /\.(ts|tsx|mjs|json|md|sql|css)$/.test(f) && !f.endsWith('rooms.test.ts'));
    const bad = files.filter((f) => /\/home\/\w|\/work\/|registry\.npmjs|"resolved": "http/.test(readFileSync(join(root, f), 'utf8')));
    expect(bad).toEqual([]);
  });
  it('each tool is a pair of files, and both lists of tools are made from the folder', () => {
    const tools = readdirSync(join(root, 'core/tools')).filter((f) => f.endsWith('.evaluate.ts'));
    const definitions = readFileSync(join(root, 'core/tools/index.ts'), 'utf8');
    const runnable = readFileSync(join(root, 'core/tools/evaluations.ts'), 'utf8');
    expect(tools.length).toBeGreaterThan(40);
    for (const t of tools) {
      expect(runnable).toContain(`'./${t}'`);
      expect(definitions).toContain(`'./${t.replace('.evaluate', '')}'`);
    }
  });
  it('definitions of tools load no mathematics', () => {
    const dir = join(root, 'core/tools');
    const definitions = readdirSync(dir)
      .filter((f) => f.endsWith('.evaluate.ts'))
      .map((f) => f.replace('.evaluate', ''));
    for (const f of definitions) {
      const from = [...readFileSync(join(dir, f), 'utf8').matchAll(/^(import [^;]*?) from '([^']+)';/gms)]
        .filter(([, what]) => !what.startsWith('import type'))
        .map((m) => m[2]);
      expect([
        f,
        from.filter(
          (x) => !['zod', '../recipe/define.ts', '../sketch/model.ts', '../exchange/formats.ts', '../sheets/formats.ts'].includes(x),
        ),
      ]).toEqual([f, []]);
    }
  });
});
