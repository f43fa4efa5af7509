/**
 * The loop closes: from an empty desk to a paid conversion on screen, through the real screens, with the practice ad
 * network, affiliate network and shop on the other side of real sockets.
 */
import type { Locator, Page } from '@playwright/test';
import {
  ask,
  choose,
  copiedBy,
  expectAccessible,
  goTo,
  makeCampaign,
  makePart,
  openScreen,
  signIn,
  watchConsole,
} from './people.ts';
import { emptyDesk, type BrowserDesk } from './desks.ts';
import { expect, test } from './test.ts';

let system: BrowserDesk;
test.beforeAll(async () => {
  system = await emptyDesk();
});

// Each goes on with what the one before set up.
test.describe.configure({ mode: 'serial' });

/** The campaign's page at the practice ad network. */
let atNetwork = '';
const sheet = (page: Page): Locator => page.getByRole('dialog');

/** The forms of set-up have tests of their own. Answers the postback URL, as the network's sheet gives it. */
async function makeParts(page: Page): Promise<string> {
  const [sale] = await ask<{ id: string }[]>(page, 'GET', '/parts/event-type');
  const templates = await ask<{ title: string; body: object }[]>(page, 'GET', '/templates');
  const network = await makePart(page, 'network', {
    ...templates.find((t) => t.title === 'Larkspur CPA')!.body,
    eventWords: [{ word: 'order', eventTypeId: sale!.id }],
  });
  await makePart(page, 'source', {
    name: 'Moorhen Push',
    macroStyle: '[x]',
    parameters: [
      { parameter: 'clk', macro: '[click]', role: 'click_id' },
      { parameter: 'site', macro: '[site]', role: 'sub', sub: 'site' },
      { parameter: 'ad', macro: '[ad]', role: 'sub', sub: 'ad' },
      { parameter: 'bid', macro: '[cost]', role: 'cost' },
    ],
    postbackUrl: `${system.adNetwork}/postback?uid={source_click_id}&sum={payout}&st={status}`,
  });
  await makePart(page, 'offer', {
    name: 'Fernway terrarium box',
    networkId: network.id,
    link: `${system.affiliate}/o/4471?pub=902`,
    countries: ['NL'],
  });
  await goTo(page, system, '/parts/network');
  await page.getByRole('button', { name: 'Larkspur CPA', exact: true }).click();
  const url = await copiedBy(page, () =>
    sheet(page).getByRole('button', { name: 'Copy postback URL' }).click(),
  );
  expect(url).toMatch(
    /^http:\/\/127\.0\.0\.2:\d+\/in\/[a-z0-9]{12}\?click_id=#ref#&payout=#amt#&currency=#cur#&transaction=#txn#&event=#ev#&status=#st#&conversion_time=#ts#&changed_time=#now#$/,
  );
  await page.keyboard.press('Escape');
  return url;
}

async function newCampaign(page: Page): Promise<string> {
  await makeCampaign(page, system, {
    name: 'NL · Fernway terrarium box · Moorhen Push',
    source: 'Moorhen Push',
    offer: 'Fernway terrarium box',
    costModel: 'link',
  });
  await expect(
    page.getByRole('heading', { name: 'NL · Fernway terrarium box · Moorhen Push', level: 1 }),
  ).toBeVisible();
  await page.getByRole('button', { name: /^Edit/ }).click();
  await expect(sheet(page).getByLabel('from the tracking link')).toBeChecked();
  await expectAccessible(page, 'campaign form');
  await page.keyboard.press('Escape');
  await expect(page.getByText(/Moorhen Push: paste this as the ad’s destination/)).toBeVisible();
  const link = await copiedBy(page, () => page.keyboard.press('c'));
  expect(link).toMatch(
    /^http:\/\/127\.0\.0\.2:\d+\/v\/[a-z0-9]{12}\?clk=\[click\]&site=\[site\]&ad=\[ad\]&bid=\[cost\]$/,
  );
  return link;
}

test('from an empty desk to a conversion that is paid, told to the source, and reversed', async ({
  page,
  context,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  await expect(page.getByRole('link', { name: /Network: the company that pays you/ })).toHaveAttribute(
    'href',
    '/parts/network?new=1',
  );
  const postback = await makeParts(page);
  const link = await newCampaign(page);
  const figure = (name: string): Locator =>
    page
      .getByLabel('Figures')
      .locator('div', { has: page.getByText(name, { exact: true }) })
      .locator('.value');

  // The other side: the network gets the postback URL, the source the tracking link.
  const outside = await context.newPage();
  await outside.goto(`${system.affiliate}/`);
  await outside.getByLabel('Postback URL').fill(postback);
  await outside.getByRole('button', { name: 'Save' }).click();
  await outside.goto(`${system.adNetwork}/`);
  await outside.getByLabel('Name').fill('Kits, autumn');
  await outside.getByLabel('Tracking link').fill(link);
  await outside.getByRole('button', { name: 'Create campaign' }).click();
  atNetwork = outside.url();
  await expect(outside.locator('#filled')).toContainText(
    'clk=mh-sample&site=kiosk-nord.example&ad=ad-1&bid=0.0310',
  );
  await outside.getByLabel('Country').selectOption('NL');
  await outside.getByLabel('Device').selectOption('phone');
  await outside.getByRole('button', { name: 'Send one visit' }).click();
  await expect(outside.locator('#sent')).toContainText('302');

  // The visit appears by itself, with all that is known of it.
  const visits = page.getByRole('region', { name: 'Latest visits', exact: true });
  await expect(visits.getByText('NL · phone')).toBeVisible();
  await expect(visits.getByText(/^mh/)).toBeVisible();
  await expect(visits.getByText('unique')).toBeVisible();
  await expect(visits.getByText(/^0\.0\d+ EUR$/)).toBeVisible();
  // A click shows all of it, down to the raw query.
  await visits.getByText('NL · phone').click();
  const one = page.getByRole('dialog', { name: 'One visit' });
  await expect(one.getByText('Netherlands', { exact: true })).toBeVisible();
  await expect(one.getByText(/^145\.53\./)).toBeVisible();
  await expect(one.getByText(/^clk=mh\w+&site=\S+&ad=ad-\d&bid=0\.0\d+$/).last()).toBeVisible();
  await expectAccessible(page, 'one visit');
  await page.keyboard.press('Escape');
  await expect(one).toBeHidden();
  await expect(figure('Visits')).toHaveText('1');
  await expect(figure('Sent to offer')).toHaveText('1');

  // The visitor orders; the network calls; the conversion is on hold.
  await outside.locator('a.onward').first().click();
  await expect(outside.getByRole('heading', { name: 'Fernway terrarium box' })).toBeVisible();
  expect(new URL(outside.url()).searchParams.get('aff_ref')).toMatch(/^[0-9A-Z]{26}$/);
  await outside.getByLabel('Your name').fill('Ida');
  await outside.getByRole('button', { name: 'Order now' }).click();
  const lead = await outside.locator('#lead').innerText();
  const conversions = page.getByRole('region', { name: 'Latest conversions', exact: true });
  await expect(conversions.getByText('pending')).toBeVisible();
  await expect(figure('On hold')).toHaveText('◌ 18.00');
  await expect(figure('Earned')).toHaveText('0.00');

  // Approved: earned, and the source is told its own click ID and the payout.
  await outside.goto(`${system.affiliate}/`);
  const row = outside.locator(`tr[data-lead="${lead}"]`);
  await row.getByRole('button', { name: 'approved' }).click();
  await expect(conversions.getByText('approved')).toBeVisible();
  await expect(figure('Earned')).toHaveText('18.00');
  await expect(figure('On hold')).toHaveText('–');
  await expect(figure('Profit')).toHaveText(/^\+17\.9\d$/);
  await outside.goto(`${system.adNetwork}/`);
  await expect(async () => {
    await outside.reload();
    await expect(outside.locator('#postbacks')).toContainText(/uid=mh\w+&sum=18\.00&st=approved/, {
      timeout: 100,
    });
  }).toPass({ timeout: 60_000 });
  await expect(outside.locator('#postbacks').getByText(/sum=18\.00&st=approved/)).toHaveCount(1);

  // Taken back: the money goes, the conversion stays, nothing is counted twice.
  await outside.goto(`${system.affiliate}/`);
  await row.getByRole('button', { name: 'call again' }).click();
  await row.getByRole('button', { name: 'reversed' }).click();
  await expect(conversions.getByText('reversed')).toBeVisible();
  await expect(figure('Earned')).toHaveText('0.00');
  await expect(figure('Conversions')).toHaveText('0');

  // The lists tell the whole story, each call with its sentence.
  await page.getByRole('link', { name: 'Conversions' }).click();
  const calls = page.getByRole('region', { name: 'Postbacks in, scrolls' });
  await expect(calls.getByRole('row')).toHaveCount(5);
  for (const sentence of ['New conversion.', 'now approved', 'Duplicate; nothing changed.', 'now reversed'])
    await expect(calls.getByText(sentence)).toBeVisible();
  await page
    .getByRole('navigation', { name: 'Conversions' })
    .getByRole('link', { name: 'Conversions' })
    .click();
  await expect(page.getByRole('cell', { name: lead, exact: true })).toBeVisible();
  await page.getByRole('link', { name: 'Postbacks out' }).click();
  await expect(page.getByText('delivered (200)')).toBeVisible();
  await expectAccessible(page, 'postbacks out');

  // A hand-off that is broken is kept, explained, and counted under what needs attention.
  await outside.request.get(postback.replace('#ref#', '').replace('#st#', 'ok').replace('#amt#', '4'));
  await page.getByRole('link', { name: 'Today', exact: true }).click();
  await expect(page.getByText('1 postback needs repair.')).toBeVisible();
  await page.getByRole('link', { name: 'Review' }).click();
  await expect(
    page.getByText(/The postback has neither a click ID nor a transaction|has no click ID/),
  ).toBeVisible();
  expect(errors).toEqual([]);
});

test('a stream of visits moves the figures while one looks on', async ({ page, context }) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/campaigns');
  await page.getByRole('link', { name: 'NL · Fernway terrarium box · Moorhen Push' }).click();
  const outside = await context.newPage();
  await outside.goto(atNetwork);
  await outside.getByLabel('Visits per second').fill('8');
  await outside.getByLabel('Bots, %').fill('20');
  await outside.getByLabel('Buy something, %').fill('60');
  await outside.getByRole('button', { name: 'Start the stream' }).click();
  const value = async (name: string): Promise<number> =>
    Number(
      (
        await page
          .getByLabel('Figures')
          .locator('div', { has: page.getByText(name, { exact: true }) })
          .locator('.value')
          .innerText()
      ).replace(/\D/g, ''),
    );
  await expect.poll(() => value('Visits'), { timeout: 60_000 }).toBeGreaterThan(12);
  await expect.poll(() => value('Conversions'), { timeout: 60_000 }).toBeGreaterThan(2);
  await expect(
    page
      .getByLabel('Figures')
      .getByText(/bots [1-9]/)
      .first(),
  ).toBeVisible({ timeout: 60_000 });
  await outside.getByRole('button', { name: 'Stop the stream' }).click();
  expect(errors).toEqual([]);
});

test('a campaign that is stopped sends nobody, says what it means, and is started again', async ({
  page,
}) => {
  await openScreen(page, system, '/campaigns');
  await page.getByRole('link', { name: 'NL · Fernway terrarium box · Moorhen Push' }).click();
  await page.getByRole('button', { name: 'Pause' }).click();
  await expect(
    page.getByText(/Moorhen Push keeps charging you until you pause the campaign there too/),
  ).toBeVisible();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Pause' }).click();
  await expect(page.getByText(/Paused: visitors see a short notice/)).toBeVisible();
  const link = await copiedBy(page, () => page.keyboard.press('c'));
  await expect
    .poll(async () => (await page.request.get(link, { maxRedirects: 0 })).status(), { timeout: 60_000 })
    .toBe(404);
  await page.getByRole('button', { name: 'Resume' }).click();
  await expect
    .poll(async () => (await page.request.get(link, { maxRedirects: 0 })).status(), { timeout: 60_000 })
    .toBe(302);
});

test('an advertiser that can’t call a server: its thank-you page carries the pixel, known by the click ID', async ({
  page,
  context,
}) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/parts/network');
  await page
    .getByRole('region', { name: /scrolls/ })
    .getByRole('button', { name: 'Larkspur CPA', exact: true })
    .click();
  const network = sheet(page);
  await choose(network.getByLabel('Written as'), 'an image pixel');
  const tag = await copiedBy(page, () => network.getByRole('button', { name: 'Copy pixel tag' }).click());
  expect(tag).toMatch(/^<img src="http.*\/in\/\w+\.gif\?.*#ref#/);
  // By cookie there is no click ID in the tag, and over http no cookie either: the screen says so.
  await choose(network.getByLabel('Visit known by'), 'the cookie');
  await expect(network.getByText(/Browsers send the cookie only over https/)).toBeVisible();
  await expect(network.getByText('#ref#', { exact: false }).filter({ hasText: '<img' })).toHaveCount(0);

  const outside = await context.newPage();
  await outside.goto(`${system.affiliate}/`);
  const before = await outside.locator('[name=postback]').inputValue();
  await outside.locator('[name=postback]').fill('');
  await outside.locator('[name=pixel]').fill(tag);
  await outside.getByRole('button', { name: 'Save' }).click();
  await goTo(page, system, '/campaigns');
  await page.getByRole('link', { name: 'NL · Fernway terrarium box · Moorhen Push' }).click();
  // Keys act once the campaign is there.
  await expect(page.getByRole('heading', { level: 1, name: /Fernway terrarium box/ })).toBeVisible();
  const link = await copiedBy(page, () => page.keyboard.press('c'));
  await outside.goto(link.replace('[click]', 'mh-pixel'));
  await outside.getByLabel('Your name').fill('Ines');
  await outside.getByRole('button', { name: 'Order now' }).click();
  const lead = await outside.locator('#lead').innerText();
  await goTo(page, system, '/conversions/postbacks-in');
  await expect(page.getByRole('row').filter({ hasText: lead })).toContainText('accepted');
  await goTo(page, system, '/parts/network');
  const opener = page
    .getByRole('region', { name: /scrolls/ })
    .getByRole('button', { name: 'Larkspur CPA', exact: true });
  await expect(async () => {
    // A list that is just being read again may take the click with its old row.
    if (!(await network.isVisible())) await opener.click({ timeout: 2000 });
    await expect(network.getByText(/Pixels of the last 30 days: 1/)).toBeVisible({ timeout: 3000 });
  }).toPass({ timeout: 60_000 });
  await outside.goto(`${system.affiliate}/`);
  await outside.locator('[name=postback]').fill(before);
  await outside.locator('[name=pixel]').fill('');
  await outside.getByRole('button', { name: 'Save' }).click();
  expect(errors).toEqual([]);
});

test('a partner that stores no click ID: found by partner and offer, told in lists, decided, and settled by its statement', async ({
  page,
  context,
}) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/parts/network');
  await page.getByRole('button', { name: 'New network' }).first().click();
  const form = sheet(page);
  await form.getByLabel('Name', { exact: true }).fill('Kitewright direct');
  await form.getByText('a direct advertiser').click();
  await choose(form.getByLabel('Macro style'), '#x#');
  for (const [what, macro] of [
    ['Partner ID', 'pub'],
    ['Offer ID', 'oid'],
    ['Payout', 'amt'],
    ['Currency', 'cur'],
    ['Transaction', 'txn'],
    ['Status', 'st'],
  ] as const)
    await form.getByLabel(`Macro for ${what}`, { exact: true }).fill(`#${macro}#`);
  for (const [i, [word, means]] of [
    ['wait', 'pending'],
    ['ok', 'approved'],
    ['no', 'rejected'],
  ].entries()) {
    await form.getByRole('button', { name: 'Add status word', exact: true }).click();
    await form.getByLabel(`Status word ${i + 1}`, { exact: true }).fill(word!);
    await choose(form.getByLabel(`Meaning of status word ${i + 1}`), means!);
  }
  await form.getByRole('button', { name: 'Create network' }).click();
  const url = await copiedBy(page, () => form.getByRole('button', { name: 'Copy postback URL' }).click());
  // It can't carry our click ID, so it is not asked to.
  expect(url).toMatch(
    /\/in\/\w+\?payout=#amt#&currency=#cur#&transaction=#txn#&status=#st#&partner_id=#pub#&offer_id=#oid#$/,
  );
  await page.keyboard.press('Escape');
  const networks = await ask<{ id: string; body: { name: string } }[]>(page, 'GET', '/parts/network');
  await makePart(page, 'offer', {
    name: 'Kitewright starter set',
    networkId: networks.find((n) => n.body.name === 'Kitewright direct')!.id,
    link: `${system.affiliate}/o/4480?pub=p7`,
    idAtNetwork: '4480',
  });

  const outside = await context.newPage();
  await outside.goto(`${system.affiliate}/`);
  const before = await outside.locator('[name=postback]').inputValue();
  const set = async (postback: string, manner: string): Promise<void> => {
    await outside.goto(`${system.affiliate}/`);
    await outside.locator('[name=postback]').fill(postback);
    await outside.locator('[name=manner]').selectOption(manner);
    await outside.getByRole('button', { name: 'Save' }).click();
  };
  await set(url, 'lists');
  const leads: string[] = [];
  for (const name of ['Ines', 'Bram']) {
    await outside.goto(`${system.affiliate}/o/4480?pub=p7`);
    await outside.getByLabel('Your name').fill(name);
    await outside.getByRole('button', { name: 'Order now' }).click();
    leads.push(await outside.locator('#lead').innerText());
  }
  await goTo(page, system, '/conversions/all');
  const rowOf = (lead: string): Locator => page.getByRole('row').filter({ hasText: lead });
  for (const lead of leads) {
    await expect(rowOf(lead)).toContainText('partner p7');
    await expect(rowOf(lead)).toContainText('pending');
  }
  await outside.goto(`${system.affiliate}/`);
  for (const [lead, to] of [
    [leads[0]!, 'approved'],
    [leads[1]!, 'rejected'],
  ] as const) {
    await outside.locator(`[data-lead="${lead}"]`).getByRole('button', { name: to }).click();
    await expect(rowOf(lead)).toContainText(to);
  }
  await rowOf(leads[0]!).getByRole('button').first().click();
  await expect(sheet(page).getByText('Partner p7 brought it; there is no visit.')).toBeVisible();
  await expectAccessible(page, 'conversion of a partner');

  const statement = await (await fetch(`${system.affiliate}/statement.csv`)).text();
  const lines = statement
    .split('\r\n')
    .filter((l) => l.startsWith('Order') || leads.some((id) => l.startsWith(id)));
  await goTo(page, system, '/money/statements');
  await choose(page.getByLabel('Network', { exact: true }), 'Kitewright direct');
  await page.locator('input[type=file]').setInputFiles({
    name: 'kitewright.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(lines.join('\r\n')),
  });
  await page.getByRole('button', { name: 'Compare 2 rows' }).click();
  const result = page.getByRole('region', { name: 'Result of kitewright.csv' });
  await expect(result.getByRole('row', { name: /^Matched/ })).toContainText('2');
  await set(before, 'well');
  expect(errors).toEqual([]);
});
