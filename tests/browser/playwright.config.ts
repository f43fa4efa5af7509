import { defineConfig } from '@playwright/test';
import { chromiumArguments, chromiumPath } from '../../scripts/chromium.mjs';

export default defineConfig({
  testDir: '.',
  globalSetup: './systems.ts',
  outputDir: '../../test-results',
  // Bounds for a test that hangs, not for how fast a machine is.
  timeout: 240_000,
  expect: { timeout: 30_000 },
  // A machine that stands still for a while fails a test that is right. What passes at its second try is named in the output.
  retries: 1,
  // A practice affiliate network knows one postback URL: who sets it must not be disturbed. The rest goes beside.
  workers: 2,
  // So that both workers end at about the same time: the first takes `demo` and `desks`, the second the others.
  projects: [
    { name: 'demo', testMatch: /(screens|money|watches)\.spec\.ts$/, workers: 1 },
    { name: 'partners', testMatch: /(loop|setup|night|advertiser)\.spec\.ts$/, workers: 1 },
    {
      name: 'desks',
      testMatch: /(feeds|forms|routing|arrival|partners|partnerPage)\.spec\.ts$/,
      workers: 1,
    },
    { name: 'chains', testMatch: /chains\.spec\.ts$/, workers: 1 },
  ],
  reporter: [['list'], ['json']],
  use: {
    viewport: { width: 1280, height: 800 },
    reducedMotion: 'reduce',
    permissions: ['clipboard-read', 'clipboard-write'],
    launchOptions: { executablePath: chromiumPath() ?? undefined, args: chromiumArguments },
    trace: 'off',
    actionTimeout: 40_000,
  },
});
