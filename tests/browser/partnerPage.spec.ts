/** The partner page, as the desk opens it and a partner lives on it. */

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

const PASSWORD = 'kites over the estuary';
let system: BrowserDesk;
test.beforeAll(async () => {
  system = await emptyDesk();
});

test('from an invitation to a statement: a partner signs in, asks for an offer, accepts its terms, sends visitors and reads what it gets', async ({
  page,
  browser,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const network = await makePart(page, 'network', {
    name: 'Kitewright direct',
    relation: 'direct',
    fields: {},
  });
  const types = await page.evaluate(
    async () => (await (await fetch('/api/parts/event-type')).json()) as { id: string }[],
  );
  const offer = await makePart(page, 'offer', {
    name: 'Kitewright kite club',
    networkId: network.id,
    link: 'https://kitewright.example/club?ref={click_id}',
    payoutMode: 'fixed',
    payoutMicros: '14000000',
    currency: 'EUR',
    partnerPayouts: [{ eventTypeId: types[0]!.id, pays: 'fixed', amountMicros: '9000000' }],
  });
  const partner = await makePart(page, 'partner', { name: 'Avocet Reach', email: 'ines@avocet.example' });
  const source = await makePart(page, 'source', {
    name: 'Club partners',
    costCurrency: 'EUR',
    parameters: [{ parameter: 'site', macro: '[site]', role: 'sub', sub: 'site' }],
  });
  await makePart(page, 'campaign', {
    name: 'BE · Kite club · Partners',
    sourceId: source.id,
    offerId: offer.id,
    costModel: 'none',
    costCurrency: 'EUR',
  });

  // The desk opens the offer to partners who ask.
  await goTo(page, system, '/parts/offer');
  await page.getByRole('button', { name: 'Kitewright kite club', exact: true }).click();
  const sheet = page.getByRole('dialog');
  await sheet.getByRole('button', { name: 'Partner page' }).click();
  await choose(sheet.getByRole('combobox', { name: 'Who can promote it' }), 'partners who ask');
  await sheet.getByLabel('Category').fill('Hobby clubs');
  await sheet.getByLabel('Description for partners').fill('## What sells\n\n- **Families**\n- <b>Spring</b>');
  await sheet.getByLabel('Terms').fill('No coupon sites.');
  await sheet.getByRole('button', { name: 'Preview' }).click();
  await expect(sheet.getByRole('heading', { name: 'What sells' })).toBeVisible();
  await expect(sheet.getByText('<b>Spring</b>')).toBeVisible();
  await expectAccessible(page, 'an offer for partners');
  await sheet.getByRole('button', { name: 'Save' }).click();
  await expect(sheet).toHaveCount(0);

  // And invites a person.
  await goTo(page, system, '/parts/partner');
  await page.getByRole('button', { name: 'Avocet Reach', exact: true }).click();
  await sheet.getByRole('button', { name: 'People who sign in' }).click();
  await sheet.getByRole('button', { name: 'Add a person' }).click();
  await expect(sheet.getByLabel('E-mail address of the person')).toHaveValue('ines@avocet.example');
  const email = `ines-${system.deskId.toLowerCase()}@avocet.example`;
  await sheet.getByLabel('E-mail address of the person').fill(email);
  await sheet.getByRole('button', { name: 'Add person' }).click();
  await expect(sheet.getByText('Enter a name.')).toBeVisible();
  await sheet.getByLabel('Name of the person').fill('Ines Marou');
  await sheet.getByRole('button', { name: 'Add person' }).click();
  const told = sheet.getByRole('status').filter({ hasText: 'Give this link to Ines Marou' });
  const invitation = await copiedBy(page, () => told.getByRole('button', { name: 'Copy link' }).click());
  expect(invitation.startsWith(`${system.partnerPage}/new-password#`)).toBe(true);
  await expectAccessible(page, 'a partner with its people');
  await page.keyboard.press('Escape');

  // Ines, with a browser of her own.
  const hers = await browser.newContext({
    viewport: { width: 390, height: 800 },
    permissions: ['clipboard-read', 'clipboard-write'],
  });
  const phone = await hers.newPage();
  const herErrors = watchConsole(phone, [/401/]);
  await phone.goto(invitation);
  await phone.getByLabel('New password').fill('password1234');
  await phone.getByRole('button', { name: 'Save password' }).click();
  await expect(phone.getByText('too easy to guess')).toBeVisible();
  await phone.getByLabel('New password').fill(PASSWORD);
  await phone.getByRole('button', { name: 'Save password' }).click();
  await phone.getByRole('button', { name: 'Sign in' }).click();
  await phone.getByLabel('E-mail address').fill(email);
  await phone.getByLabel('Password').fill(PASSWORD);
  await expectAccessible(phone, 'the door of the partner page');
  await phone.getByRole('button', { name: 'Sign in' }).click();
  await expect(phone.getByText('Partner page of Avocet Reach')).toBeVisible();
  await phone.getByRole('link', { name: 'Kitewright kite club' }).click();
  await expect(phone.getByRole('region', { name: 'What you get' })).toContainText('9.00 EUR');
  await expect(phone.getByText('<b>Spring</b>')).toBeVisible();
  await phone.getByLabel('What you plan (optional)').fill('A weekly e-mail about outdoor hobbies.');
  await phone.getByRole('button', { name: 'Ask for this offer' }).click();
  await expect(phone.getByRole('heading', { name: 'You asked for it' })).toBeVisible();
  await expectAccessible(phone, 'an offer that was asked for');

  // The desk is told, and approves.
  await goTo(page, system, '/today');
  const asks = page.getByRole('listitem').filter({ hasText: '1 partner asks to promote an offer.' });
  await asks.getByRole('link', { name: 'Review' }).click();
  const requests = page.getByRole('list', { name: 'Requests of partners' });
  await expect(requests).toContainText('“A weekly e-mail about outdoor hobbies.”');
  await expectAccessible(page, 'a request of a partner');
  await requests.getByRole('button', { name: 'Refuse' }).click();
  await page.getByLabel('Reason, shown to the partner').fill('No e-mail.');
  await page.getByRole('button', { name: 'Refuse', exact: true }).last().click();
  await expect(requests).toHaveCount(0);
  // A screen that is opened again asks again.
  const again = async (other: string, own: string): Promise<void> => {
    await phone.getByRole('link', { name: other, exact: true }).click();
    await phone.getByRole('link', { name: own, exact: true }).click();
  };
  await again('Offers', 'Kitewright kite club');
  await expect(phone.getByRole('region', { name: 'Access' })).toContainText('No e-mail.');
  await page.getByRole('button', { name: 'Avocet Reach', exact: true }).click();
  await sheet.getByRole('button', { name: 'Offers' }).click();
  await sheet.getByRole('button', { name: 'Give access: Avocet Reach, Kitewright kite club' }).click();
  await expect(sheet.getByText('Has not accepted the terms as they are now.')).toBeVisible();
  await page.keyboard.press('Escape');

  // Terms first, then the link, with a value of her own.
  await again('Offers', 'Kitewright kite club');
  await expect(phone.getByRole('region', { name: 'Your links' })).toHaveCount(0);
  await phone.getByRole('button', { name: 'Accept terms' }).click();
  await phone.getByLabel('site').fill('birds & kites');
  await expectAccessible(phone, 'an offer with its link');
  await expectNoSidewaysScroll(phone, 'an offer on a phone');
  const link = await copiedBy(phone, () => phone.getByRole('button', { name: 'Copy link' }).click());
  expect(new URL(link).searchParams.get('partner')).toBe(partner.id);
  expect(new URL(link).searchParams.get('site')).toBe('birds & kites');
  let clickId = '';
  await expect(async () => {
    const res = await page.request.get(link, { maxRedirects: 0 });
    clickId = new URL(res.headers().location!).searchParams.get('ref')!;
    expect(clickId).toHaveLength(26);
  }).toPass();
  await page.request.get(`${system.tracking}/in/${network.key}?click_id=${clickId}&transaction=KC-1`);

  // What she has brought, and what she gets for it.
  await phone.getByRole('link', { name: 'Numbers' }).click();
  await expect(phone.getByRole('heading', { name: 'Numbers', level: 1 })).toBeVisible();
  const numbers = phone.getByRole('table', { name: 'Numbers' });
  await expect(async () => {
    await again('Conversions', 'Numbers');
    await expect(numbers).toContainText('9.00', { timeout: 2000 });
    await expect(phone.getByText('not known now')).toHaveCount(0, { timeout: 500 });
  }).toPass();
  await choose(phone.getByRole('combobox', { name: 'Break down by' }), 'Sub-ID site');
  await expect(numbers.getByRole('row', { name: /birds & kites/ })).toContainText('9.00');
  await expectAccessible(phone, 'numbers of a partner');
  await expectNoSidewaysScroll(phone, 'numbers of a partner on a phone');

  await phone.getByRole('link', { name: 'Conversions' }).click();
  await expect(phone.getByRole('table', { name: 'Conversions' })).toContainText('site birds & kites');
  await expectAccessible(phone, 'conversions of a partner');
  await expectNoSidewaysScroll(phone, 'conversions of a partner on a phone');

  await goTo(page, system, '/money/billing');
  await page.getByRole('button', { name: 'Issue statement to Avocet Reach in EUR' }).click();
  await expect(page.getByRole('table', { name: 'Statements' })).toContainText('Avocet Reach');
  await phone.getByRole('link', { name: 'Statements' }).click();
  await phone.getByRole('link', { name: 'Statement 1' }).click();
  await expect(phone.getByRole('region', { name: 'Sums' })).toContainText('9.00 EUR');
  await expect(phone.getByRole('table', { name: 'Lines' })).toContainText('Kitewright kite club');
  await expect(phone.getByText('KC-1')).toHaveCount(0);
  await expectAccessible(phone, 'a statement as the partner sees it');
  const saved = phone.waitForEvent('download');
  await phone.getByRole('button', { name: 'CSV' }).click();
  expect((await saved).suggestedFilename()).toBe('statement-1.csv');

  // Her own tracking is told from now on.
  await phone.getByRole('link', { name: 'Postback' }).click();
  await phone.getByLabel('Postback URL').fill(`${system.adNetwork}/partner?c=`);
  await phone.getByLabel('Postback URL').press('End');
  await phone.getByRole('button', { name: 'partner_sub_site' }).click();
  await expect(phone.getByLabel('Postback URL')).toHaveValue(/c=\{partner_sub_site\}$/);
  await phone.getByRole('button', { name: 'Send test' }).click();
  await expect(phone.getByText('Your server answered 404.')).toBeVisible();
  // What is typed is not lost with the page.
  await phone.reload();
  await expect(phone.getByLabel('Postback URL')).toHaveValue(/c=\{partner_sub_site\}$/);
  await phone.getByLabel('pending').uncheck();
  await expectAccessible(phone, 'the postback of a partner');
  await expectNoSidewaysScroll(phone, 'the postback of a partner on a phone');
  await phone.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(phone.getByText('Postback saved')).toBeVisible();
  await page.request.get(
    `${system.tracking}/in/${network.key}?click_id=${clickId}&transaction=KC-1&status=rejected`,
  );
  await expect(async () => {
    await again('Statements', 'Postback');
    await expect(phone.getByRole('table', { name: 'Sent last' })).toContainText('c=birds%20%26%20kites', {
      timeout: 2000,
    });
  }).toPass();

  // Her access ends, and with it her session.
  await goTo(page, system, '/parts/partner');
  await page.getByRole('button', { name: 'Avocet Reach', exact: true }).click();
  await sheet.getByRole('button', { name: 'People who sign in' }).click();
  await sheet.getByRole('button', { name: 'Remove Ines Marou' }).click();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Remove' }).click();
  await expect(sheet.getByText('Ines Marou')).toHaveCount(0);
  await phone.getByRole('link', { name: 'Statements' }).click();
  await expect(phone.getByRole('heading', { name: 'Partner page', level: 1 })).toBeVisible();
  expect([errors, herErrors]).toEqual([[], []]);
  await hers.close();
});
