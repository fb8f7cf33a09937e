// Lists the licences of everything that is installed, into docs/licences.md.
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const lock = JSON.parse(readFileSync(`${root}package-lock.json`, 'utf8'));
const direct = new Set(
  ['.', 'core', 'engine', 'studio', 'cli', 'demo', 'bench'].flatMap((w) => {
    const p = JSON.parse(readFileSync(`${root}${w}/package.json`, 'utf8'));
    return Object.keys({ ...p.dependencies, ...p.devDependencies }).filter((d) => !d.startsWith('@ample-skin/'));
  }),
);
const rows = [];
const others = new Map();
for (const [path, p] of Object.entries(lock.packages)) {
  if (!path.startsWith('node_modules/') || p.link) continue;
  const name = path.slice(path.lastIndexOf('node_modules/') + 13);
  let licence = p.license ?? '';
  const file = `${root}${path}/package.json`;
  if (!licence && existsSync(file)) {
    const own = JSON.parse(readFileSync(file, 'utf8'));
    licence = typeof own.license === 'string' ? own.license : (own.licenses?.[0]?.type ?? 'see the package');
  }
  if (direct.has(name) && path === `node_modules/${name}`) rows.push(`| ${name} | ${p.version} | ${licence || 'see the package'} |`);
  else others.set(licence || 'see the package', (others.get(licence || 'see the package') ?? 0) + 1);
}
writeFileSync(
  `${root}docs/licences.md`,
  `# Licences of what we build on\n\nMade by \`npm run licences\`.\n\n| package | version | licence |\n| --- | --- | --- |\n${rows.sort().join('\n')}\n\nPackages that these bring along, by licence: ${[
    ...others,
  ]
    .sort((a, b) => b[1] - a[1])
    .map(([l, n]) => `${l} ${n}`)
    .join(
      ' · ',
    )}.\n\nThe geometry kernel (\`replicad-opencascadejs\`, a WebAssembly build of Open CASCADE Technology) is under LGPL-2.1: it is loaded as a separate file, unchanged, behind \`core/brep/port.ts\`, and can be replaced by another build of the same library.\nThe fonts Figtree and JetBrains Mono are under the SIL Open Font License 1.1.\n`,
);
