import type { NextConfig } from 'next';

/**
 * What the engine's worker may do: it reads whatever images hold, and may reach nothing but its own scripts. A worker is
 * bound by the policy that its script comes with. The service worker, which answers for the server, is bound by its own.
 */
const WORKER_POLICY = "default-src 'none'; script-src 'self' 'wasm-unsafe-eval'; connect-src 'none'";

const config: NextConfig = {
  reactStrictMode: true,
  poweredByHeader: false,
  devIndicators: false,
  // Served to the machine it runs on: packing what is loaded takes longer there than loading it.
  compress: false,
  // Types are a check of their own (`npm run types`, and in `npm test`): a build would only do the same again.
  typescript: { ignoreBuildErrors: true },
  headers: async () => [
    {
      source: '/:path*',
      headers: [
        { key: 'x-content-type-options', value: 'nosniff' },
        { key: 'referrer-policy', value: 'no-referrer' },
        { key: 'cross-origin-opener-policy', value: 'same-origin' },
        { key: 'cross-origin-resource-policy', value: 'same-origin' },
      ],
    },
    {
      source: '/_next/static/:path*',
      headers: [{ key: 'content-security-policy', value: WORKER_POLICY }],
    },
    {
      source: '/sw.js',
      headers: [
        { key: 'content-security-policy', value: "default-src 'none'; connect-src 'self'" },
        { key: 'cache-control', value: 'no-cache' },
      ],
    },
  ],
};

export default config;
