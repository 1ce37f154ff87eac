// Debian's Chromium under Playwright, without any request of its own to the outside.
import { existsSync } from 'node:fs';
import { chromium } from '@playwright/test';

export const CHROMIUM =
  ['/usr/bin/chromium-headless-shell', '/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'].find((file) =>
    existsSync(file),
  ) ?? 'chromium';
export const CHROMIUM_ARGS = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];
export const launchChromium = () => chromium.launch({ executablePath: CHROMIUM, args: CHROMIUM_ARGS });
