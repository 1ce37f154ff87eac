/** @type {import('next').NextConfig} Plain JavaScript: it is read at each start, and need not be translated first. */
const config = {
  reactStrictMode: true,
  poweredByHeader: false,
  // Types are checked by `npm test`: whoever starts the application for the first time need not wait for that as well.
  typescript: { ignoreBuildErrors: true },
  // Writing down what the next build can use takes a fifth of a first one: only who builds again needs it.
  experimental: { turbopackFileSystemCacheForBuild: process.env['CAREFUL_VAULT_BUILDS_AGAIN'] === '1' },
};
export default config;
