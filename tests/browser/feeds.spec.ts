/** Feeds of the practice providers, connected by their templates: a second search-feed partner with two accounts, and a source that tells its cost. */
import type { Locator, Page } from '@playwright/test';
import type { ConversionRow, CostEntryRow, CostLoad, Page as ListPage } from '@tracheon/core/contract';
import { SPEND_KEY } from '../../practice/adNetwork/spend.ts';
import { TOKEN_ACCOUNTS } from '../../practice/feed/tokenFeed.ts';
import { emptyDesk, type BrowserDesk } from './desks.ts';
import {
  ask,
  choose,
  expectAccessible,
  expectNoSidewaysScroll,
  goTo,
  makePart,
  openScreen,
  watchConsole,
} from './people.ts';
import { expect, test } from './test.ts';

/** As the practice providers count; the desk's own may be the next one already. */
const today = (): string => new Date().toISOString().slice(0, 10);

async function templateOf(address: string): Promise<{ name: string; mimeType: string; buffer: Buffer }> {
  const buffer = Buffer.from(await (await fetch(address)).arrayBuffer());
  return { name: 'template.json', mimeType: 'application/json', buffer };
}
/** A new feed, filled in by a template that the provider hands out. */
async function beginFeed(page: Page, template: string): Promise<Locator> {
  await page.getByRole('heading', { name: 'Feeds', level: 1 }).click();
  await page.keyboard.press('n');
  const sheet = page.getByRole('dialog', { name: 'Add feed' });
  await sheet.locator('input[type=file]').setInputFiles(await templateOf(template));
  await expect(sheet.getByText(/^Tracheon filled in/)).toBeVisible();
  return sheet;
}
async function showRows(sheet: Locator): Promise<void> {
  await sheet.getByLabel('Day to try').fill(today());
  await sheet.getByLabel('Day to try').press('Enter');
}
async function fetchToday(page: Page, name: string): Promise<void> {
  await page.getByRole('button', { name, exact: true }).click();
  const runs = page.getByRole('dialog', { name });
  await runs.getByLabel('First day').fill(today());
  await runs.getByLabel('First day').press('Enter');
  await runs.getByLabel('Last day (inclusive)').fill(today());
  await runs.getByLabel('Last day (inclusive)').press('Enter');
  await runs.getByRole('button', { name: 'Fetch these days' }).click();
  const ofDay = runs.getByRole('row').filter({ hasText: today() }).filter({ hasText: 'estimate' });
  await expect(ofDay.first()).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(runs).toHaveCount(0);
}
/** One visit by the tracking link, up to the practice feed's results. Returns where it led to. */
async function search(own: BrowserDesk, key: string): Promise<URL> {
  let location = '';
  await expect
    .poll(async () => {
      const res = await fetch(`${own.tracking}/v/${key}`, { redirect: 'manual' });
      location = res.headers.get('location') ?? '';
      return location;
    })
    .toContain('/token/s?');
  expect((await fetch(location)).status).toBe(200);
  return new URL(location);
}

test('a second feed partner: user and secret, a wrong one explained, two event types, two accounts', async ({
  page,
}) => {
  const own = await emptyDesk();
  const errors = watchConsole(page);
  await openScreen(page, own, '/money/feeds');
  const types = [
    await makePart(page, 'event-type', { name: 'Search', word: 'search' }),
    await makePart(page, 'event-type', { name: 'Search click', word: 'search_click' }),
  ];
  const network = await makePart(page, 'network', { name: 'Copperleaf, tokens', fields: {} });
  const source = await makePart(page, 'source', { name: 'Tidepool Native, tokens' });
  const campaignOf = async (account: string): Promise<string> => {
    const offer = await makePart(page, 'offer', {
      name: `Searches of ${account}`,
      networkId: network.id,
      link: `${own.feed}/token/s?q=kites&sub2={click_id}&account=${account}`,
      currency: 'EUR',
      conversionsFrom: types.map((t) => ({ eventTypeId: t.id, channel: 'feed' })),
    });
    return (
      await makePart(page, 'campaign', { name: `By ${account}`, sourceId: source.id, offerId: offer.id })
    ).key;
  };
  const first = await search(own, await campaignOf('mira'));
  const link = /href="(\/token\/click\?search=\d+)"/.exec(await (await fetch(first)).text())![1]!;
  // The page was opened twice: two searches by one visit are two rows, of which the later counts.
  await fetch(own.feed + link.replaceAll('&#38;', '&'));
  const second = await search(own, await campaignOf('jonas'));

  await page.reload();
  for (const user of ['mira', 'jonas']) {
    const sheet = await beginFeed(page, `${own.feed}/token/template.json`);
    await sheet.getByLabel('Name').fill(`Account of ${user}`);
    await choose(sheet.getByRole('combobox', { name: 'Network' }), 'Copperleaf, tokens');
    await sheet.getByLabel('User').fill(user);
    if (user === 'mira') {
      await sheet.getByLabel('Secret', { exact: true }).fill('not-the-secret');
      await showRows(sheet);
      await expect(sheet.getByText('The provider refuses the key (status 401).')).toBeVisible();
    }
    await sheet.getByLabel('Secret', { exact: true }).fill(TOKEN_ACCOUNTS[user]!);
    await showRows(sheet);
    await expect(sheet.getByText(/1 row matches a visit of this desk\./)).toBeVisible();
    if (user === 'mira') await expectAccessible(page, 'a feed from a template');
    await sheet.getByRole('button', { name: 'Save feed' }).click();
    await expect(sheet).toHaveCount(0);
  }
  for (const user of ['mira', 'jonas']) await fetchToday(page, `Account of ${user}`);
  const booked = async (of: URL): Promise<number> =>
    (await ask<ListPage<ConversionRow>>(page, 'GET', '/conversions?limit=200')).rows.filter(
      (c) => c.clickId === of.searchParams.get('sub2'),
    ).length;
  await expect.poll(() => booked(first)).toBe(2);
  await expect.poll(() => booked(second)).toBe(1);
  expect(errors).toEqual([]);
});

test('a source tells its cost: by the template of the practice ad network, spread by site', async ({
  page,
}) => {
  const own = await emptyDesk();
  const errors = watchConsole(page);
  await openScreen(page, own, '/money/feeds');
  const network = await makePart(page, 'network', { name: 'Larkspur, spend', fields: {} });
  const source = await makePart(page, 'source', {
    name: 'Moorhen Push, spend',
    costCurrency: 'EUR',
    parameters: [
      { parameter: 'clk', macro: '[click]', role: 'click_id' },
      { parameter: 'site', macro: '[site]', role: 'sub', sub: 'site' },
    ],
  });
  const offer = await makePart(page, 'offer', {
    name: 'Kites, spend',
    networkId: network.id,
    link: `${own.affiliate}/o/5120?aff_ref={click_id}`,
    currency: 'EUR',
  });
  const campaign = await makePart(page, 'campaign', {
    name: 'Spent',
    sourceId: source.id,
    offerId: offer.id,
  });
  const made = await fetch(`${own.adNetwork}/campaigns`, {
    method: 'POST',
    body: new URLSearchParams({
      name: 'Spent',
      link: `${own.tracking}/v/${campaign.key}?clk=[click]&site=[site]`,
    }),
    redirect: 'manual',
  });
  const at = made.headers.get('location')!;
  await expect
    .poll(async () => {
      await fetch(`${own.adNetwork}${at}/visit`, { method: 'POST', redirect: 'manual' });
      return (await ask<ListPage<unknown>>(page, 'GET', '/visits?limit=10')).rows.length;
    })
    .toBeGreaterThan(0);

  await page.reload();
  const sheet = await beginFeed(page, `${own.adNetwork}/api/spend/template.json`);
  await sheet.getByLabel('Name').fill('Moorhen, spend');
  await choose(sheet.getByRole('combobox', { name: 'Source', exact: true }), 'Moorhen Push, spend');
  await sheet.getByLabel('Key', { exact: true }).fill(SPEND_KEY);
  await showRows(sheet);
  await expect(sheet.getByText(/(is|are) booked\./)).toBeVisible();
  await expectAccessible(page, 'a feed of costs');
  await sheet.getByRole('button', { name: 'Save feed' }).click();
  await expect(sheet).toHaveCount(0);
  await fetchToday(page, 'Moorhen, spend');
  await page.getByRole('link', { name: 'Cost', exact: true }).click();
  const load = page.getByRole('row').filter({ hasText: 'Moorhen, spend' });
  await expect(load).toContainText('counts');
  const { rows } = await ask<ListPage<CostLoad>>(page, 'GET', '/costs?limit=10');
  const entries = await ask<ListPage<CostEntryRow>>(page, 'GET', `/costs/${rows[0]!.id}/entries?limit=100`);
  expect(entries.rows.every((e) => e.subs[0]?.name === 'site' && e.currency === 'EUR')).toBe(true);
  expect(errors).toEqual([]);
});

test('a partner’s link is built from its base, required parameters and the keywords of another link', async ({
  page,
}) => {
  const own = await emptyDesk();
  const errors = watchConsole(page);
  await openScreen(page, own, '/today');
  await makePart(page, 'network', {
    name: 'Copperleaf, links',
    hosts: ['feed.copperleaf.example'],
    clickIdParameter: 'sub2',
    subParameters: [
      { parameter: 'source', token: 'source_name', demanded: true },
      { parameter: 'site', token: 'sub_site', demanded: true },
    ],
    fields: {},
  });
  await goTo(page, own, '/try/link-builder');
  const form = page.getByRole('region', { name: 'Parts of the link' });
  const link = page.getByRole('region', { name: 'The link', exact: true });
  await choose(form.getByRole('combobox', { name: 'Network' }), 'Copperleaf, links');
  await form.getByLabel('Base address').fill('feed.copperleaf.example/s');
  await expect(form.getByText('Start with https:// (or http://) and a host name.')).toBeVisible();
  await form.getByLabel('Base address').fill('https://feed.copperleaf.example/s');
  await form.getByLabel('Parameter', { exact: true }).fill('ad');
  await form.getByLabel('Value or token').fill('{sub_title}');
  await form
    .getByLabel('Keywords')
    .fill('https://old.copperleaf.example/s?x=1&kw1=rye%2520starter&kw2=oat+bread&kw3=rye+flour');
  await expect(form.getByText('Tracheon took 3 keywords from the link.')).toBeVisible();
  await expect(form.getByLabel('Keywords')).toHaveValue('rye starter\noat bread\nrye flour');
  for (const part of [
    'kw1=rye%20starter',
    'kw3=rye%20flour',
    'ad=',
    '{sub_title}',
    'sub2=',
    '{click_id}',
    'site=',
  ])
    await expect(link).toContainText(part);
  await expect(link.getByText('Addresses for the partner')).toBeVisible();
  await form.getByLabel('Name of the list').fill('Baking');
  await form.getByRole('button', { name: 'Save list' }).click();
  await expect(form.getByText('“Baking” is saved.')).toBeVisible();
  await expectAccessible(page, 'the link builder');
  await expectNoSidewaysScroll(page, 'the link builder');
  // Another time, from the list.
  await form.getByLabel('Keywords').fill('');
  await choose(form.getByRole('combobox', { name: 'Keyword list' }), 'Baking');
  await expect(form.getByLabel('Keywords')).toHaveValue('rye starter\noat bread\nrye flour');
  await link.getByRole('button', { name: 'New offer with this link' }).click();
  const offer = page.getByRole('dialog');
  await expect(offer).toContainText('kw1=rye%20starter');
  await expect(offer.getByRole('combobox', { name: 'Network' })).toHaveText('Copperleaf, links');
  expect(errors).toEqual([]);
});
