/**
 * Playwright's `test`, with one page for all tests of a worker: opening a new one and loading the desk into it takes two
 * seconds of the processor each time. Each test finds the page as a new one would be, but for the screen that it shows.
 */
import './quickStacks.ts';
import { expect as baseExpect, test as base, type Locator, type Page } from '@playwright/test';

/** Events that an earlier test may still listen to. */
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
 * Playwright's `expect` takes a snapshot of the whole page each time that an element is not visible yet, for the message of
 * a failure. This one waits without snapshots; when time runs out, Playwright looks once more and writes its message.
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
