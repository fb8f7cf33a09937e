// Compresses the built static files once, so that the server only hands them out: text best, the kernel well.
import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { brotliCompressSync, constants } from 'node:zlib';

const dir = fileURLToPath(new URL('../studio/.next/static/', import.meta.url));
const files = (path) => readdirSync(path).flatMap((f) => (statSync(join(path, f)).isDirectory() ? files(join(path, f)) : [join(path, f)]));
for (const f of files(dir)) {
  if (!/\.(js|css|wasm|svg|json|txt)$/.test(f)) continue;
  const data = readFileSync(f);
  if (data.length < 1024) continue;
  const quality = f.endsWith('.wasm') ? 9 : 11;
  const small = brotliCompressSync(data, {
    params: {
      [constants.BROTLI_PARAM_QUALITY]: quality,
      [constants.BROTLI_PARAM_SIZE_HINT]: data.length,
      [constants.BROTLI_PARAM_LGWIN]: 22,
    },
  });
  if (small.length < data.length) writeFileSync(`${f}.br`, small);
}
