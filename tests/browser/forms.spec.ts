/** Forms when life is in the way: two tabs, a session that ends, double clicks, a name that is taken, a server that is gone. */
import type { Locator, Page } from '@playwright/test';
import {
  ask,
  choose,
  expectAccessible,
  giveSession,
  goTo,
  openScreen,
  pageOf,
  signIn,
  signInByForm,
  watchConsole,
} from './people.ts';
import { emptyDesk, type BrowserDesk } from './desks.ts';
import { expect, test } from './test.ts';

let system: BrowserDesk;
test.beforeAll(async () => {
  system = await emptyDesk();
});

const sheet = (page: Page): Locator => page.getByRole('dialog');
const open = async (page: Page, name: string): Promise<void> => {
  await page.goto(`${system.desk}/parts/event-type`);
  await page.getByRole('button', { name, exact: true }).click();
  await expect(sheet(page)).toBeVisible();
};

test('the same record in two tabs: the second sees both versions, and nothing is overwritten unseen', async ({
  page,
  context,
}) => {
  const errors = watchConsole(page, [/409/]);
  await giveSession(page, system);
  const other = await context.newPage();
  await open(page, 'Sale');
  await open(other, 'Sale');
  await sheet(other).getByLabel('Event name in postbacks').fill('purchase');
  await sheet(other).getByRole('button', { name: 'Save' }).click();
  await expect(sheet(other)).toHaveCount(0);

  await sheet(page).getByLabel('Can happen more than once per visit').check();
  await sheet(page).getByRole('button', { name: 'Save' }).click();
  const both = sheet(page).getByRole('alert', { name: 'Both versions' });
  await expect(both).toContainText('Another member saved this record');
  await expect(both.getByRole('row', { name: /word/ })).toContainText('purchase');
  await expect(both.getByRole('row', { name: /repeats/ })).toContainText('yes');
  await expectAccessible(page, 'conflict');
  await both.getByRole('button', { name: 'Use their version' }).click();
  await expect(sheet(page).getByLabel('Event name in postbacks')).toHaveValue('purchase');
  await sheet(page).getByLabel('Can happen more than once per visit').check();
  await sheet(page).getByRole('button', { name: 'Save' }).click();
  await expect(sheet(page)).toHaveCount(0);
  await expect(page.getByRole('cell', { name: /named “purchase” in postbacks · may repeat/ })).toBeVisible();
  expect(errors).toEqual([]);
});

test('a session that ends in the middle of a form: the draft is there after signing in again', async ({
  page,
  context,
}) => {
  watchConsole(page, [/401/]);
  await openScreen(page, system, '/parts/network');
  await expect(page.getByRole('button', { name: /^New / }).first()).toBeVisible();
  await page.keyboard.press('n');
  await sheet(page).getByLabel('Name', { exact: true }).fill('Saltmarsh Partners');
  await sheet(page).getByLabel('Click ID parameter').fill('sid');
  // Nothing else asks meanwhile: whoever asked first would notice, and not the form.
  await expect(sheet(page).getByText('This name is free.')).toBeVisible();
  await context.clearCookies();
  await sheet(page).getByRole('button', { name: 'Create network' }).click();
  await expect(page.getByRole('heading', { name: 'Tracheon' })).toBeVisible();
  await page.getByLabel('E-mail address').fill(system.email);
  await page.getByLabel('Password').fill(system.password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page).toHaveURL(/\/parts\/network/);
  await expect(page.getByRole('button', { name: /^New / }).first()).toBeVisible();
  await page.keyboard.press('n');
  await expect(sheet(page).getByText('Draft saved in this browser.')).toBeVisible();
  await expect(sheet(page).getByLabel('Name', { exact: true })).toHaveValue('Saltmarsh Partners');
  await expect(sheet(page).getByLabel('Click ID parameter')).toHaveValue('sid');
  await sheet(page).getByRole('button', { name: 'Discard changes' }).click();
  await expect(sheet(page).getByLabel('Name', { exact: true })).toHaveValue('');
});

test('a double click creates one record; a taken name is said while typing', async ({ page }) => {
  watchConsole(page);
  await openScreen(page, system, '/parts/event-type');
  await expect(page.getByRole('button', { name: /^New / }).first()).toBeVisible();
  await page.keyboard.press('n');
  await sheet(page).getByLabel('Name', { exact: true }).fill('Sale');
  await expect(sheet(page).getByText('Another event type has this name.')).toBeVisible();
  await sheet(page).getByLabel('Name', { exact: true }).fill('Trial');
  await expect(sheet(page).getByText('This name is free.')).toBeVisible();
  await sheet(page).getByLabel('Event name in postbacks').fill('trial');
  await sheet(page).getByRole('button', { name: 'Create event type' }).dblclick();
  await expect(sheet(page)).toHaveCount(0);
  await expect(page.getByRole('cell', { name: 'Trial', exact: true })).toHaveCount(1);
});

test('amounts and links that cannot be right are said beside their field, and not saved', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/parts/offer');
  await expect(page.getByRole('button', { name: /^New / }).first()).toBeVisible();
  await page.keyboard.press('n');
  const form = sheet(page);
  const amount = form.getByLabel('Default amount');
  for (const [typed, says] of [
    ['1,234', 'is ambiguous'],
    ['-5', 'is not an amount'],
    ['1e9', 'is not an amount'],
    ['9'.repeat(40), 'is too large'],
  ] as const) {
    await amount.fill(typed);
    await expect(form.getByText(says)).toBeVisible();
  }
  await amount.fill('12,5');
  await expect(form.getByText('is too large')).toBeHidden();
  const link = form.getByLabel('Link', { exact: true });
  for (const [typed, says] of [
    ['o.example/x', 'Enter a full URL'],
    ['ftp://o.example/x', 'http and https only'],
    ['https://o.example/?a={clickid}', 'did you mean {click_id}?'],
    ['https://o.example/?a={click_id', 'There is no token inside'],
    ['https://o.example/?a={ click_id }', 'A space inside the braces'],
    ['https://o.example/?a={click_id}&z=[zone]', 'a partner’s macro'],
    ['https://o.example/?a={click_id}&a=2', 'appears again'],
  ] as const) {
    await link.fill(typed);
    await expect(form.getByRole('list', { name: 'Findings' })).toContainText(says);
  }
  await link.fill('https://o.example/?a={clickid}');
  await form.getByRole('button', { name: 'Write {click_id}' }).click();
  await expect(link).toHaveText('https://o.example/?a={click_id}');
  await form.getByRole('button', { name: 'Create offer' }).click();
  await expect(form.getByText('Enter a name.')).toBeVisible();
  await expect(form.getByText('Choose the network.')).toBeVisible();
  expect(errors).toEqual([]);
});

test('lists say that they load, that they fail, and how to go on', async ({ page }) => {
  watchConsole(page, [/Failed to load/]);
  await signIn(page, system);
  let answer: 'wait' | 'fail' | 'go' = 'wait';
  let release: () => void = () => undefined;
  await page.route('**/api/postbacks-in*', async (route) => {
    if (answer === 'wait') await new Promise<void>((r) => (release = r));
    if (answer === 'fail') return route.abort();
    return route.continue();
  });
  await page.getByRole('link', { name: 'Conversions' }).click();
  await expect(page.getByText('Loading')).toBeVisible();
  answer = 'fail';
  release();
  await expect(page.getByText('Tracheon is not responding')).toBeVisible();
  answer = 'go';
  await page.getByRole('button', { name: /again/i }).click();
  await expect(page.getByText('No postbacks yet')).toBeVisible();
  await expectAccessible(page, 'empty list');

  // Beside a list that is there, the way to go on is as easy to see.
  await page.route('**/api/reports/campaigns*', (route) => route.abort());
  await page.getByRole('link', { name: 'Campaigns' }).click();
  const failed = page.getByRole('alert').filter({ hasText: 'Tracheon is not responding' });
  const button = failed.getByRole('button', { name: 'Try again' });
  await expect(button).toBeVisible();
  const bottomOf = async (one: Locator): Promise<number> => {
    const { y, height } = (await one.boundingBox())!;
    return y + height;
  };
  expect(await bottomOf(button)).toBeLessThan(await bottomOf(failed));
});

test('a screen that cannot be loaded says so, also before another one is there, and comes at the next try', async ({
  page,
}) => {
  await giveSession(page, system);
  // Its code must not be there from an earlier test.
  await page.goto(`${system.desk}/today`);
  await expect(page.getByRole('heading', { name: 'Today', level: 1 })).toBeVisible();
  await page.route('**/assets/LinkReaderPage-*.js', (route) => route.abort());
  const failure = page.getByRole('alert').filter({ hasText: 'couldn’t load this screen' });
  await page.getByRole('link', { name: 'Try out' }).click();
  await expect(failure).toBeVisible();

  let arrives = (): void => undefined;
  const held = new Promise<void>((done) => (arrives = done));
  const isThere = page.waitForResponse(/assets\/CampaignsPage-.*\.js/);
  await page.route('**/assets/CampaignsPage-*.js', (route) => held.then(() => route.continue()));
  await page.goto(`${system.desk}/campaigns`, { waitUntil: 'commit' });
  await page.getByRole('link', { name: 'Try out' }).click();
  await expect(failure).toBeVisible();
  arrives();
  await (await isThere).finished();
  // What has come is drawn by the next frame.
  await page.evaluate(() => new Promise(requestAnimationFrame));
  await expect(failure).toBeVisible();

  await page.unroute('**/assets/LinkReaderPage-*.js');
  await page.getByRole('button', { name: 'Try again' }).click();
  await expect(page.getByRole('heading', { name: 'Link reader', level: 1 })).toBeVisible();
});

/** Of this try's desk alone: one who is a member of another desk as well would sign in there. */
const addressOf = (name: string): string => `${name}.${system.email}`;

test('a viewer sees everything and can change nothing', async ({ page, browser }) => {
  await openScreen(page, system, '/settings');
  const wout = { email: addressOf('wout'), password: 'a password of twenty' };
  await ask(page, 'POST', '/members', { name: 'Wout', role: 'viewer', ...wout });
  const theirs = await pageOf(browser, system, wout);
  const errors = watchConsole(theirs);
  await theirs.goto(`${system.desk}/campaigns`);
  await expect(theirs.getByText('No campaign yet')).toBeVisible();
  await expect(theirs.getByRole('link', { name: /Set up a campaign/ })).toHaveCount(0);
  await theirs.keyboard.press('n');
  await expect(theirs.getByRole('dialog')).toHaveCount(0);
  await goTo(theirs, system, '/parts/event-type');
  await theirs.getByRole('button', { name: 'Sale', exact: true }).click();
  await expect(theirs.getByRole('dialog').getByLabel('Event name in postbacks')).toBeDisabled();
  await expect(theirs.getByRole('dialog').getByRole('button', { name: 'Save' })).toHaveCount(0);
  await theirs.context().close();
  expect(errors).toEqual([]);
});

test('a second desk is created and switched to; a tab of the first begins anew; a password is reset by a link', async ({
  page,
  context,
  browser,
}) => {
  await signIn(page, system);
  const old = await context.newPage();
  await old.goto(`${system.desk}/parts/event-type`);
  await expect(old.getByRole('button', { name: 'Sale', exact: true })).toBeVisible();
  await goTo(page, system, '/settings');
  // Once the domains above are there, nothing below them moves any more; a button that moves under a click is not clicked.
  await expect(
    page.getByRole('region', { name: 'Tracking domains' }).getByRole('listitem').first(),
  ).toBeVisible();
  const desks = page.getByRole('region', { name: 'Your desks' });
  await desks.getByRole('button', { name: 'New desk' }).click();
  await desks.getByLabel('Name', { exact: true }).fill('Desk of lamps');
  await desks.getByRole('button', { name: 'Create desk' }).click();
  await expect(page.getByRole('heading', { name: 'Today', level: 1 })).toBeVisible();
  await goTo(page, system, '/settings');
  await expect(page.getByText('owner of Desk of lamps')).toBeVisible();
  // The tab of the first desk must not write into the second.
  const write = async (): Promise<void> => {
    await old.getByRole('button', { name: 'Sale', exact: true }).click();
    await old.getByRole('dialog').getByLabel('Name', { exact: true }).fill('Sale of another desk');
    await old.keyboard.press('Enter');
  };
  // It may begin anew at any moment of this, at the first news that it hears.
  // A navigation that another one follows is no failure here: the address is looked at, whatever led to it.
  const begun = expect(old).toHaveURL(/\/today$/);
  await Promise.race([write().catch(() => undefined), begun]);
  await begun;
  await old.goto(`${system.desk}/parts/event-type`);
  await expect(old.getByRole('button', { name: 'Sale', exact: true })).toBeVisible();
  await expect(old.getByRole('button', { name: 'Sale of another desk', exact: true })).toHaveCount(0);
  await old.close();

  const members = page.getByRole('region', { name: 'Members' });
  const lotte = addressOf('lotte');
  await members.getByRole('button', { name: 'Add a member' }).click();
  await members.getByLabel('Name', { exact: true }).fill('Lotte');
  await members.getByLabel('E-mail address').fill(lotte);
  await members.getByLabel('Initial password').fill('password1234');
  await members.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(members.getByText('too easy to guess')).toBeVisible();
  await members.getByLabel('Initial password').fill('a password of twenty');
  await choose(members.getByLabel('Role', { exact: true }), /^viewer/);
  await members.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(members.getByRole('row').filter({ hasText: lotte })).toContainText('viewer');
  await members.getByRole('button', { name: 'Reset password of Lotte' }).click();
  const link = await members.locator('code').innerText();
  await expectAccessible(page, 'a link for a new password');
  const theirs = await (await browser.newContext()).newPage();
  await theirs.goto(link);
  await theirs.getByLabel('New password').fill('mossy jar on the sill');
  await theirs.getByRole('button', { name: 'Save password' }).click();
  await theirs.getByRole('button', { name: 'Sign in' }).click();
  await signInByForm(theirs, { ...system, email: lotte, password: 'mossy jar on the sill' });
  await members.getByRole('button', { name: 'Remove Lotte' }).click();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Remove' }).click();
  await expect(members.getByRole('cell', { name: lotte })).toHaveCount(0);
  await theirs.goto(`${system.desk}/campaigns`);
  await expect(theirs.getByRole('button', { name: 'Sign in' })).toBeVisible();

  // Back by the rail.
  await page.getByRole('button', { name: 'Desk of lamps' }).click();
  await page.getByRole('menuitem', { name: 'My desk' }).click();
  await expect(page.getByRole('heading', { name: 'Today', level: 1 })).toBeVisible();
  await goTo(page, system, '/settings');
  await expect(page.getByText('owner of My desk')).toBeVisible();
});

test('one stream per browser, however many tabs are open', async ({ page, context }) => {
  const streams: string[] = [];
  context.on('request', (r) => r.url().endsWith('/api/stream') && streams.push(r.url()));
  await giveSession(page, system);
  await page.goto(`${system.desk}/today`);
  const tabs: Page[] = [];
  for (const path of ['/campaigns', '/parts/event-type']) {
    const tab = await context.newPage();
    await tab.goto(system.desk + path);
    tabs.push(tab);
  }
  await expect(tabs[0]!.getByText('live', { exact: true })).toBeVisible();
  // The last tab hears by the first one's stream what happens in the first.
  await page.goto(`${system.desk}/parts/event-type?new=1`);
  await sheet(page).getByLabel('Name', { exact: true }).fill('Install');
  await sheet(page).getByLabel('Event name in postbacks').fill('install');
  await sheet(page).getByRole('button', { name: 'Create event type' }).click();
  await expect(tabs[1]!.getByRole('cell', { name: 'Install', exact: true })).toBeVisible();
  // One when signed in; loading the page anew hands it on to another tab once.
  expect(streams.length).toBeGreaterThanOrEqual(1);
  expect(streams.length).toBeLessThanOrEqual(2);
});
