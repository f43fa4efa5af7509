/** What sources billed: added by hand, loaded from a file, seen in the figures, and undone. */
import { expect, test, type Page } from '@playwright/test';
import { choose, expectAccessible, giveSession, watchConsole } from './people.ts';
import { demoDesk, type BrowserDesk } from './desks.ts';

let system: BrowserDesk;
test.beforeAll(async () => {
  system = await demoDesk();
});

/** A figure of a source, as the table of the cost page shows it. */
async function figure(page: Page, source: string, column: string): Promise<string> {
  const table = page.getByRole('table', { name: 'Cost by source' });
  const heads = await table.getByRole('columnheader').allInnerTexts();
  const cells = await table.getByRole('row').filter({ hasText: source }).getByRole('cell').allInnerTexts();
  return cells[heads.findIndex((h) => h.trim() === column)] ?? '';
}
const yesterday = (): string => {
  const now = new Date(Date.now() - 86_400_000);
  return now.toLocaleDateString('en-CA', { timeZone: 'Europe/Brussels' });
};

test('cost by hand replaces the estimate within seconds, and undone the estimate is back', async ({
  page,
}) => {
  const errors = watchConsole(page, [/503/]);
  await giveSession(page, system);
  await page.goto(`${system.desk}/money/cost`);
  await expect(page.getByRole('table', { name: 'Cost by source' }).getByText('Moorhen Push')).toBeVisible({
    timeout: 60_000,
  });
  const before = await figure(page, 'Moorhen Push', 'Cost from files');
  await page.getByRole('heading', { name: 'Cost', level: 1 }).click();
  await page.keyboard.press('n');
  const sheet = page.getByRole('dialog', { name: 'Add cost' });
  await sheet.getByLabel('Amount').fill('1,234');
  await expect(sheet.getByText(/ambiguous/)).toBeVisible();
  await choose(sheet.getByRole('combobox', { name: 'Source' }), 'Moorhen Push');
  await sheet.getByLabel('Amount, in EUR').fill('321.45');
  await expectAccessible(page, 'adding a cost');
  await sheet.getByRole('button', { name: 'Add cost' }).click();
  await expect(sheet).toHaveCount(0);
  await expect.poll(() => figure(page, 'Moorhen Push', 'Cost from files')).toBe('321.45');
  const list = page.getByRole('table', { name: 'Added costs' });
  await list.getByRole('row').filter({ hasText: '321.45' }).getByRole('button').click();
  const load = page.getByRole('dialog', { name: 'Cost by hand' });
  await expect(load.getByRole('row').filter({ hasText: 'all visits of the source' })).toBeVisible();
  await load.getByRole('button', { name: 'Undo cost' }).click();
  await expect(load.getByRole('button', { name: 'Restore cost' })).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(list.getByRole('row').filter({ hasText: '321.45' })).toContainText('undone');
  await expect.poll(() => figure(page, 'Moorhen Push', 'Cost from files')).toBe(before);
  expect(errors).toEqual([]);
});

test('a cost file is previewed against its total, loaded, and recognized the second time', async ({
  page,
}) => {
  const errors = watchConsole(page, [/503/]);
  await giveSession(page, system);
  const day = yesterday();
  const file = {
    name: 'moorhen.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(
      `Date;Site;Cost\n${day};kiosk-nord.example;11.50\n${day};meteo-klein.example;8.25\nTotal;;19.75\n`,
    ),
  };
  await page.goto(`${system.desk}/money/cost/file`);
  await choose(page.getByRole('combobox', { name: 'Source' }), 'Moorhen Push');
  await page.locator('input[type=file]').setInputFiles(file);
  await expect(page.getByRole('combobox', { name: 'Meaning of Site' })).toHaveText('Sub-ID: site');
  await page.getByRole('button', { name: 'Preview' }).click();
  await expect(page.getByText('The stated total of 19.75 EUR agrees.')).toBeVisible();
  await expectAccessible(page, 'the preview of a cost file');
  await page.getByRole('button', { name: 'Load 2 entries' }).click();
  await expect(page.getByRole('heading', { name: 'Cost', level: 1 })).toBeVisible();
  const row = page
    .getByRole('table', { name: 'Added costs' })
    .getByRole('row')
    .filter({ hasText: 'moorhen.csv' });
  await expect(row).toContainText('19.75 EUR');

  await page.goto(`${system.desk}/money/cost/file`);
  await choose(page.getByRole('combobox', { name: 'Source' }), 'Moorhen Push');
  await page.locator('input[type=file]').setInputFiles(file);
  await expect(page.getByText(/This file was loaded/)).toBeVisible();
  await page.getByRole('button', { name: 'Preview' }).click();
  await expect(page.getByText('2 rows are loaded already.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Load 0 entries' })).toBeDisabled();
  await page.getByRole('button', { name: 'Discard file' }).click();
  await expect(page.getByText('Choose a file to start')).toBeVisible();

  await page.goto(`${system.desk}/money/cost`);
  await row.getByRole('button').click();
  await page.getByRole('dialog', { name: 'moorhen.csv' }).getByRole('button', { name: 'Undo cost' }).click();
  await expect(page.getByRole('dialog').getByRole('button', { name: 'Restore cost' })).toBeVisible();
  expect(errors).toEqual([]);
});

test('rates come from a file, one row that can’t be read is named, and a rate is deleted', async ({
  page,
}) => {
  const errors = watchConsole(page, [/503/]);
  await giveSession(page, system);
  await page.goto(`${system.desk}/money/rates`);
  await page.locator('input[type=file]').setInputFiles({
    name: 'rates.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from('currency,day,rate\nNOK,2026-11-02,0.085\nNOK,yesterday,0.085\n'),
  });
  await expect(page.getByRole('status').filter({ hasText: '1 rate of NOK saved' })).toBeVisible();
  await expect(page.getByText('Row 2: “yesterday” is not a day. Write it as YYYY-MM-DD.')).toBeVisible();
  await expectAccessible(page, 'rates');
  await page.getByLabel('Search rates').fill('NOK');
  const row = page.getByRole('table', { name: 'Exchange rates' }).getByRole('row').filter({ hasText: 'NOK' });
  await expect(row).toHaveCount(1);
  await page.getByRole('button', { name: 'Delete the rate of NOK from 2026-11-02' }).click();
  await expect(page.getByText('No row matches “NOK”.')).toBeVisible();
  expect(errors).toEqual([]);
});
