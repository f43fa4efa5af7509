/** What a member does on every screen: signing in, filling a field by its label, and watching for errors in the console. */
import { AxeBuilder } from './axe.ts';
import type { APIResponse, Browser, Locator, Page } from '@playwright/test';
import type { App } from 'vue';
import type { BrowserDesk } from './desks.ts';
import { expect } from './test.ts';

/** A server that is too busy says so, and the screen asks again: what a test looks at is what is there in the end. */
const TOO_BUSY = /status of 503/;
/** Errors in the console. `expected`: those that the browser itself logs for answers that a test provokes on purpose. */
export function watchConsole(page: Page, expected: RegExp[] = []): string[] {
  const errors: string[] = [];
  page.on('console', (m) => {
    if (m.type() === 'error' && ![TOO_BUSY, ...expected].some((e) => e.test(m.text())))
      errors.push(`${m.text()} (${m.location().url})`);
  });
  page.on('pageerror', (e) => errors.push(e.message));
  return errors;
}

/** The session that the file has already, for a page that opens a screen of its own next. */
export async function giveSession(page: Page, system: BrowserDesk): Promise<void> {
  const context = page.context();
  const { name, value } = system.cookie;
  if ((await context.cookies(system.desk)).some((c) => c.name === name && c.value === value)) return;
  // What the page shows is somebody else's.
  if (page.url().startsWith(`${system.desk}/`)) await page.goto('about:blank');
  await context.clearCookies();
  await context.addCookies([{ name, value, url: system.desk }]);
}

/** A screen of the desk as it is when one comes to it, with the session that the file has already. */
export async function openScreen(page: Page, system: BrowserDesk, path: string): Promise<void> {
  await giveSession(page, system);
  // What an earlier test has left open on it must not be there.
  const isThere = page.url().split('?')[0] === (system.desk + path).split('?')[0];
  await (isThere ? page.goto(system.desk + path) : goTo(page, system, path));
}

/** With the session that the file has already; Today is open. */
export async function signIn(page: Page, system: BrowserDesk): Promise<void> {
  await openScreen(page, system, '/today');
  await expect(page.getByRole('heading', { name: 'Today', level: 1 })).toBeVisible();
}

/**
 * Opens a screen of the desk. In a page that shows the desk already it goes there as Back and Forward do: loading all
 * anew takes a second of the processor each time. Wait for something of the new screen before looking at it.
 */
export async function goTo(page: Page, system: BrowserDesk, path: string): Promise<void> {
  if (!page.url().startsWith(`${system.desk}/`)) return void (await page.goto(system.desk + path));
  // A page that is still opening its own screen would go there after all.
  await expect(page.locator('h1').first()).toBeVisible();
  await page.evaluate(async (to) => {
    const root = document.querySelector('#app') as unknown as { __vue_app__: App };
    const { currentRoute, afterEach, resolve } = root.__vue_app__.config.globalProperties.$router;
    if (resolve(to).fullPath === currentRoute.value.fullPath) return;
    // The screen before stays until the next one's code is there: what is asked for then must not find it.
    const arrived = new Promise<void>((done) => {
      const stop = afterEach(() => (stop(), done()));
    });
    history.pushState(null, '', to);
    dispatchEvent(new PopStateEvent('popstate'));
    await arrived;
  }, path);
}

/** A browser of another member, who is signed in; nothing is open in it yet. */
export async function pageOf(
  browser: Browser,
  system: BrowserDesk,
  member: { email: string; password: string },
): Promise<Page> {
  const context = await browser.newContext();
  const headers = { Origin: system.desk };
  const res = await context.request.post(`${system.desk}/api/sign-in`, { headers, data: member });
  if (!res.ok()) throw new Error(`cannot sign in: ${res.status()} ${await res.text()}`);
  return context.newPage();
}

/** By the form, as a person does. */
export async function signInByForm(page: Page, system: BrowserDesk): Promise<void> {
  await page.goto(`${system.desk}/sign-in`);
  await page.getByLabel('E-mail address').fill(system.email);
  await page.getByLabel('Password').fill(system.password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('heading', { name: 'Today', level: 1 })).toBeVisible();
}

/** The screen has all that it asked for: its title is there, nothing of it says that it loads, and nobody is asked any more. */
export async function settled(page: Page): Promise<void> {
  await expect(page.locator('main h1').first()).toBeVisible();
  await page.waitForLoadState('networkidle');
  await expect(page.locator('main').getByText('Loading', { exact: true })).toHaveCount(0);
  await expect(page.locator('main [aria-busy="true"]')).toHaveCount(0);
}

/** WCAG 2.2 AA, the whole page. */
export async function expectAccessible(page: Page, what: string, rule?: string): Promise<void> {
  const { violations } = await new AxeBuilder(page).analyze(rule);
  expect(violations, what).toEqual([]);
}

/** The page itself never scrolls sideways; wide tables scroll inside. */
export async function expectNoSidewaysScroll(page: Page, what: string): Promise<void> {
  const { wide, view, past } = await page.evaluate(() => {
    const { scrollWidth, clientWidth } = document.documentElement;
    const all = [...document.querySelectorAll('body *')];
    const past = all.filter((e) => e.getBoundingClientRect().right > clientWidth + 1);
    return {
      wide: scrollWidth,
      view: clientWidth,
      past: past.slice(0, 8).map((e) => `${e.tagName.toLowerCase()}.${e.getAttribute('class') ?? ''}`),
    };
  });
  expect(wide, `${what}: past the edge are ${past.join(', ')}`).toBeLessThanOrEqual(view);
}

/** Chooses in a list of choices by what it says. */
export async function choose(field: Locator, label: string | RegExp): Promise<void> {
  const page = field.page();
  await field.click();
  const list = page.locator('.p-select-overlay');
  await list
    .getByRole('option', { name: label, exact: typeof label === 'string' })
    .first()
    .click();
  await expect(list).toHaveCount(0);
}

/** A record of Parts, made over the API as a script would. */
export async function makePart(page: Page, kind: string, body: object): Promise<{ id: string; key: string }> {
  const res = await answerTo(page, 'POST', `/parts/${kind}`, body);
  if (!res.ok()) throw new Error(await res.text());
  return (await res.json()) as { id: string; key: string };
}

/** A campaign of parts that are there, made over the API as a script would; then its page is open. */
export async function makeCampaign(
  page: Page,
  system: BrowserDesk,
  {
    source,
    offer,
    page: landing,
    ...more
  }: { source: string; offer: string; page?: string } & Record<string, unknown>,
): Promise<void> {
  type Part = { id: string; kind: string; body: { name: string } };
  const parts = await ask<Part[]>(page, 'GET', '/parts');
  const named = (kind: string, name: string): string =>
    parts.find((p) => p.kind === kind && p.body.name === name)?.id ?? '';
  const { id } = await makePart(page, 'campaign', {
    sourceId: named('source', source),
    offerId: named('offer', offer),
    landingPageId: landing ? named('landing-page', landing) : '',
    ...more,
  });
  await goTo(page, system, `/campaigns/${id}`);
}

/** What an action puts on the clipboard, once it is there: copying takes a moment. */
export async function copiedBy(page: Page, act: () => Promise<unknown>): Promise<string> {
  await page.evaluate(() => navigator.clipboard.writeText(''));
  await act();
  let text = '';
  await expect
    .poll(async () => (text = await page.evaluate(() => navigator.clipboard.readText())))
    .not.toBe('');
  return text;
}

/** The desk that the page shows is asked with the page's session; nothing of it runs in the page. */
async function answerTo(page: Page, method: string, path: string, body?: unknown): Promise<APIResponse> {
  const { origin } = new URL(page.url());
  // The server closes a connection that was idle for long, perhaps while this one is on its way.
  const me = await page.request.get(`${origin}/api/me`, { maxRetries: 2 });
  const { csrfToken } = (await me.json()) as { csrfToken: string };
  return page.request.fetch(`${origin}/api${path}`, {
    method,
    headers: { Origin: origin, 'X-CSRF-Token': csrfToken },
    ...(body === undefined ? {} : { data: body }),
  });
}

/** The API as a script uses it, with the page's session. */
export const ask = async <T>(page: Page, method: string, path: string, body?: unknown): Promise<T> =>
  (await (await answerTo(page, method, path, body)).json()) as T;
