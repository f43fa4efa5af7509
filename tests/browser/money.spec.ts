/** What sources billed: added by hand, loaded from a file, seen in the figures, and undone. */
import { createServer } from 'node:http';
import type { Page } from '@playwright/test';
import { localDay } from '@tracheon/core/time';
import type { CampaignsReport } from '@tracheon/core/contract';
import {
  ask,
  choose,
  expectAccessible,
  giveSession,
  goTo,
  makePart,
  openScreen,
  watchConsole,
} from './people.ts';
import { demoDesk, emptyDesk, type BrowserDesk } from './desks.ts';
import { expect, test } from './test.ts';

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
  const errors = watchConsole(page);
  await openScreen(page, system, '/money/cost');
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
  const errors = watchConsole(page);
  await giveSession(page, system);
  const day = yesterday();
  const file = {
    name: 'moorhen.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(
      `Date;Site;Cost\n${day};kiosk-nord.example;11.50\n${day};meteo-klein.example;8.25\nTotal;;19.75\n`,
    ),
  };
  await goTo(page, system, '/money/cost/file');
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

  await goTo(page, system, '/money/cost/file');
  await choose(page.getByRole('combobox', { name: 'Source' }), 'Moorhen Push');
  await page.locator('input[type=file]').setInputFiles(file);
  await expect(page.getByText(/This file was loaded/)).toBeVisible();
  await page.getByRole('button', { name: 'Preview' }).click();
  await expect(page.getByText('2 rows are loaded already.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Load 0 entries' })).toBeDisabled();
  await page.getByRole('button', { name: 'Discard file' }).click();
  await expect(page.getByText('Choose a file to start')).toBeVisible();

  await goTo(page, system, '/money/cost');
  await row.getByRole('button').click();
  await page.getByRole('dialog', { name: 'moorhen.csv' }).getByRole('button', { name: 'Undo cost' }).click();
  await expect(page.getByRole('dialog').getByRole('button', { name: 'Restore cost' })).toBeVisible();
  expect(errors).toEqual([]);
});

test('rates come from a file, one row that can’t be read is named, and a rate is deleted', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/money/rates');
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

test('a feed is connected by picking fields from a live answer, and its estimate becomes final', async ({
  page,
}) => {
  // Its campaign would be in the figures of other tests.
  const own = await emptyDesk();
  const errors = watchConsole(page);
  await openScreen(page, own, '/money/feeds');
  await expect(page.getByRole('heading', { name: 'No feeds yet' })).toBeVisible();
  const event = await makePart(page, 'event-type', { name: 'Search', word: 'search' });
  const network = await makePart(page, 'network', { name: 'Copperleaf, feed', fields: {} });
  const source = await makePart(page, 'source', { name: 'Moorhen Push, feed' });
  const offer = await makePart(page, 'offer', {
    name: 'Kite searches',
    networkId: network.id,
    link: 'https://feed.copperleaf.example/s?q=kites&sub2={click_id}',
    currency: 'EUR',
    conversionsFrom: [{ eventTypeId: event.id, channel: 'feed' }],
  });
  const campaign = await makePart(page, 'campaign', {
    name: 'Kites by feed',
    sourceId: source.id,
    offerId: offer.id,
    costModel: 'visit',
    costMicros: '20000',
    costCurrency: 'EUR',
  });
  const profit = async (): Promise<number> =>
    Number(
      (await ask<CampaignsReport>(page, 'GET', `/reports/campaigns?from=${today()}&to=${today()}`)).rows[0]
        ?.figures.profitMicros,
    );
  let clickId = '';
  await expect
    .poll(async () => {
      const res = await fetch(`${own.tracking}/v/${campaign.key}`, { redirect: 'manual' });
      clickId = /sub2=([0-9A-Z]{26})/.exec(res.headers.get('location') ?? '')?.[1] ?? '';
      return clickId.length;
    })
    .toBe(26);

  const { host, port } = own.provider;
  const told = { state: 'estimate', revenue: '1.50' };
  const provider = createServer((req, res) => {
    res.setHeader('Content-Type', 'application/json');
    if (req.headers['x-api-key'] !== 'right-key') return void res.writeHead(403).end('{}');
    const rows = [{ site: 'moss', sub2: clickId, money: { revenue: told.revenue } }];
    res.end(JSON.stringify({ state: told.state, data: { rows } }));
  });
  await new Promise<void>((done) => provider.listen(Number(port), host, done));
  try {
    await page.getByRole('heading', { name: 'Feeds', level: 1 }).click();
    await page.keyboard.press('n');
    const sheet = page.getByRole('dialog', { name: 'Add feed' });
    await sheet.getByLabel('Name').fill('Copperleaf, main account');
    await choose(sheet.getByRole('combobox', { name: 'Network' }), 'Copperleaf, feed');
    await sheet.getByLabel('Address of the report').fill(`http://${host}:${port}/report`);
    await expect(sheet.getByText('Put {day} where the day goes.')).toBeVisible();
    await sheet.getByLabel('Address of the report').fill(`http://${host}:${port}/report?day={day}`);
    await sheet.getByLabel('Header of the key').fill('X-Api-Key');
    await sheet.getByLabel('Key', { exact: true }).fill('wrong-key');
    await sheet.getByLabel('Field with the list of rows').fill('data.rows');
    await sheet.getByLabel('Currency').fill('EUR');
    const show = sheet.getByRole('button', { name: 'Show rows of this day' });
    await show.click();
    await expect(sheet.getByText('The provider refuses the key (status 403).')).toBeVisible();
    await sheet.getByLabel('Key', { exact: true }).fill('right-key');
    await show.click();
    await sheet.getByRole('button', { name: 'Use sub2 as click ID' }).click();
    await sheet.getByRole('button', { name: 'Use money.revenue as amount' }).click();
    await choose(sheet.getByRole('combobox', { name: 'Event type' }), 'Search');
    await show.click();
    await expect(sheet.getByText('1 row with 1.50 EUR. 1 row matches a visit of this desk.')).toBeVisible();
    await choose(sheet.getByRole('combobox', { name: 'When a day is final' }), 'when a field says so');
    await sheet.getByLabel('Field with the state').fill('state');
    await sheet.getByLabel('Value when final').fill('final');
    await expectAccessible(page, 'adding a feed');
    await sheet.getByRole('button', { name: 'Save feed' }).click();
    await expect(sheet).toHaveCount(0);

    await page.getByRole('button', { name: 'Copperleaf, main account', exact: true }).click();
    const runs = page.getByRole('dialog', { name: 'Copperleaf, main account' });
    await runs.getByLabel('First day').fill(today());
    await runs.getByLabel('First day').press('Enter');
    await runs.getByLabel('Last day (inclusive)').fill(today());
    await runs.getByLabel('Last day (inclusive)').press('Enter');
    await runs.getByRole('button', { name: 'Fetch these days' }).click();
    const first = runs
      .getByRole('table', { name: 'Runs' })
      .getByRole('row')
      .filter({ hasText: today() })
      .filter({ hasText: 'estimate' })
      .first();
    await expect(first).toContainText('1.50');
    await expect.poll(profit).toBeGreaterThan(1_000_000);
    const before = await profit();
    told.state = 'final';
    told.revenue = '1.75';
    await runs.getByRole('button', { name: 'Fetch these days' }).click();
    await expect(
      runs.getByRole('row').filter({ hasText: 'final' }).filter({ hasText: '1.75' }),
    ).toBeVisible();
    await expectAccessible(page, 'runs of a feed');
    await page.keyboard.press('Escape');
    await goTo(page, own, `/conversions/all?search=${clickId}`);
    const booked = page.getByRole('row').filter({ hasText: 'Kite searches' });
    await expect(booked).toContainText('approved');
    await expect(booked).toContainText('1.75');
    // And the profit of its campaign with it.
    await expect.poll(profit).toBe(before + 250_000);
    expect(errors).toEqual([]);
  } finally {
    provider.closeAllConnections();
    provider.close();
  }
});
/** The desk's own. */
const today = (): string => localDay(Date.now(), 'Europe/Brussels');
