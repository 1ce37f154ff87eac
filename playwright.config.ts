import { defineConfig } from '@playwright/test';
import { CHROMIUM, CHROMIUM_ARGS } from './scripts/chromium.mjs';

const which = process.env['CAREFUL_VAULT_TESTS'] ?? 'short';

export default defineConfig({
  testDir: 'e2e',
  // What takes long has a name of its own: `*.long.spec.ts`, run by `npm run test:long`. `any`: whatever fits a pattern.
  testMatch: which === 'long' ? '*.long.spec.ts' : '*.spec.ts',
  testIgnore: which === 'short' ? '*.long.spec.ts' : [],
  fullyParallel: false,
  workers: 2,
  // For a test that hangs: a busy machine takes minutes for what a quiet one does in seconds, and no test is of time.
  timeout: 400_000,
  expect: { timeout: 150_000 },
  reporter: [['list'], ['./scripts/tests/browser-reporter.mjs']],
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: { executablePath: CHROMIUM, args: CHROMIUM_ARGS },
    trace: 'off',
    // What glides and fades costs a processor without a graphics card more than all else; that it can be turned off is a promise of its own.
    contextOptions: { reducedMotion: 'reduce' },
  },
});
