// Serves the built studio on 127.0.0.1 (HOST and PORT change that). Static files go out compressed as they were at the build and are kept
// for ever by the browser; everything else is Next's. Requests of other origins and under foreign names are turned away at the door.
import { randomBytes } from 'node:crypto';
import { createReadStream, existsSync, statSync } from 'node:fs';
import { createServer } from 'node:http';
import { extname, join, normalize } from 'node:path';
import { fileURLToPath } from 'node:url';
import { refusal } from '../studio/app/api/guard.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const studio = join(root, 'studio');
const host = process.env.HOST ?? '127.0.0.1';
const port = Number(process.env.PORT ?? 3000);
process.env.NODE_ENV = 'production';
process.env.NEXT_TELEMETRY_DISABLED = '1';
process.env.AMPLE_DATA ??= join(root, 'data');
const open = !/^(127\.|localhost$|\[?::1)/.test(host);
if (open && !process.env.AMPLE_TOKEN) {
  // reachable by others: only who knows the word may come in
  process.env.AMPLE_TOKEN = randomBytes(18).toString('base64url');
  console.log(
    `\nThis server is reachable from other machines. Open it once with the word in the address:\n  http://${host === '0.0.0.0' ? '<this machine>' : host}:${port}/?token=${process.env.AMPLE_TOKEN}\n(AMPLE_TOKEN sets a word of your own, AMPLE_HOSTS the names it is reached by.)\n`,
  );
}
process.chdir(studio);
const { default: next } = await import('next');
const app = next({ dev: false, dir: studio, hostname: host, port });
const handle = app.getRequestHandler();
await app.prepare();

const TYPES = {
  '.js': 'application/javascript; charset=UTF-8',
  '.css': 'text/css; charset=UTF-8',
  '.wasm': 'application/wasm',
  '.svg': 'image/svg+xml',
  '.json': 'application/json',
  '.txt': 'text/plain',
  '.woff2': 'font/woff2',
};
const WORKER_POLICY = "default-src 'self'; script-src 'self' 'unsafe-eval' 'wasm-unsafe-eval'; connect-src 'self'; worker-src 'self'";
/** A file of the build, compressed where the browser takes it. True when it was answered. */
function sendStatic(req, res) {
  const path = decodeURIComponent(new URL(req.url, 'http://x').pathname);
  if (!path.startsWith('/_next/static/') || (req.method !== 'GET' && req.method !== 'HEAD')) return false;
  const file = normalize(join(studio, '.next', path.slice('/_next/'.length)));
  if (!file.startsWith(join(studio, '.next', 'static')) || !existsSync(file) || !statSync(file).isFile()) return false;
  const br = /\bbr\b/.test(req.headers['accept-encoding'] ?? '') && existsSync(`${file}.br`);
  const from = br ? `${file}.br` : file;
  res.writeHead(200, {
    'content-type': TYPES[extname(file)] ?? 'application/octet-stream',
    'content-length': statSync(from).size,
    'cache-control': 'public, max-age=31536000, immutable',
    vary: 'accept-encoding',
    'x-content-type-options': 'nosniff',
    'cross-origin-resource-policy': 'same-origin',
    // only what a worker starts from is a document of its own with a policy of its own
    ...(/\/turbopack-[^/]*\.js$/.test(path)
      ? { 'content-security-policy': WORKER_POLICY, 'cross-origin-embedder-policy': 'require-corp' }
      : {}),
    ...(br ? { 'content-encoding': 'br' } : {}),
  });
  if (req.method === 'HEAD') res.end();
  else createReadStream(from).pipe(res);
  return true;
}
/** With a token: the word in the address becomes a cookie; without either nothing is answered. */
function admitted(req, res) {
  const token = process.env.AMPLE_TOKEN;
  if (!token) return true;
  const url = new URL(req.url, 'http://x');
  if (url.searchParams.get('token') === token) {
    url.searchParams.delete('token');
    res.writeHead(303, {
      'set-cookie': `ample=${token}; HttpOnly; SameSite=Strict; Path=/; Max-Age=31536000`,
      location: url.pathname + url.search,
    });
    res.end();
    return false;
  }
  if ((req.headers.cookie ?? '').split(/;\s*/).includes(`ample=${token}`) || req.headers.authorization === `Bearer ${token}`) return true;
  res.writeHead(401, { 'content-type': 'application/json' });
  res.end(JSON.stringify({ message: 'This server asks for its token: open it with ?token=…' }));
  return false;
}
function answer(req, res) {
  const say = (status, message) => {
    res.writeHead(status, { 'content-type': 'application/json' });
    res.end(JSON.stringify({ message }));
  };
  const no = refusal({ method: req.method ?? 'GET', url: req.url ?? '/', header: (n) => req.headers[n] }, { host, port });
  if (no) return say(no.status, no.message);
  try {
    decodeURIComponent(new URL(req.url, 'http://x').pathname);
  } catch {
    return say(400, 'This address cannot be read');
  }
  if (admitted(req, res) && !sendStatic(req, res)) handle(req, res).catch(() => res.destroy());
}
const server = createServer(answer);
server.requestTimeout = 0;
server.listen(port, host, () => console.log(`Ample Skin on http://${host}:${port}`));
for (const s of ['SIGINT', 'SIGTERM'])
  process.on(s, () => {
    server.close();
    server.closeAllConnections();
    process.exit(0);
  });
