// Serves the built studio on 127.0.0.1 (HOST and PORT change that).
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const host = process.env.HOST ?? '127.0.0.1';
const port = process.env.PORT ?? '3000';
const child = spawn(process.execPath, [join(root, 'node_modules', 'next', 'dist', 'bin', 'next'), 'start', '-H', host, '-p', port], {
  cwd: join(root, 'studio'),
  stdio: 'inherit',
  env: { ...process.env, NODE_ENV: 'production', NEXT_TELEMETRY_DISABLED: '1', AMPLE_DATA: process.env.AMPLE_DATA ?? join(root, 'data') },
});
for (const s of ['SIGINT', 'SIGTERM']) process.on(s, () => child.kill(s));
child.on('exit', (code) => process.exit(code ?? 0));
