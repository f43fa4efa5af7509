import { existsSync } from 'node:fs';

/** Debian's two builds of the same browser. The shell draws no windows: it takes a fifth less processor time. */
const builds = { shell: '/usr/bin/chromium-headless-shell', whole: '/usr/bin/chromium' };

/** The program that runs the browser tests and takes the pictures; null when there is none. */
export const chromiumPath = () => Object.values(builds).find((path) => existsSync(path)) ?? null;
export const hasShell = () => existsSync(builds.shell);

/** How Chromium is started headless, also as root and without a network: nothing of its own leaves the machine. */
export const chromiumArguments = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  // A page of a test lives for seconds: what the slowest of the optimizing compilers gains is less than what it takes. The
  // one before it, Maglev, compiles a function only after eight times as many runs as usual.
  '--js-flags=--no-opt --invocation-count-for-maglev=3200 --interrupt-budget-for-maglev=240000',
];
