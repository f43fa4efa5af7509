import { defineConfig } from '@playwright/test';
import { chromiumArguments } from '../../scripts/chromium.mjs';

export default defineConfig({
  testDir: '.',
  globalSetup: './systems.ts',
  outputDir: '../../test-results',
  timeout: 120_000,
  expect: { timeout: 10_000 },
  workers: 1,
  reporter: [['list'], ['json']],
  use: {
    viewport: { width: 1280, height: 800 },
    reducedMotion: 'reduce',
    permissions: ['clipboard-read', 'clipboard-write'],
    launchOptions: { executablePath: '/usr/bin/chromium', args: chromiumArguments },
    trace: 'off',
    actionTimeout: 10_000,
  },
});
