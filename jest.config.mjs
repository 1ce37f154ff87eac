const swc = {
  '^.+\\.(t|j)sx?$': [
    '@swc/jest',
    { jsc: { parser: { syntax: 'typescript', tsx: true }, target: 'es2022', transform: { react: { runtime: 'automatic' } } } },
  ],
};
const moduleNameMapper = { '^@/(.*)$': '<rootDir>/src/$1' };

const config = {
  testEnvironment: 'node',
  transform: swc,
  moduleNameMapper,
  testMatch: ['<rootDir>/src/**/*.test.ts', '<rootDir>/src/**/*.test.tsx'],
  globalSetup: '<rootDir>/src/test-support/global-setup.mjs',
  // For a test that hangs; a busy machine takes minutes for what a quiet one does in seconds.
  testTimeout: 600_000,
  maxWorkers: 2,
};

export default config;
