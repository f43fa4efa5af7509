/** Partners of an own offer: their links and visits, what they get, and how they are paid. */

import { emptyDesk, type BrowserDesk } from './desks.ts';
import {
  choose,
  copiedBy,
  expectAccessible,
  expectNoSidewaysScroll,
  goTo,
  makePart,
  signIn,
  watchConsole,
} from './people.ts';
import { expect, test } from './test.ts';

let system: BrowserDesk;
test.beforeAll(async () => {
  system = await emptyDesk();
});

test('a partner is made, gets the link of a campaign, and its visit is shown as its own', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const network = await makePart(page, 'network', {
    name: 'Kitewright direct',
    relation: 'direct',
    fields: {},
  });
  const offer = await makePart(page, 'offer', {
    name: 'Kite starter set',
    networkId: network.id,
    link: 'https://kitewright.example/start?ref={click_id}&who={partner_id}',
    currency: 'EUR',
  });
  const source = await makePart(page, 'source', {
    name: 'Partners',
    costCurrency: 'EUR',
    parameters: [{ parameter: 'site', macro: '[site]', role: 'sub', sub: 'site' }],
  });
  const campaign = await makePart(page, 'campaign', {
    name: 'BE · Kites · Partners',
    sourceId: source.id,
    offerId: offer.id,
    costModel: 'none',
    costCurrency: 'EUR',
  });
  // A source that means something else by the parameter.
  const pops = await makePart(page, 'source', {
    name: 'Lapwing Pops',
    costCurrency: 'EUR',
    parameters: [{ parameter: 'partner', macro: '[pub]', role: 'sub', sub: 'publisher' }],
  });
  await makePart(page, 'campaign', {
    name: 'BE · Kites · Pops',
    sourceId: pops.id,
    offerId: offer.id,
    costModel: 'none',
    costCurrency: 'EUR',
  });

  await goTo(page, system, '/parts/partner');
  await page.getByRole('heading', { name: 'Partners', level: 1 }).click();
  await page.keyboard.press('n');
  const sheet = page.getByRole('dialog');
  await sheet.getByLabel('Name', { exact: true }).fill('Bittern Media');
  await sheet.getByLabel('E-mail address').fill('nobody');
  await sheet.getByRole('button', { name: 'Create partner' }).click();
  await expect(sheet.getByText('Enter an e-mail address.')).toBeVisible();
  await sheet.getByLabel('E-mail address').fill('ads@bittern.example');
  await sheet.getByLabel('Other IDs of this partner').fill('p77');
  await sheet.getByRole('button', { name: 'Create partner' }).click();

  // Its link is what one wants next.
  const links = sheet.getByRole('region', { name: 'Partner links' });
  await choose(links.getByRole('combobox', { name: 'Campaign' }), 'BE · Kites · Pops');
  await expect(links.getByRole('alert')).toContainText('Lapwing Pops has its own parameter “partner”');
  await expect(links.getByRole('button', { name: 'Copy link' })).toHaveCount(0);
  await choose(links.getByRole('combobox', { name: 'Campaign' }), 'BE · Kites · Partners');
  const id = await copiedBy(page, () => links.getByRole('button', { name: 'Copy ID' }).click());
  const link = await copiedBy(page, () => links.getByRole('button', { name: 'Copy link' }).click());
  expect(link).toBe(`${system.tracking}/v/${campaign.key}?site=[site]&partner=${id}`);
  await expect(links.getByRole('list', { name: 'What the partner gets' })).toContainText(
    'Kite starter set · This offer pays partners nothing. Set partner payouts in the offer.',
  );
  await expectAccessible(page, 'a partner with its links');
  await expectNoSidewaysScroll(page, 'a partner with its links');
  await page.keyboard.press('Escape');
  await expect(page.getByRole('table', { name: 'Partners' })).toContainText('ads@bittern.example · also p77');

  await expect(async () => {
    const res = await page.request.get(link.replace('[site]', 'birds.example'), { maxRedirects: 0 });
    expect(new URL(res.headers().location!).searchParams.get('who')).toBe(id);
  }).toPass();
  await goTo(page, system, `/campaigns/${campaign.id}/visits`);
  await page.getByText('birds.example').last().click();
  await expect(page.getByRole('dialog').getByText('Bittern Media')).toBeVisible();
  expect(errors).toEqual([]);
});

test('what a partner gets is set in the offer, booked with the conversion, and rejected with a reason', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const network = await makePart(page, 'network', { name: 'Skylark direct', relation: 'direct', fields: {} });
  const offer = await makePart(page, 'offer', {
    name: 'Skylark star club',
    networkId: network.id,
    link: 'https://skylark.example/club?ref={click_id}',
    payoutMode: 'fixed',
    payoutMicros: '14000000',
    currency: 'EUR',
  });
  const partner = await makePart(page, 'partner', { name: 'Avocet Reach' });
  await goTo(page, system, '/parts/offer');
  await page.getByRole('button', { name: 'Skylark star club', exact: true }).click();
  const sheet = page.getByRole('dialog');
  await sheet.getByRole('button', { name: 'Partner payouts' }).click();
  await sheet.getByRole('button', { name: 'Add partner payout' }).click();
  await choose(sheet.getByRole('combobox', { name: 'Event type of partner payout 1' }), 'Sale');
  await sheet.getByLabel('Amount of partner payout 1').fill('15');
  await sheet.getByRole('button', { name: 'Save' }).click();
  await expect(sheet.getByText('This is more than the advertiser pays for a conversion.')).toBeVisible();
  await sheet.getByLabel('Amount of partner payout 1').fill('9');
  await sheet.getByRole('button', { name: 'Add exception by partner or country' }).click();
  await choose(sheet.getByRole('combobox', { name: 'Partner of exception 1' }), 'Avocet Reach');
  await choose(sheet.getByRole('combobox', { name: 'Kind of exception 1' }), 'share of revenue');
  await sheet.getByLabel('Share of exception 1').fill('75');
  await expectAccessible(page, 'partner payouts of an offer');
  await sheet.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('table', { name: 'Offers' })).toContainText('pays 14.00 EUR · pays partners');

  const source = await makePart(page, 'source', {
    name: 'Club partners',
    costCurrency: 'EUR',
    parameters: [],
  });
  const campaign = await makePart(page, 'campaign', {
    name: 'NL · Star club · Partners',
    sourceId: source.id,
    offerId: offer.id,
    costModel: 'none',
    costCurrency: 'EUR',
  });
  let clickId = '';
  await expect(async () => {
    const link = `${system.tracking}/v/${campaign.key}?partner=${partner.id}`;
    const res = await page.request.get(link, { maxRedirects: 0 });
    clickId = new URL(res.headers().location!).searchParams.get('ref')!;
    expect(clickId).toHaveLength(26);
  }).toPass();
  await page.request.get(`${system.tracking}/in/${network.key}?click_id=${clickId}&transaction=SK-1`);

  await goTo(page, system, '/conversions/all');
  await choose(page.getByRole('combobox', { name: 'Partner payout' }), 'payout approved');
  const table = page.getByRole('table', { name: 'Conversions' });
  await expect(table).toContainText('partner: 10.50 EUR approved');
  await table.getByRole('row').nth(1).getByRole('button').first().click();
  const conversion = page.getByRole('dialog');
  await expect(conversion).toContainText('Avocet Reach gets 10.50 EUR');
  await conversion.getByRole('button', { name: 'Review payout …' }).click();
  await choose(conversion.getByRole('combobox', { name: 'Partner payout' }), 'Reject');
  await conversion.getByLabel('Reason').fill('The same buyer as SK-0.');
  await expectAccessible(page, 'a payout under review');
  await conversion.getByRole('button', { name: 'Save decision' }).click();
  await expect(conversion.getByText('Partner payout rejected.')).toBeVisible();
  await expect(conversion.getByRole('region', { name: 'Bookings', exact: true })).toContainText(
    '−10.50 EUR partner payout',
  );
  await expect(conversion.getByText('14.00 EUR').first()).toBeVisible();
  await page.keyboard.press('Escape');
  // The list asks only for approved ones.
  await expect(table).toHaveCount(0);
  expect(errors).toEqual([]);
});

test('a partner is put on a statement, which is voided and issued again, and paid', async ({ page }) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const network = await makePart(page, 'network', { name: 'Fernway direct', relation: 'direct', fields: {} });
  const types = await page.evaluate(
    async () => (await (await fetch('/api/parts/event-type')).json()) as { id: string }[],
  );
  const offer = await makePart(page, 'offer', {
    name: 'Fernway fern club',
    networkId: network.id,
    link: 'https://fernway.example/club?ref={click_id}',
    currency: 'EUR',
    partnerPayouts: [{ eventTypeId: types[0]!.id, pays: 'share', percent: '33333333' }],
  });
  const partner = await makePart(page, 'partner', { name: 'Crake Ads', email: 'pay@crake.example' });
  const source = await makePart(page, 'source', {
    name: 'Fern partners',
    costCurrency: 'EUR',
    parameters: [],
  });
  const campaign = await makePart(page, 'campaign', {
    name: 'NL · Fern club · Partners',
    sourceId: source.id,
    offerId: offer.id,
    costModel: 'none',
    costCurrency: 'EUR',
  });
  await expect(async () => {
    const link = `${system.tracking}/v/${campaign.key}?partner=${partner.id}`;
    const res = await page.request.get(link, { maxRedirects: 0 });
    const clickId = new URL(res.headers().location!).searchParams.get('ref')!;
    expect(clickId).toHaveLength(26);
    await page.request.get(
      `${system.tracking}/in/${network.key}?click_id=${clickId}&payout=10&currency=EUR&transaction=FE-1`,
    );
  }).toPass();

  await goTo(page, system, '/money/billing');
  const open = page.getByRole('table', { name: 'Not on a statement' });
  await expect(open.getByRole('row', { name: /Crake Ads/ })).toContainText('3.33 EUR');
  await expectAccessible(page, 'billing of partners');
  await expectNoSidewaysScroll(page, 'billing of partners');
  const issue = page.getByRole('button', { name: 'Issue statement to Crake Ads in EUR' });
  await issue.click();
  const statements = page.getByRole('table', { name: 'Statements' });
  await statements
    .getByRole('row', { name: /Crake Ads/ })
    .getByRole('link')
    .click();
  await expect(page.getByRole('heading', { name: 'Statement 1 to Crake Ads' })).toBeVisible();
  await expect(page.getByRole('table', { name: 'Lines' })).toContainText('FE-1');
  await expect(page.getByRole('region', { name: 'Sums' })).toContainText(
    'Carried over to the next statement',
  );
  await expectAccessible(page, 'a statement');
  for (const format of ['CSV', 'XLSX']) {
    const saved = page.waitForEvent('download');
    await page.getByRole('button', { name: format, exact: true }).click();
    expect((await saved).suggestedFilename()).toBe(`statement-partner-1.${format.toLowerCase()}`);
  }
  await page.getByRole('button', { name: 'Void statement …' }).click();
  await page.getByLabel('Reason').fill('Issued too early.');
  await page.getByRole('button', { name: 'Void statement', exact: true }).click();
  await expect(page.getByText('This statement is void: Issued too early.')).toBeVisible();

  await page.getByRole('link', { name: 'All statements' }).click();
  await issue.click();
  await statements.getByRole('checkbox', { name: /statement 2/ }).check();
  await page.getByRole('button', { name: 'Make payment of 1' }).click();
  const payment = page.getByRole('table', { name: 'Payments' }).getByRole('row', { name: /Crake Ads/ });
  await payment.getByRole('button', { name: 'Approve: payment 1' }).click();
  await payment.getByRole('button', { name: 'Mark as paid: payment 1' }).click();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Mark as paid' }).click();
  await expect(payment).toContainText('paid');
  await expect(statements.getByRole('row', { name: /^.*2.*Crake Ads/ })).toContainText('paid');
  await payment.getByRole('button', { name: 'Undo payment: payment 1' }).click();
  await expect(payment).toContainText('approved');

  // The other side of the same conversion.
  await page.getByRole('button', { name: 'Advertisers' }).click();
  await page.getByRole('button', { name: 'Issue statement to Fernway direct in EUR' }).click();
  await expect(statements.getByRole('row', { name: /Fernway direct/ })).toContainText('10.00 EUR');
  expect(errors).toEqual([]);
});
