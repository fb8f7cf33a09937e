// Brings a checkout to the point where it can serve or be tested: modules, generated lists, Chromium (tests only), build, database.
// Uses nothing but Node itself, because it runs before anything is installed.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const serve = process.argv.includes('--serve');
const test = process.argv.includes('--test');

function run(command, args, options = {}) {
  const r = spawnSync(command, args, { cwd: root, stdio: 'inherit', ...options });
  if (r.status !== 0) {
    console.error(`\n"${command} ${args.join(' ')}" failed (${r.status ?? r.signal}).`);
    process.exit(r.status || 1);
  }
}
const digest = (text) => createHash('sha256').update(text).digest('hex');
const stampFile = (name) => join(root, '.cache', name);
const stamped = (name, value) => existsSync(stampFile(name)) && readFileSync(stampFile(name), 'utf8') === value;
function stamp(name, value) {
  mkdirSync(join(root, '.cache'), { recursive: true });
  writeFileSync(stampFile(name), value);
}

const lock = digest(readFileSync(join(root, 'package-lock.json')));
if (!existsSync(join(root, 'node_modules', 'next')) || !stamped('modules', lock)) {
  console.log('Installing modules…');
  const env = { ...process.env };
  delete env.NODE_ENV;
  run('npm', ['ci', '--include=dev', '--no-audit', '--no-fund'], { env });
  stamp('modules', lock);
}

run(process.execPath, ['scripts/tools-index.mjs']);

const SOURCES = ['core', 'engine', 'demo', 'studio', 'package-lock.json'];
function files(path) {
  if (!existsSync(path)) return [];
  if (statSync(path).isFile()) return [path];
  return readdirSync(path)
    .filter(
      (f) =>
        !['node_modules', '.next', 'e2e', 'test-results', 'playwright-report'].includes(f) &&
        !f.endsWith('.test.ts') &&
        f !== 'next-env.d.ts' &&
        !f.endsWith('.tsbuildinfo'),
    )
    .sort()
    .flatMap((f) => files(join(path, f)));
}
const sources = createHash('sha256');
for (const s of SOURCES) for (const f of files(join(root, s))) sources.update(f.slice(root.length)).update(readFileSync(f));
const build = sources.digest('hex');
if (!existsSync(join(root, 'studio', '.next', 'BUILD_ID')) || !stamped('build', build)) {
  console.log('Building the studio…');
  run('npx', ['next', 'build'], {
    cwd: join(root, 'studio'),
    env: { ...process.env, NODE_ENV: 'production', NEXT_TELEMETRY_DISABLED: '1' },
  });
  run(process.execPath, ['scripts/compress.mjs']);
  stamp('build', build);
}

/** Installs a Debian package. True when it is there afterwards. */
function apt(name) {
  const sudo = process.getuid?.() === 0 ? [] : ['sudo'];
  const call = (...args) => {
    const all = [...sudo, 'apt-get', ...args];
    return spawnSync(all[0], all.slice(1), { stdio: 'inherit', env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' } }).status === 0;
  };
  return call('update') && call('install', '-y', '--no-install-recommends', name);
}
if (test) {
  const known = [process.env.CHROMIUM, '/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'].find(
    (p) => p && existsSync(p),
  );
  if (!known) {
    console.log('Installing Chromium for the browser tests…');
    if (!apt('chromium')) {
      console.error('Chromium could not be installed. Install Debian package "chromium" and run npm test again.');
      process.exit(1);
    }
  }
  if (!existsSync('/usr/lib/postgresql')) {
    console.log('Installing PostgreSQL for the database tests…');
    if (!apt('postgresql')) console.warn('PostgreSQL could not be installed: the database tests run on the embedded one only.');
  }
}
if (serve) {
  console.log('Preparing the database…');
  run('npx', ['tsx', 'studio/db/prepare.ts'], { env: { ...process.env, AMPLE_DATA: process.env.AMPLE_DATA ?? join(root, 'data') } });
}
