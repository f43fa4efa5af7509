/** What a member does on every screen: signing in, filling a field by its label, and watching for errors in the console. */
import { AxeBuilder } from './axe.ts';
import { expect, type Page } from '@playwright/test';
import type { WholeSystem } from './wholeSystem.ts';

/** Errors that the browser itself logs for answers that a test provokes on purpose. */
export function watchConsole(page: Page, expected: RegExp[] = []): string[] {
  const errors: string[] = [];
  page.on('console', (m) => {
    if (m.type() === 'error' && !expected.some((e) => e.test(m.text())))
      errors.push(`${m.text()} (${m.location().url})`);
  });
  page.on('pageerror', (e) => errors.push(e.message));
  return errors;
}

export async function signIn(page: Page, system: WholeSystem): Promise<void> {
  await page.goto(`${system.desk}/sign-in`);
  await page.getByLabel('E-mail address').fill(system.email);
  await page.getByLabel('Password').fill(system.password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('heading', { name: 'Today', level: 1 })).toBeVisible();
}

/** WCAG 2.2 AA, the whole page. */
export async function expectAccessible(page: Page, what: string): Promise<void> {
  const { violations } = await new AxeBuilder(page).analyze();
  expect(violations, what).toEqual([]);
}

/** The page itself never scrolls sideways; wide tables scroll inside. */
export async function expectNoSidewaysScroll(page: Page, what: string): Promise<void> {
  const [wide, view] = await page.evaluate(() => [
    document.documentElement.scrollWidth,
    document.documentElement.clientWidth,
  ]);
  expect(wide, what).toBeLessThanOrEqual(view!);
}
