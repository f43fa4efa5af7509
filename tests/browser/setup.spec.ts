/**
 * Set-up as a buyer lives it: a landing page with two buttons, templates, links of others taken apart and put right,
 * the link in the forms that platforms want. Against the practice partners and the desk's practice pages.
 */
import { readFileSync } from 'node:fs';
import type { Locator, Page } from '@playwright/test';
import {
  ask,
  choose,
  copiedBy,
  expectAccessible,
  giveSession,
  goTo,
  makeCampaign,
  makePart,
  openScreen,
  settled,
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

const VISITOR =
  'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Safari/537.36';
const sheet = (page: Page): Locator => page.getByRole('dialog');
async function create(page: Page, kind: string, name: RegExp): Promise<Locator> {
  await goTo(page, system, `/parts/${kind}`);
  await page.getByRole('button', { name }).first().click();
  return sheet(page);
}
async function fromTemplate(page: Page, kind: 'source' | 'network', title: string): Promise<Locator> {
  await goTo(page, system, `/parts/${kind}`);
  await page.getByRole('button', { name: 'New from template' }).click();
  await sheet(page).getByRole('button', { name: title, exact: true }).click();
  await expect(sheet(page).getByText(/^(Tracking link|Postback URL)$/)).toBeVisible();
  await sheet(page).getByRole('button', { name: 'Use template' }).click();
  await expect(sheet(page).getByLabel('Name', { exact: true })).toHaveValue(title);
  return sheet(page);
}

test('a source and a network from templates in two steps; a taken name is said while typing', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await giveSession(page, system);
  const network = await fromTemplate(page, 'network', 'Larkspur CPA');
  // Words for events are the desk's own matter: a template knows none.
  await network.getByRole('button', { name: 'Add event word', exact: true }).click();
  await network.getByLabel('Event word 1', { exact: true }).fill('order');
  await network.getByRole('button', { name: 'Create network' }).click();
  // Its title is the network's name once it is made.
  await expect(page.getByRole('dialog', { name: 'Larkspur CPA' })).toBeVisible();
  // One for each status, each with its value fixed.
  await choose(network.getByLabel('One URL or several'), 'one for each status');
  expect(
    await copiedBy(page, () => network.getByRole('button', { name: 'Copy', exact: true }).nth(1).click()),
  ).toMatch(/status=approved&/);
  await expect(network.getByText('nothing received in the last 30 days').first()).toBeVisible();
  await expectAccessible(page, 'handover sheet');
  await page.keyboard.press('Escape');

  const source = await fromTemplate(page, 'source', 'Lapwing Pops');
  await source
    .getByLabel('Postback URL of the source')
    .fill(`${system.adNetwork}/postback?c={source_click_id}`);
  await source.getByRole('button', { name: 'Create source' }).click();
  await expect(sheet(page)).toHaveCount(0);
  const again = await fromTemplate(page, 'source', 'Lapwing Pops');
  await expect(again.getByText('Another source has this name.')).toBeHidden();
  await again.getByLabel('Name', { exact: true }).fill('lapwing POPS');
  await expect(again.getByText('Another source has this name.')).toBeVisible();
  await page.keyboard.press('Escape');
  expect(errors).toEqual([]);
});

test('a pop network, an advertiser, a page with two buttons: checked, clicked, paid, told on both sides', async ({
  page,
  browser,
}) => {
  const errors = watchConsole(page);
  await giveSession(page, system);
  // Somebody else's browser, by its own account no robot.
  const context = await browser.newContext({ userAgent: VISITOR });
  const offer = await create(page, 'offer', /New offer/);
  await offer.getByLabel('Name', { exact: true }).fill('Fernway terrarium box');
  await offer.getByLabel('Link', { exact: true }).fill(`${system.affiliate}/o/4471?pub=902`);
  await expect(offer.getByText(/This link does not contain our click ID/)).toBeVisible();
  await choose(offer.getByLabel('Network'), 'Larkspur CPA');
  await expect(offer.getByText(/Tracheon adds the click ID as aff_ref/)).toBeVisible();
  await offer.getByLabel('Countries', { exact: true }).focus();
  await page.keyboard.press('ArrowDown');
  await page.getByPlaceholder(/^Name, code/).fill('nl');
  await page.getByRole('option', { name: 'Netherlands (NL)' }).click();
  await page.keyboard.press('Escape');
  // A placeholder was pasted along: it is found, and our token put there.
  await offer
    .getByLabel('Link', { exact: true })
    .fill(`${system.affiliate}/o/4471?pub=902&aff_ref=YOUR_ID_HERE`);
  await expect(offer.getByText(/is a sample value/)).toBeVisible();
  await offer.getByRole('button', { name: 'Write aff_ref={click_id}' }).click();
  await expect(offer.getByLabel('Link', { exact: true })).toHaveText(
    `${system.affiliate}/o/4471?pub=902&aff_ref={click_id}`,
  );
  await offer.getByRole('button', { name: 'Create offer' }).click();
  await expect(sheet(page)).toHaveCount(0);
  await expect(page.getByRole('cell', { name: /Larkspur CPA · NL/ })).toBeVisible();

  const landing = await create(page, 'landing-page', /New landing page/);
  await landing.getByLabel('Name', { exact: true }).fill('Terrarium story');
  await landing.getByLabel('Page URL').fill(`${system.pages}/terrarium?z={sub_zone}`);
  await landing.getByLabel('Buttons').fill('2');
  await landing.getByRole('button', { name: 'Create landing page' }).click();
  const onPage = landing.getByRole('region', { name: 'Page code' });
  await onPage.getByRole('button', { name: 'Check page' }).click();
  await expect(onPage.getByText('The link of button 2 is not on the page.')).toBeVisible();

  // Put in place, as the sheet says, and checked again.
  const links: string[] = [];
  for (const n of [0, 1, 2]) {
    links.push(
      await copiedBy(page, () => onPage.getByRole('button', { name: 'Copy', exact: true }).nth(n).click()),
    );
  }
  const outside = await context.newPage();
  await outside.goto(`${system.pages}/`);
  const editor = outside.locator('form[action="/edit/terrarium"]');
  await editor.getByLabel(/Button links/).fill(`${links[0]}\n${links[1]}`);
  await editor.getByLabel('Script in the head').fill(links[2]!);
  await editor.getByRole('button', { name: 'Save' }).click();
  await onPage.getByRole('button', { name: 'Check page' }).click();
  await expect(onPage.getByText('Page is correct')).toBeVisible();
  await expectAccessible(page, 'landing page');
  await page.keyboard.press('Escape');

  await makeCampaign(page, system, {
    name: 'NL · Terrarium · Lapwing',
    source: 'Lapwing Pops',
    page: 'Terrarium story',
    offer: 'Fernway terrarium box',
    costModel: 'link',
  });
  await expect(page.getByText('Visitors of Lapwing Pops, by Terrarium story')).toBeVisible();
  const link = await copiedBy(page, () => page.keyboard.press('c'));
  await outside.goto(`${system.affiliate}/`);
  await outside.getByLabel('Postback URL').fill(await postbackOf(page));
  await outside.getByRole('button', { name: 'Save' }).click();

  // Two visitors in two tabs of one browser: each click finds its own visit.
  const visit = (click: string): string =>
    link
      .replace('%%CLICK%%', click)
      .replace('%%ZONE%%', '77')
      .replace('%%SITE%%', '9')
      .replace('%%PRICE%%', '0.02');
  const [one, two] = [outside, await context.newPage()];
  await one.goto(visit('lp-1'));
  await two.goto(visit('lp-2'));
  await expect(one.getByRole('heading', { name: 'A garden that waters itself' })).toBeVisible();
  const idOf = (p: Page): string => new URL(p.url()).searchParams.get('click_id')!;
  const ids = [idOf(one), idOf(two)];
  await one.locator('#button-2').click();
  await expect(one.getByRole('heading', { name: 'Fernway terrarium box' })).toBeVisible();
  expect(new URL(one.url()).searchParams.get('aff_ref')).toBe(ids[0]);
  await two.locator('#button-1').click();
  await expect(two.getByRole('heading', { name: 'Fernway terrarium box' })).toBeVisible();
  expect(new URL(two.url()).searchParams.get('aff_ref')).toBe(ids[1]);

  const figures = page.getByLabel('Figures');
  await expect(figures).toContainText(/Sent to offer2page CTR 100\.0/, { timeout: 60_000 });
  await one.getByLabel('Your name').fill('Ida');
  await one.getByRole('button', { name: 'Order now' }).click();
  const lead = await one.locator('#lead').innerText();
  await one.goto(`${system.affiliate}/`);
  await one.locator(`tr[data-lead="${lead}"]`).getByRole('button', { name: 'approved' }).click();
  const conversions = page.getByRole('region', { name: 'Latest conversions', exact: true });
  await expect(conversions.getByText('approved')).toBeVisible({ timeout: 60_000 });
  await expect(async () => {
    await one.goto(`${system.adNetwork}/`);
    await expect(one.locator('#postbacks')).toContainText('c=lp-1', { timeout: 100 });
  }).toPass({ timeout: 60_000 });
  // The visit says which button it was, and how it was matched.
  await page.getByRole('region', { name: 'Latest visits', exact: true }).getByText('lp-1').click();
  await expect(sheet(page).getByText(/button 2, to Fernway terrarium box/)).toBeVisible();
  await expect(sheet(page).getByText('matched by the link').first()).toBeVisible();
  await context.close();
  expect(errors).toEqual([]);
});

async function postbackOf(page: Page): Promise<string> {
  const at = page.url();
  await goTo(page, system, '/parts/network');
  await page.getByRole('button', { name: 'Larkspur CPA', exact: true }).click();
  const url = await copiedBy(page, () =>
    sheet(page).getByRole('button', { name: 'Copy postback URL' }).click(),
  );
  await goTo(page, system, at.slice(system.desk.length));
  await expect(page.getByLabel('Figures')).toBeVisible();
  return url;
}

test('a search engine with two fields: what a place adds by itself is left off, alterations are named', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await giveSession(page, system);
  const source = await fromTemplate(page, 'source', 'Quayside Search');
  await source.getByRole('button', { name: 'Create source' }).click();
  await expect(sheet(page)).toHaveCount(0);
  await makeCampaign(page, system, {
    name: 'PT · search',
    source: 'Quayside Search',
    offer: 'Fernway terrarium box',
    adFormat: 'shopping',
  });
  const links = page.getByRole('region', { name: 'Tracking link' });
  await links.getByText('Other link forms').click();
  const copy = (form: string): Promise<string> =>
    copiedBy(page, () =>
      links.getByRole('row', { name: form }).getByRole('button', { name: 'Copy' }).click(),
    );
  const address = await copy('Address alone');
  expect(await copy('Tracking template')).toBe(`${address}?kw={keyword}&mt={match}&ad={adid}&dev={device}`);
  expect(await copy('Parameters alone')).toBe('qid={clickid}&kw={keyword}&mt={match}&ad={adid}&dev={device}');
  await links
    .getByLabel(/Paste the link as Quayside Search shows it/)
    .fill(`${address}?qid=%7Bclickid%7D&kw={keyword}&mt={match}&ad=7`);
  await expect(links.getByText(/The macro of “qid” was encoded/)).toBeVisible();
  await expect(links.getByText(/“ad” is 7 instead/)).toBeVisible();
  await expect(links.getByText(/“dev” is missing/)).toBeVisible();

  // Ticked off; then the source changes, and the link is asked for again.
  await links.getByRole('button', { name: 'Mark as pasted' }).click();
  await expect(links.getByText(/Pasted .* by Owner\./)).toBeVisible();
  await goTo(page, system, '/parts/source');
  await page.getByRole('button', { name: 'Quayside Search', exact: true }).click();
  await sheet(page).getByRole('button', { name: 'Remove parameter 5' }).click();
  await sheet(page).getByRole('button', { name: 'Save' }).click();
  await expect(sheet(page)).toHaveCount(0);
  await goTo(page, system, '/today');
  await expect(page.getByText('PT · search: the source’s parameters changed')).toBeVisible();
  expect(errors).toEqual([]);
});

test('a long link is read, values are taken out of it into an offer; a link of 8 KiB stays quick to type in', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  await page.getByRole('link', { name: 'Try out' }).click();
  await page
    .getByLabel('Links or tags')
    .fill(
      '<img src="https://feed.example/s?src=a&amp;kw1=rye%2520starter&amp;kw2=oat+bread&amp;to=https%3A%2F%2Fshop.example%2F%3Fsid%3D%7BCLICK%7D">',
    );
  await expect(page.getByText('from an img tag')).toBeVisible();
  await expect(page.getByText('rye starter').first()).toBeVisible();
  await expect(page.getByText('decoded twice')).toBeVisible();
  await expect(page.getByText('shop.example')).toBeVisible();
  await expectAccessible(page, 'link reader');
  await page.getByLabel('Take all of kw').check();
  await page.getByLabel('Your link').fill('https://go.larkspur.example/o/9?pub=902');
  await page.getByRole('button', { name: 'New offer with this link' }).click();
  const offer = sheet(page);
  const field = offer.getByLabel('Link', { exact: true });
  await expect(field).toHaveText('https://go.larkspur.example/o/9?pub=902&kw1=rye%20starter&kw2=oat%20bread');

  // Edited in its parts, with one undo over both.
  await offer.getByRole('button', { name: 'Show parameters' }).click();
  const value = offer.getByLabel('Value of kw2');
  await value.fill('');
  await value.pressSequentially('{sit');
  await expect(
    page.getByRole('option', { name: /\{sub_site\}|\{visit_time\}|\{sub_/ }).first(),
  ).toBeVisible();
  await value.press('Escape');
  await value.fill('{sub_zone}');
  await expect(field).toHaveText(/kw2=\{sub_zone\}$/);
  await field.press('Control+z');
  await expect(field).not.toHaveText(/\{sub_zone\}/);

  await field.fill(
    `https://go.larkspur.example/o/9?aff_ref={click_id}&${Array.from({ length: 300 }, (_, i) => `p${i}=${'v'.repeat(20)}`).join('&')}`,
  );
  const length = (await field.innerText()).length;
  expect(length).toBeGreaterThan(7500);
  await field.press('Control+End');
  const took = await field.evaluate(async () => {
    const times: number[] = [];
    for (let i = 0; i < 12; i++) {
      const began = performance.now();
      document.execCommand('insertText', false, 'x');
      await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
      times.push(performance.now() - began);
    }
    return times.sort((a, b) => a - b);
  });
  await expect(field).toHaveText(/x{12}$/);
  // Printed, not asserted: machines differ.
  console.log(
    `typing into ${length} characters: median ${took[6]!.toFixed(0)} ms, slowest ${took[11]!.toFixed(0)} ms`,
  );
  await page.keyboard.press('Escape');
  expect(errors).toEqual([]);
});

test('records go out as a file and come in again; a version is brought back', async ({ page }) => {
  const errors = watchConsole(page, [/422/]);
  await openScreen(page, system, '/parts/offer');
  await page.getByLabel('Choose Fernway terrarium box').check();
  const saving = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Export CSV' }).click();
  const file = await (await saving).path();
  await page.getByRole('button', { name: 'Import file' }).click();
  await sheet(page)
    .locator('input[type=file]')
    .setInputFiles({ name: 'offers.csv', mimeType: 'text/csv', buffer: readFileSync(file) });
  await expect(sheet(page).getByRole('cell', { name: /can’t be imported/ })).toBeVisible();
  await expect(sheet(page).getByText(/Another offer has this name/)).toBeVisible();
  await sheet(page)
    .getByLabel(/Skip records whose name/)
    .check();
  await expect(sheet(page).getByRole('cell', { name: /already exists, skipped/ })).toBeVisible();
  await expectAccessible(page, 'taking a file in');
  await sheet(page)
    .locator('input[type=file]')
    .setInputFiles({ name: 'x.json', mimeType: 'application/json', buffer: Buffer.from('{"a') });
  await expect(sheet(page).getByText('The file is not valid JSON.')).toBeVisible();
  await page.keyboard.press('Escape');

  await page.getByRole('button', { name: 'Duplicate Fernway terrarium box' }).click();
  await expect(sheet(page).getByLabel('Name', { exact: true })).toHaveValue('Fernway terrarium box 2');
  await sheet(page).getByRole('button', { name: 'Create offer' }).click();
  await expect(sheet(page)).toHaveCount(0);
  await page.getByRole('button', { name: 'Fernway terrarium box 2', exact: true }).click();
  await sheet(page).getByLabel('Name', { exact: true }).fill('Fernway jar');
  await sheet(page).getByRole('button', { name: 'Save' }).click();
  await expect(sheet(page)).toHaveCount(0);
  // The list comes anew after a save, and a row that moves takes no click.
  await settled(page);
  await page.getByRole('button', { name: 'History of Fernway jar', exact: true }).click();
  await expect(sheet(page).getByText('Fernway terrarium box 2')).toBeVisible();
  await expectAccessible(page, 'history');
  await sheet(page).getByRole('button', { name: 'Restore' }).click();
  await expect(sheet(page).getByText('Version 3')).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('button', { name: 'Fernway terrarium box 2', exact: true })).toBeVisible();
  expect(errors).toEqual([]);
});

test('a feed partner with compliance fields, and a custom partner with names of its own', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await giveSession(page, system);
  const feed = await fromTemplate(page, 'network', 'Copperleaf Search Feed');
  await feed.getByRole('button', { name: 'Create network' }).click();
  await expect(page.getByRole('dialog', { name: 'Copperleaf Search Feed' })).toBeVisible();
  await page.keyboard.press('Escape');
  // The network is matched by the link's host; what it demands is filled from whatever the source tells.
  const offer = await create(page, 'offer', /New offer/);
  await offer.getByLabel('Name', { exact: true }).fill('Terrarium searches');
  await offer.getByLabel('Link', { exact: true }).fill('https://feed.copperleaf.example/s?q=terrarium');
  await expect(offer.getByRole('combobox', { name: 'Network', exact: true })).toHaveText(
    'Copperleaf Search Feed',
  );
  await expect(offer.getByText(/Tracheon adds the click ID as sub4/)).toBeVisible();
  for (const token of ['{source_name}', '{sub_site}', '{sub_title:90}', '{source_click_id}'])
    await expect(offer.locator('.out').getByText(token, { exact: true }).first()).toBeVisible();
  await offer.getByRole('button', { name: 'Create offer' }).click();
  await expect(sheet(page)).toHaveCount(0);

  const custom = await create(page, 'network', /New network/);
  await custom.getByLabel('Name', { exact: true }).fill('Reedbed Leads');
  await custom.getByLabel('Click ID parameter').fill('v');
  await choose(custom.getByLabel('Macro style'), '%x%');
  for (const [what, macro, parameter] of [
    ['Click ID', 'v', 'visitor'],
    ['Payout', 'total', 'sum'],
    ['Transaction', 'order', 'nr'],
  ] as const) {
    await custom.getByLabel(`Macro for ${what}`, { exact: true }).fill(macro);
    await custom.getByLabel(`Parameter for ${what}`, { exact: true }).fill(parameter);
  }
  // The bare name is completed to the network's shape.
  await expect(custom.getByLabel('Macro for Click ID', { exact: true })).toHaveValue('%v%');
  // A space beside a placeholder would spoil it: said, and not saved.
  await custom.getByLabel('Macro for Payout', { exact: true }).fill('%total% x');
  await expect(custom.getByText('A macro can’t contain spaces, & or ?.')).toBeVisible();
  await custom.getByLabel('Macro for Payout', { exact: true }).fill('%total%');
  await custom.getByRole('button', { name: 'Add extra value', exact: true }).click();
  await custom.getByLabel('Name of extra 1').fill('brand');
  await custom.getByLabel('Macro of extra 1').fill('brand');
  await custom.getByLabel('Macro of extra 1').blur();
  await custom.getByRole('button', { name: 'Create network' }).click();
  const url = await copiedBy(page, () =>
    page
      .getByRole('dialog', { name: 'Reedbed Leads' })
      .getByRole('button', { name: 'Copy postback URL' })
      .click(),
  );
  expect(url).toMatch(/\?visitor=%v%&sum=%total%&nr=%order%&x_brand=%brand%$/);
  // A call without a click ID is kept and explained.
  const res = await page.request.get(url.replace('%v%', '').replace('%total%', '4').replace('%order%', ''));
  expect([res.status(), ((await res.json()) as { outcome: string }).outcome]).toEqual([200, 'repair']);
  await goTo(page, system, '/conversions/needs-repair');
  await page.getByRole('button', { name: 'Postbacks of Reedbed Leads have no click ID' }).click();
  await expect(page.getByText(/Check that its URL contains the click ID macro/)).toBeVisible();
  expect(errors).toEqual([]);
});

test('a source from scratch with every option: a pixel’s tag, accounts, a share, its own currency', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await giveSession(page, system);
  const source = await create(page, 'source', /New source/);
  await source.getByLabel('Name', { exact: true }).fill('Plover Display');
  await choose(source.getByLabel('Macro style'), '#x#');
  for (let i = 0; i < 4; i++) {
    if (i > 0) await source.getByRole('button', { name: 'Add parameter', exact: true }).click();
    await source.getByLabel(`Parameter ${i + 1}`, { exact: true }).fill(`p${i}`);
    await choose(
      source.getByLabel(`Meaning of parameter ${i + 1}`),
      ['source click ID', 'cost'][i] ?? 'sub-ID',
    );
    await source.getByLabel(`Macro of parameter ${i + 1}`).fill(`m${i}`);
    await source.getByLabel(`Macro of parameter ${i + 1}`).blur();
  }
  await expect(source.getByLabel('Sub-ID name of parameter 4')).toHaveValue('p3');
  await source.getByLabel('Cost currency').fill('USD');
  // A token that does not exist is said where it stands, before saving.
  await source.getByLabel('Postback URL of the source').fill(`${system.adNetwork}/pixel?k={click}`);
  await expect(source.getByText(/\{click\} isn’t one of our tokens/)).toBeVisible();
  const pixel = `${system.adNetwork}/pixel?k={source_click_id}&v={payout}`;
  await source
    .getByLabel('Postback URL of the source')
    .fill(`<img src="${pixel.replaceAll('&', '&amp;')}" width="1" height="1">`);
  await expect(source.getByLabel('Postback URL of the source')).toHaveText(pixel);
  await expect(source.getByText(/isn’t one of our tokens/)).toBeHidden();
  await source.getByRole('button', { name: /Add account/ }).click();
  await source.getByLabel('Name of account 1').fill('main');
  await source.getByLabel('Reported share (%)').fill('80');
  await expectAccessible(page, 'source with every option');
  await source.getByRole('button', { name: 'Create source' }).click();
  await expect(sheet(page)).toHaveCount(0);
  await makeCampaign(page, system, {
    name: 'Plover test',
    source: 'Plover Display',
    offer: 'Fernway terrarium box',
    account: 'main',
  });
  await page.getByRole('button', { name: /^Edit/ }).click();
  const campaign = sheet(page);
  const along = campaign.getByRole('list', { name: 'Findings' });
  await expect(along).toContainText(
    'Plover Display gets the payout in EUR without a currency, but bills in USD',
  );
  await campaign.getByLabel('from the tracking link').check();
  await expect(along).toContainText('Cost is in USD, the payout in EUR');
  await page.keyboard.press('Escape');
  expect(errors).toEqual([]);
});

test('a second feed partner: two event types that both count, two accounts, its truth a feed; a pop source with a pixel', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const type = await create(page, 'event-type', /New event type/);
  await type.getByLabel('Name', { exact: true }).fill('Search');
  await type.getByLabel('Event name in postbacks').fill('search');
  await type.getByLabel(/ounts as conversion/).uncheck();
  await type.getByRole('button', { name: 'Create event type' }).click();
  await expect(sheet(page)).toHaveCount(0);
  await makePart(page, 'event-type', { name: 'Search click', word: 'sclick' });
  // Two accounts at one provider are two networks: each has its own key, and its own hosts are the same.
  const network = await fromTemplate(page, 'network', 'Copperleaf Search Feed');
  await network.getByLabel('Name', { exact: true }).fill('Copperleaf, account north');
  await network.getByRole('button', { name: 'Create network' }).click();
  await expect(page.getByRole('dialog', { name: 'Copperleaf, account north' })).toBeVisible();
  await page.keyboard.press('Escape');
  const networks = await ask<{ body: { name: string } }[]>(page, 'GET', '/parts/network');
  const north = networks.find((n) => n.body.name === 'Copperleaf, account north')!;
  await makePart(page, 'network', { ...north.body, name: 'Copperleaf, account south' });
  const offer = await create(page, 'offer', /New offer/);
  await choose(offer.getByLabel('Network'), 'Copperleaf, account south');
  await offer.getByLabel('Link', { exact: true }).fill('https://feed.copperleaf.example/s?q=kite-kits');
  await offer.getByText('More', { exact: true }).click();
  await offer.getByLabel('Product').fill('Kite kits');
  await offer.getByLabel('ID at the network').fill('kk-1');
  for (const event of ['Search', 'Search click'])
    await choose(offer.getByLabel(`Source of ${event}`, { exact: true }), /feed/);
  await expect(
    offer.getByText('Tracheon keeps postbacks for comparison but does not count them.'),
  ).toHaveCount(2);
  // The name by the desk's rule, from product and network.
  await offer.getByRole('button', { name: 'Kite kits · Copperleaf, account south' }).click();
  await expect(offer.getByLabel('Name', { exact: true })).toHaveValue(
    'Kite kits · Copperleaf, account south',
  );
  await expectAccessible(page, 'offer with its conversionsFrom');
  await offer.getByRole('button', { name: 'Create offer' }).click();
  await expect(sheet(page)).toHaveCount(0);

  // The second ad network: macros of another shape, told by an image pixel.
  await makePart(page, 'source', {
    name: 'Lapwing by hand',
    macroStyle: '%%x%%',
    parameters: [{ parameter: 'c', macro: '%%CLICK%%', role: 'click_id' }],
    postbackUrl: `${system.popNetwork}/pix.gif?c={source_click_id}`,
  });
  await makeCampaign(page, system, {
    name: 'Kite kits · Lapwing by hand',
    source: 'Lapwing by hand',
    offer: 'Kite kits · Copperleaf, account south',
  });
  const link = await copiedBy(page, () => page.getByRole('button', { name: /Copy tracking link/ }).click());
  expect(link).toMatch(/\?c=%%CLICK%%$/);

  await page.goto(`${system.popNetwork}/`);
  await page.getByLabel('Tracking link').fill(link);
  await page.getByRole('button', { name: 'Create campaign' }).click();
  await page.getByRole('button', { name: 'Send one visit' }).click();
  const onward = page.locator('#sent a.onward').first();
  await expect(onward).toContainText('https://feed.copperleaf.example/s?q=kite-kits');
  // A call for an event whose truth is a feed is kept and said so; one for the default event type is booked.
  const click = /[0-9A-HJKMNP-TV-Z]{26}/.exec((await onward.textContent()) ?? '')![0];
  await goTo(page, system, '/parts/network');
  await page.getByRole('button', { name: 'Copperleaf, account south', exact: true }).click();
  const intake = (
    await copiedBy(page, () => page.getByRole('button', { name: 'Copy postback URL' }).click())
  ).split('?')[0]!;
  const call = async (event: string): Promise<string> => {
    const res = await page.request.get(`${intake}?click_id=${click}&payout=0.10${event}`);
    return ((await res.json()) as { outcome: string }).outcome;
  };
  expect([await call('&event=sclick'), await call('')]).toEqual(['ignored', 'accepted']);
  await goTo(page, system, '/conversions/postbacks-in?kind=ignored');
  await expect(page.getByText(/come from a feed, not from postbacks/)).toBeVisible();
  await goTo(page, system, '/parts/source');
  await expect(page.getByRole('row', { name: /Lapwing by hand/ })).toContainText(/\d\d:\d\d/);
  expect(errors).toEqual([]);
});

test('a source hears in its own currency, by JSON with a key that stays secret; what it refuses is sent again', async ({
  page,
  browser,
}) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/money/rates');
  const rates = page.getByRole('region', { name: 'Add a rate' });
  await rates.getByLabel('1 unit of').fill('USD');
  await rates.getByLabel('is in EUR').fill('0.80');
  await rates.getByLabel('from', { exact: true }).fill('2026-01-01');
  await page.keyboard.press('Escape');
  await rates.getByRole('button', { name: 'Save rate' }).click();
  await expect(
    page.getByRole('table', { name: 'Exchange rates' }).getByRole('row', { name: /USD/ }),
  ).toBeVisible();

  const source = await create(page, 'source', /New source/);
  await source.getByLabel('Name', { exact: true }).fill('Sandpiper Native');
  await choose(source.getByLabel('Macro style'), '#x#');
  await source.getByLabel('Parameter 1', { exact: true }).fill('sid');
  await choose(source.getByLabel('Meaning of parameter 1'), 'source click ID');
  await source.getByLabel('Macro of parameter 1').fill('id');
  await source.getByLabel('Macro of parameter 1').blur();
  await source.getByLabel('Cost currency').fill('USD');
  await source.getByLabel('Postback URL of the source').fill(`${system.adNetwork}/postback?a=7`);
  await choose(source.getByLabel('Request', { exact: true }), /POST with JSON/);
  await source.getByLabel('JSON to send').fill('{"uid": "{source_click_id}", "sum": {payout}}');
  await choose(source.getByLabel('Payout to report'), 'converted into USD');
  await source.getByRole('button', { name: 'Add header' }).click();
  await source.getByLabel('Name of header 1').fill('x-api-key');
  await source.getByLabel('Value of header 1').fill('sandpiper-key-91');
  await source.getByRole('button', { name: 'Keep secret' }).click();
  await expect(source.getByText('A secret is stored.')).toBeVisible();
  await expectAccessible(page, 'source with a request of its own');
  await source.getByRole('button', { name: 'Create source' }).click();
  await expect(sheet(page)).toHaveCount(0);
  await makeCampaign(page, system, {
    name: 'Terrarium · Sandpiper',
    source: 'Sandpiper Native',
    offer: 'Fernway terrarium box',
  });
  const link = await copiedBy(page, () => page.getByRole('button', { name: /Copy tracking link/ }).click());
  const sent = await page.request.get(link.replace('#id#', 'sp-1'), { maxRedirects: 0 });
  const click = new URL(sent.headers().location!).searchParams.get('aff_ref')!;

  const outside = await (await browser.newContext()).newPage();
  await outside.goto(`${system.adNetwork}/`);
  await outside.getByRole('button', { name: 'Refuse conversions' }).click();
  const postback = (await postbackOf(page)).split('?')[0]!;
  const said = await page.request.get(`${postback}?click_id=${click}&payout=12&currency=EUR&status=approved`);
  expect(await said.json()).toMatchObject({ outcome: 'accepted' });
  await goTo(page, system, '/conversions/postbacks-out');
  const row = page.getByRole('row', { name: /Sandpiper Native/ }).first();
  await expect(row).toContainText('answered 503');
  await outside.getByRole('button', { name: 'Take conversions again' }).click();
  await expect(row).toContainText('delivered', { timeout: 60_000 });
  const heard = outside.locator('#postbacks tr', { hasText: 'x-api-key: sandpiper-key-91' });
  await outside.reload();
  // 12.00 EUR at 0.80: 15.00 USD, a number as the template has it.
  await expect(heard).toHaveText(/POST a=7 \{"uid": ?"sp-1", ?"sum": ?15(\.00)?\}/);

  await row.getByRole('button').first().click();
  await sheet(page).getByRole('button', { name: 'Send again' }).click();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Send again' }).click();
  await expect(async () => {
    await outside.reload();
    await expect(heard).toHaveCount(2, { timeout: 100 });
  }).toPass({ timeout: 60_000 });
  await page.getByRole('button', { name: /^Sources in the last/ }).click();
  const health = page.getByRole('region', { name: 'Postbacks by source' });
  await expect(health.getByRole('row', { name: /Sandpiper Native/ })).toContainText('answered 503');

  // What exactly is sent can be looked at, but for the key.
  await goTo(page, system, '/parts/source');
  await page.getByRole('button', { name: 'Sandpiper Native', exact: true }).click();
  await sheet(page).getByRole('button', { name: 'Show the exact request' }).click();
  const exact = sheet(page).getByRole('region', { name: 'The exact request' });
  await expect(exact).toContainText(/"sum": ?15/);
  await expect(exact).toContainText('x-api-key: (secret)');
  expect(await (await page.request.get(`${system.desk}/api/parts`)).text()).not.toContain('sandpiper-key-91');
  await outside.context().close();
  expect(errors).toEqual([]);
});
