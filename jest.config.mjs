import { pureSuites } from './scripts/tests/groups.mjs';

const swc = {
  '^.+\\.(t|j)sx?$': [
    '@swc/jest',
    { jsc: { parser: { syntax: 'typescript', tsx: true }, target: 'es2022', transform: { react: { runtime: 'automatic' } } } },
  ],
};
const moduleNameMapper = { '^@/(.*)$': '<rootDir>/src/$1' };

/** What takes long has a name of its own: `*.long.test.ts`, run by `npm run test:long`. `any`: whatever fits a pattern. */
const which = process.env.CAREFUL_VAULT_TESTS ?? 'short';
const long = '/[^/]+\\.long\\.test\\.tsx?$';
/** In a whole run, files that need nothing of their own stand together: `scripts/tests/groups.mjs`. */
const together = process.env.CAREFUL_VAULT_GROUPS === '1' ? pureSuites().map((file) => `/${file.replaceAll('.', '\\.')}$`) : [];

const config = {
  testEnvironment: '<rootDir>/src/test-support/timed-environment.mjs',
  testSequencer: '<rootDir>/scripts/tests/sequencer.mjs',
  reporters: ['default', '<rootDir>/scripts/tests/unit-reporter.mjs'],
  transform: swc,
  moduleNameMapper,
  roots: ['<rootDir>/src', ...(together.length > 0 ? ['<rootDir>/.cache/groups'] : [])],
  testRegex: [which === 'long' ? `/src/.*${long}` : '/(src|\\.cache/groups)/.*\\.test\\.tsx?$'],
  testPathIgnorePatterns: ['/node_modules/', ...(which === 'short' ? [long] : []), ...together],
  cacheDirectory: '<rootDir>/.cache/jest',
  globalSetup: '<rootDir>/src/test-support/global-setup.mjs',
  // For a test that hangs; a busy machine takes minutes for what a quiet one does in seconds.
  testTimeout: 600_000,
  maxWorkers: 2,
};

export default config;
