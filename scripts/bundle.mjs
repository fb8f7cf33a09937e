// TypeScript of ours put into one file, made anew when a source was written since: programs start quickly without a build step.
import { existsSync, readdirSync, renameSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
/** When anything that goes in was last written: files, and folders, where files come and go. */
function newest(path) {
  let last = statSync(path).mtimeMs;
  for (const f of readdirSync(path, { withFileTypes: true })) {
    if (['node_modules', '.next', 'e2e', 'public'].includes(f.name) || f.name.endsWith('.test.ts')) continue;
    const at = join(path, f.name);
    last = Math.max(last, f.isDirectory() ? newest(at) : statSync(at).mtimeMs);
  }
  return last;
}
/** Runs a program of ours: `entry` under the name `name`, made of what lies in `folders`. */
export async function runBundled(name, entry, folders) {
  const stamp = Math.max(...folders.map((f) => newest(join(root, f))), statSync(join(root, 'package-lock.json')).mtimeMs);
  const cache = join(root, '.cache', name);
  const home = join(cache, Math.round(stamp).toString(36));
  if (!existsSync(home)) {
    const { build } = await import('esbuild');
    // written aside and moved whole: another call may do the same
    const aside = `${home}-${process.pid}`;
    await build({
      absWorkingDir: root,
      entryPoints: { main: entry, 'kernel.thread': 'engine/kernel.thread.ts' },
      outdir: aside,
      outExtension: { '.js': '.mjs' },
      bundle: true,
      platform: 'node',
      format: 'esm',
      target: 'node20',
      sourcemap: 'inline',
      // our own packages go in, all others stay where they are
      plugins: [
        {
          name: 'others stay',
          setup: (b) =>
            b.onResolve({ filter: /^[^./]/ }, (a) => (a.path.startsWith('@ample-skin/') ? undefined : { path: a.path, external: true })),
        },
      ],
      logLevel: 'error',
    });
    try {
      renameSync(aside, home);
    } catch {
      rmSync(aside, { recursive: true, force: true });
    }
    // what was made of older sources goes, unless a call may still be reading it
    for (const old of readdirSync(cache)) {
      // another call may have taken it away already
      const made = statSync(join(cache, old), { throwIfNoEntry: false })?.mtimeMs ?? Infinity;
      if (made < Date.now() - 3_600_000) rmSync(join(cache, old), { recursive: true, force: true });
    }
  }
  await import(pathToFileURL(join(home, 'main.mjs')).href);
}
