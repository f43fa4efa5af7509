/** A watch written as a sentence, what it finds while nobody looks, a decision on it, and its undo. */

import { choose, expectAccessible, openScreen, watchConsole } from './people.ts';
import { demoDesk, type BrowserDesk } from './desks.ts';
import { expect, test } from './test.ts';

let system: BrowserDesk;
test.beforeAll(async () => {
  system = await demoDesk();
});

test('sites that cost money and bring nothing: written, tried, found by itself, put on the block list, and taken off', async ({
  page,
}) => {
  const errors = watchConsole(page, [/409/]);
  await openScreen(page, system, '/watches');
  await expect(page.getByRole('table', { name: 'Watches' }).getByText('Campaigns that lose')).toBeVisible();
  await expectAccessible(page, 'the watches');
  await page.getByRole('heading', { name: 'Watches', level: 1 }).click();
  await page.keyboard.press('n');
  const sheet = page.getByRole('dialog', { name: 'Add watch' });
  await sheet.getByLabel('Name').fill('Pop sites of this test');
  await choose(sheet.getByRole('combobox', { name: 'Source' }), 'Lapwing Pops');
  await choose(sheet.getByRole('combobox', { name: 'What to watch' }), 'site');
  await choose(sheet.getByRole('combobox', { name: 'Condition 1: unit' }), 'EUR');
  await sheet.getByLabel('Condition 1: number').fill('0.5');
  await sheet.getByLabel('Hours to look at').fill('720');
  await sheet.getByLabel('Newest hours to leave out').fill('0');
  await choose(sheet.getByRole('combobox', { name: 'What to do' }), 'put it on the block list');
  // Little was spent in so small a demo.
  await sheet.getByLabel(/Find nothing before one payout/).click();
  await expect(sheet.getByLabel('The watch in words')).toHaveText(
    'For every site of Lapwing Pops in all campaigns, when spent is at least 0.5 EUR and conversions are exactly 0 over the last 30 days, checked every 4 hours, then ask the members whether to put it on the block list.',
  );
  const found = sheet.getByRole('region', { name: 'What it finds now' });
  // Right after the start the numbers are still being built, and the sheet says so.
  await expect(async () => {
    await sheet.getByRole('button', { name: 'Show what it finds now' }).click();
    await expect(found).toContainText('would be found now.', { timeout: 5000 });
  }).toPass({ timeout: 90_000 });
  const name = (await found.getByRole('listitem').first().locator('strong').innerText()).trim();
  // What it would have done, check by check, by what was booked by then.
  await choose(sheet.getByRole('combobox', { name: 'Days to try it on' }), '7 days');
  await sheet.getByRole('button', { name: 'Start dry run' }).click();
  const past = sheet.getByRole('region', { name: 'Dry run' });
  await expect(past).toContainText(/Found \d+ times? in 43 checks\./, { timeout: 90_000 });
  await expect(past.getByRole('table', { name: 'Found in the past' })).toBeVisible();
  await expect(past.getByRole('img', { name: /^Found on \d+ of 8 days$/ })).toBeVisible();
  await expectAccessible(page, 'a watch');
  // What is wrong is said at its field.
  await sheet.getByLabel('Newest hours to leave out').fill('720');
  await page.keyboard.press('Tab');
  await expect(sheet.getByText('Leave out fewer hours than the check looks at.')).toBeVisible();
  await sheet.getByLabel('Newest hours to leave out').fill('0');
  await page.keyboard.press('Tab');
  await expect(sheet.getByText('Leave out fewer hours than the check looks at.')).toHaveCount(0);
  await sheet.getByLabel('Check automatically').click();
  await sheet.getByRole('button', { name: 'Save watch' }).click();
  await expect(sheet).toHaveCount(0);

  await page.getByRole('link', { name: 'Notices' }).click();
  const row = page
    .getByRole('table', { name: 'To decide' })
    .getByRole('row')
    .filter({ hasText: 'Pop sites of this test' })
    .filter({ hasText: name });
  // At once; where figures are behind, a minute later.
  await expect(row).toBeVisible({ timeout: 150_000 });
  await expect(page.getByRole('heading', { name: /^Pop sites of this test: \d+ found$/ })).toBeVisible();
  await expectAccessible(page, 'notices');
  await row.getByRole('button', { name: `Put on block list: ${name}` }).click();
  await expect(page.getByText(`${name}: done.`)).toBeVisible();
  await expect(row).toHaveCount(0);
  await page.getByRole('button', { name: /Mark all as read/ }).click();
  await expect(page.getByRole('button', { name: /Mark all as read/ })).toHaveCount(0);

  await page
    .getByRole('navigation', { name: 'Watches' })
    .getByRole('link', { name: 'Watches', exact: true })
    .click();
  await page.getByRole('button', { name: 'Pop sites of this test', exact: true }).click();
  const history = page.getByRole('dialog', { name: 'Pop sites of this test' });
  await expect(history.getByRole('table', { name: 'Checks' }).getByRole('row')).toHaveCount(2);
  await history.getByRole('button', { name: `Take off the list: ${name}` }).click();
  await expect(history.getByText(`${name}: undone.`)).toBeVisible();
  await expect(history.getByRole('button', { name: `Put on block list: ${name}` })).toBeVisible();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Delete Pop sites of this test' }).click();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Delete' }).click();
  await expect(page.getByText('Pop sites of this test')).toHaveCount(0);
  expect(errors).toEqual([]);
});
