/**
 * Playwright's `test`, with one page for all tests of a worker: opening a new one and loading the desk into it takes two
 * seconds of the processor each time. A test finds it as it would find a new one, but for the screen that is shown.
 */
import { expect as baseExpect, test as base, type Locator, type Page } from '@playwright/test';

/** What a test may have listened to, and no later one has asked for. */
const ofPages = ['console', 'pageerror', 'request', 'response', 'dialog', 'download', 'popup'] as const;

async function asNew(page: Page, permissions: string[]): Promise<void> {
  const context = page.context();
  for (const other of context.pages()) if (other !== page) await other.close();
  for (const event of ofPages) page.removeAllListeners(event);
  for (const event of ['request', 'response', 'page'] as const) context.removeAllListeners(event);
  await page.unrouteAll({ behavior: 'ignoreErrors' });
  await context.unrouteAll({ behavior: 'ignoreErrors' });
  // Drafts, and what was chosen on a screen. A page of nowhere has no storage.
  if (page.url().startsWith('http'))
    await page.evaluate(() => {
      localStorage.clear();
      sessionStorage.clear();
    });
  await context.clearPermissions();
  await context.grantPermissions(permissions);
  await page.emulateMedia({ colorScheme: null });
}

export const test = base.extend<object, { shown: Page }>({
  shown: [
    async ({ browser }, use) => {
      const context = await browser.newContext({ reducedMotion: 'reduce' });
      await use(await context.newPage());
      await context.close();
    },
    { scope: 'worker' },
  ],
  context: ({ shown }, use) => use(shown.context()),
  page: async ({ shown, viewport, permissions }, use) => {
    await asNew(shown, permissions ?? []);
    if (viewport) await shown.setViewportSize(viewport);
    await use(shown);
  },
});

/**
 * Playwright's `expect`, which writes down the whole page each time that it finds an element not there yet, for a failure
 * that seldom comes. Waiting alone doesn't; what has not come in the end is looked for once more, with all that it says.
 */
export const expect = baseExpect.extend({
  async toBeVisible(locator: Locator, options: { timeout?: number } = {}) {
    const pass = !this.isNot;
    const { timeout = this.timeout } = options;
    if (!pass) await baseExpect(locator).not.toBeVisible({ timeout });
    else await locator.waitFor({ timeout }).catch(() => baseExpect(locator).toBeVisible({ timeout: 1 }));
    return { pass, message: () => '' };
  },
});
