import { defineConfig } from '@playwright/test';
import { CHROMIUM, CHROMIUM_ARGS } from './scripts/chromium.mjs';

export default defineConfig({
  testDir: 'e2e',
  fullyParallel: false,
  workers: 2,
  // For a test that hangs: a busy machine takes minutes for what a quiet one does in seconds, and no test is of time.
  timeout: 400_000,
  expect: { timeout: 150_000 },
  reporter: [['list']],
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: { executablePath: CHROMIUM, args: CHROMIUM_ARGS },
    trace: 'off',
  },
});
