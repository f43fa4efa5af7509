/**
 * An own offer with the practice advertiser: one that stores only the partner's ID, and one whose thank-you page carries an
 * iframe pixel; in a second browser, which sends no cookies, what is lost is kept and shown.
 */
import type { Page } from '@playwright/test';
import { emptyDesk, type BrowserDesk } from './desks.ts';
import { ask, choose, copiedBy, expectAccessible, goTo, makePart, signIn, watchConsole } from './people.ts';
import { expect, test } from './test.ts';

let system: BrowserDesk;
test.beforeAll(async () => {
  system = await emptyDesk();
});
test.describe.configure({ mode: 'serial' });

/** What the practice advertiser has been given, so that others find it as it was. */
async function given(outside: Page, field: 'postback' | 'pixel', text: string): Promise<string> {
  await outside.goto(`${system.affiliate}/`);
  const input = outside.locator(`[name=${field}]`);
  const before = await input.inputValue();
  await input.fill(text);
  await outside.getByRole('button', { name: 'Save' }).click();
  return before;
}
async function order(outside: Page, link: string): Promise<string> {
  await outside.goto(link);
  await outside.getByLabel('Your name').fill('Ines');
  await outside.getByRole('button', { name: 'Order now' }).click();
  return outside.locator('#lead').innerText();
}
const macros = (names: Record<string, string>) =>
  Object.fromEntries(
    Object.entries(names).map(([field, macro]) => [field, { macro: `#${macro}#`, parameter: '' }]),
  );
const words = [
  { word: 'wait', means: 'pending' },
  { word: 'ok', means: 'approved' },
  { word: 'no', means: 'rejected' },
];

test('the advertiser stores only the partner’s ID: its orders are the partner’s, paid and told, without a click ID', async ({
  page,
  context,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const types = await page.evaluate(
    async () => (await (await fetch('/api/parts/event-type')).json()) as { id: string }[],
  );
  const network = await makePart(page, 'network', {
    name: 'Skylark direct',
    relation: 'direct',
    macroStyle: '#x#',
    fields: macros({
      payout: 'amt',
      currency: 'cur',
      transaction: 'txn',
      status: 'st',
      partner_id: 'pub',
      offer_id: 'oid',
    }),
    statusWords: words,
  });
  const partner = await makePart(page, 'partner', { name: 'Avocet Reach' });
  const offer = await makePart(page, 'offer', {
    name: 'Skylark stargazing trial',
    networkId: network.id,
    link: `${system.affiliate}/o/4480?pub={partner_id}`,
    idAtNetwork: '4480',
    currency: 'EUR',
    partnerAccess: 'open',
    partnerPayouts: [{ eventTypeId: types[0]!.id, pays: 'share', percent: '60000000' }],
  });
  const source = await makePart(page, 'source', { name: 'Partners', costCurrency: 'EUR', parameters: [] });
  const campaign = await makePart(page, 'campaign', {
    name: 'NL · Stargazing · Partners',
    sourceId: source.id,
    offerId: offer.id,
    costModel: 'none',
    costCurrency: 'EUR',
  });
  // The handover has the advertiser's own names, and asks for no click ID.
  await goTo(page, system, '/parts/network');
  await page.getByRole('button', { name: 'Skylark direct', exact: true }).click();
  const url = await copiedBy(page, () =>
    page.getByRole('dialog').getByRole('button', { name: 'Copy postback URL' }).click(),
  );
  expect(url).toMatch(/partner_id=#pub#&offer_id=#oid#$/);
  expect(url).not.toContain('click_id');
  await page.keyboard.press('Escape');

  const outside = await context.newPage();
  const before = await given(outside, 'postback', url);
  const link = `${system.tracking}/v/${campaign.key}?partner=${partner.id}`;
  await expect(async () => {
    const res = await page.request.get(link, { maxRedirects: 0 });
    expect(res.headers().location).toContain(`pub=${partner.id}`);
  }).toPass();
  const lead = await order(outside, link);
  await goTo(page, system, '/conversions/all');
  const row = page.getByRole('table', { name: 'Conversions' }).getByRole('row').filter({ hasText: lead });
  await expect(row).toContainText('pending');
  await outside.goto(`${system.affiliate}/`);
  await outside.locator(`[data-lead="${lead}"]`).getByRole('button', { name: 'approved' }).click();
  await expect(row).toContainText('approved');
  await row.getByRole('button').first().click();
  // 12.50 EUR, of which the partner gets 60 %.
  await expect(page.getByRole('dialog')).toContainText('Avocet Reach gets 7.50 EUR');
  await page.keyboard.press('Escape');
  await given(outside, 'postback', before);
  await outside.close();
  expect(errors).toEqual([]);
});

test('an iframe pixel carries the partner’s own pixel; a browser without cookies loses a conversion, which is kept, shown and paid to nobody', async ({
  page,
  context,
  browser,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const types = await page.evaluate(
    async () => (await (await fetch('/api/parts/event-type')).json()) as { id: string }[],
  );
  const sheet = page.getByRole('dialog');
  const network = await makePart(page, 'network', {
    name: 'Fernway direct',
    relation: 'direct',
    clickIdParameter: 'aff_ref',
    macroStyle: '#x#',
    fields: macros({ click_id: 'ref', payout: 'amt', currency: 'cur', transaction: 'txn', status: 'st' }),
    statusWords: words,
    acceptsPixels: true,
  });
  const partner = await makePart(page, 'partner', { name: 'Bittern Media' });
  const offer = await makePart(page, 'offer', {
    name: 'Fernway terrarium box',
    networkId: network.id,
    link: `${system.affiliate}/o/4471?aff_ref={click_id}`,
    currency: 'EUR',
    partnerPayouts: [{ eventTypeId: types[0]!.id, pays: 'fixed', amountMicros: '9000000' }],
  });
  const source = await makePart(page, 'source', {
    name: 'More partners',
    costCurrency: 'EUR',
    parameters: [],
  });
  const campaign = await makePart(page, 'campaign', {
    name: 'NL · Terrarium · Partners',
    sourceId: source.id,
    offerId: offer.id,
    costModel: 'none',
    costCurrency: 'EUR',
  });
  const link = `${system.tracking}/v/${campaign.key}?partner=${partner.id}`;

  // The partner wants an image of its own on the thank-you page.
  const email = `bram-${system.deskId.toLowerCase()}@bittern.example`;
  const { url } = await ask<{ url: string }>(page, 'POST', `/partners/${partner.id}/users`, {
    name: 'Bram',
    email,
  });
  const his = await (await browser.newContext()).newPage();
  const password = 'herons over the reeds';
  for (const [path, data] of [
    ['/new-password', { secret: url.split('#')[1], password }],
    ['/sign-in', { email, password }],
  ] as const) {
    const headers = { Origin: system.partnerPage };
    const answer = await his.request.post(`${system.partnerPage}/api${path}`, { headers, data });
    expect([path, answer.status()]).toEqual([path, 200]);
  }
  await his.goto(`${system.partnerPage}/postback`);
  await his.getByText('Image pixel').click();
  const own = `${system.adNetwork}/pixel?uid=bittern&pay={partner_payout}&st={status}`;
  await his.getByLabel('Postback URL').fill(own);
  await his.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(his.getByText('Postback saved')).toBeVisible();

  // By click ID: the page of the advertiser loads our iframe, and within it the partner's image.
  await goTo(page, system, '/parts/network');
  await page.getByRole('button', { name: 'Fernway direct', exact: true }).click();
  await choose(sheet.getByLabel('Written as'), 'an iframe pixel');
  const tag = await copiedBy(page, () => sheet.getByRole('button', { name: 'Copy pixel tag' }).click());
  await choose(sheet.getByLabel('Visit known by'), 'the cookie');
  const byCookie = await copiedBy(page, () => sheet.getByRole('button', { name: 'Copy pixel tag' }).click());
  await page.keyboard.press('Escape');
  const outside = await context.newPage();
  const before = await given(outside, 'postback', '');
  await given(outside, 'pixel', tag);
  await expect(async () => {
    const res = await page.request.get(link, { maxRedirects: 0 });
    expect(res.headers().location).toContain('aff_ref=');
  }).toPass();
  const image = outside.waitForRequest((r) => r.url().startsWith(`${system.adNetwork}/pixel?uid=bittern`));
  const first = await order(outside, link);
  expect(new URL((await image).url()).searchParams.get('pay')).toBe('9.00');
  await his.reload();
  await expect(his.getByRole('table', { name: 'Sent last' })).toContainText('delivered');

  // By cookie, in a browser that sends none to other sites: the call is kept, and says what it lacks.
  await given(outside, 'pixel', byCookie);
  const closed = await browser.newContext({
    userAgent: 'Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/145.0',
  });
  const stranger = await closed.newPage();
  const second = await order(stranger, link);
  await goTo(page, system, '/conversions/postbacks-in');
  const inRow = (lead: string) => page.getByRole('row').filter({ hasText: lead });
  await expect(inRow(first)).toContainText('accepted');
  await expect(inRow(second)).toContainText('needs repair');
  await goTo(page, system, '/conversions/needs-repair');
  await expect(page.locator('main')).toContainText('transactions that no conversion has');
  await expect(page.locator('main')).toContainText('No visit matches it.');
  await expectAccessible(page, 'a lost pixel under repair');
  // Nobody is paid for it until a member says whose it is.
  await his.getByRole('link', { name: 'Numbers' }).click();
  await expect(his.getByRole('table', { name: 'Numbers' })).toContainText('9.00');

  await given(outside, 'pixel', '');
  await given(outside, 'postback', before);
  await Promise.all([his.context().close(), closed.close(), outside.close()]);
  expect(errors).toEqual([]);
});
