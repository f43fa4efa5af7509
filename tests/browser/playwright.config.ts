import { defineConfig } from '@playwright/test';
import { chromiumArguments } from '../../scripts/chromium.mjs';

export default defineConfig({
  testDir: '.',
  outputDir: '../../test-results',
  timeout: 120_000,
  expect: { timeout: 10_000 },
  // A file is a whole system of its own; two of them beside each other wait less than they take from each other.
  workers: 2,
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
