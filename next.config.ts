import type { NextConfig } from 'next';

const config: NextConfig = {
  reactStrictMode: true,
  poweredByHeader: false,
  // Types are checked by `npm test`: whoever starts the application for the first time need not wait for that as well.
  typescript: { ignoreBuildErrors: true },
};
export default config;
