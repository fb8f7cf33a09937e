import type { NextConfig } from 'next';

const page = [
  "default-src 'self'",
  "script-src 'self' 'unsafe-inline' 'wasm-unsafe-eval'",
  "style-src 'self' 'unsafe-inline'",
  "img-src 'self' data: blob:",
  "font-src 'self'",
  "connect-src 'self'",
  "worker-src 'self'",
  "object-src 'none'",
  "base-uri 'self'",
  "frame-ancestors 'none'",
].join('; ');
const development = process.env.NODE_ENV === 'development';

const config: NextConfig = {
  transpilePackages: ['@ample-skin/core', '@ample-skin/engine', '@ample-skin/demo'],
  serverExternalPackages: ['@electric-sql/pglite', 'replicad-opencascadejs', 'manifold-3d', 'pg'],
  turbopack: { resolveAlias: { module: { browser: './workers/no-module.ts' } } },
  allowedDevOrigins: ['127.0.0.1'],
  reactStrictMode: false,
  poweredByHeader: false,
  typescript: { ignoreBuildErrors: true },
  headers: async () => [
    {
      source: '/:path*',
      headers: [
        ...(development ? [] : [{ key: 'Content-Security-Policy', value: page }]),
        { key: 'X-Content-Type-Options', value: 'nosniff' },
        { key: 'Referrer-Policy', value: 'no-referrer' },
        { key: 'Cross-Origin-Opener-Policy', value: 'same-origin' },
        { key: 'Cross-Origin-Embedder-Policy', value: 'require-corp' },
      ],
    },
    // the kernel's bindings build functions at start; only worker scripts under this path may do so
    {
      source: '/_next/static/:path*',
      headers: development
        ? []
        : [
            {
              key: 'Content-Security-Policy',
              value: "default-src 'self'; script-src 'self' 'unsafe-eval' 'wasm-unsafe-eval'; connect-src 'self'; worker-src 'self'",
            },
          ],
    },
  ],
};
export default config;
