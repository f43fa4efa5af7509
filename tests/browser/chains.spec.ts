/**
 * Chains set up on the setup sheet, from the pasted link to the last tick of the live checklist, against the practice
 * partners: from an empty desk, with parts that are done, by keyboard alone, by two members, on a phone.
 */
import type { Locator, Page } from '@playwright/test';
import {
  ask,
  choose,
  copiedBy,
  expectAccessible,
  expectNoSidewaysScroll,
  goTo,
  openScreen,
  pageOf,
  settled,
  signIn,
  watchConsole,
} from './people.ts';
import { emptyDesk, type BrowserDesk } from './desks.ts';
import { expect, test } from './test.ts';

let system: BrowserDesk;
test.beforeAll(async () => {
  system = await emptyDesk('first');
});
// Each goes on with what the one before set up.
test.describe.configure({ mode: 'serial' });

const VISITOR =
  'Mozilla/5.0 (Linux; Android 15; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36';
const sheet = (page: Page): Locator => page.getByRole('dialog');
const step = (page: Page, key: string): Locator =>
  page.getByRole('region', { name: 'Live checklist' }).locator('li').filter({ hasText: key });
const turnsOn = (page: Page, key: string, says: RegExp): Promise<void> =>
  expect(step(page, key)).toHaveText(says);

/** Counts what a member types and chooses. */
class Counted {
  fields = 0;
  actions = 0;
  async fill(field: Locator, text: string): Promise<void> {
    this.fields++;
    this.actions++;
    await field.fill(text);
  }
  async select(field: Locator, label: string): Promise<void> {
    this.fields++;
    this.actions++;
    await choose(field, label);
  }
  async click(button: Locator): Promise<void> {
    this.actions++;
    await button.click();
  }
}

async function begunFrom(page: Page, by: Counted, template: string, begin: Locator): Promise<Locator> {
  await by.click(begin);
  await by.click(sheet(page).getByRole('button', { name: template, exact: true }));
  await by.click(sheet(page).getByRole('button', { name: 'Use template' }));
  await expect(sheet(page).getByLabel('Name', { exact: true })).toHaveValue(template);
  return sheet(page);
}

test('from an empty desk to a conversion that the source is told of: at most 25 fields, every tick by a real visitor', async ({
  page,
  browser,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const by = new Counted();
  await page.getByRole('link', { name: 'Set up', exact: true }).click();
  await expectAccessible(page, 'an empty setup sheet');
  // A placeholder was pasted along; product and country stand in the link.
  await by.fill(
    page.getByLabel('Paste the offer link'),
    `${system.affiliate}/o/4471?geo=NL&offer=terrarium-box&aff_ref=YOUR_ID_HERE`,
  );
  await expect(page.getByLabel('Country')).toHaveText('Netherlands (NL)');
  await expect(page.getByLabel('Product')).toHaveValue('Terrarium box');
  await expect(page.getByText(/^No network here has links at 127\.0\.0\.4:\d+\.$/)).toBeVisible();

  const offerStep = page.getByRole('region', { name: 'Step 1: Offer' });
  const network = await begunFrom(
    page,
    by,
    'Larkspur CPA',
    offerStep.getByRole('button', { name: 'Template' }),
  );
  // This one says “order” for what the desk calls a sale.
  await by.click(network.getByRole('button', { name: 'Add event word', exact: true }));
  await by.fill(network.getByLabel('Event word 1', { exact: true }), 'order');
  await by.click(network.getByRole('button', { name: 'Create network' }));
  await expect(sheet(page)).toHaveCount(0);
  // Known at once, and our click ID is where it takes it.
  await expect(
    offerStep.getByText(
      /Outgoing link. Tracheon adds the click ID as aff_ref, the click ID parameter of Larkspur CPA/,
    ),
  ).toBeVisible();
  await by.fill(page.getByLabel('Default payout'), '18');

  const sourceStep = page.getByRole('region', { name: 'Step 2: Source' });
  const source = await begunFrom(
    page,
    by,
    'Moorhen Push',
    sourceStep.getByRole('button', { name: 'Template' }),
  );
  await by.fill(
    source.getByLabel('Postback URL of the source'),
    `${system.adNetwork}/postback?uid={source_click_id}&sum={payout}&cur={payout_currency}`,
  );
  await by.click(source.getByRole('button', { name: 'Create source' }));
  await expect(sheet(page)).toHaveCount(0);

  await by.click(page.getByRole('button', { name: 'New page' }));
  await by.fill(sheet(page).getByLabel('Name', { exact: true }), 'Terrarium story');
  await by.fill(sheet(page).getByLabel('Page URL'), `${system.pages}/terrarium`);
  await by.fill(sheet(page).getByLabel('Buttons'), '2');
  await by.click(sheet(page).getByRole('button', { name: 'Create landing page' }));
  await expect(sheet(page)).toHaveCount(0);
  const trail = page.getByRole('region', { name: 'ID trail' });
  await expect(trail.getByRole('listitem').filter({ hasText: 'Moorhen Push sends' })).toContainText(
    '[click]',
  );
  await expect(trail.getByText('{source_click_id}')).toBeVisible();
  // The name follows the desk's rule.
  await expect(page.getByLabel('Campaign name')).toHaveAttribute(
    'placeholder',
    'NL · Terrarium box · Moorhen Push',
  );
  await expect(page.getByText(/^Draft saved \d\d:\d\d/)).toBeVisible();
  await expectAccessible(page, 'a whole setup sheet');
  await by.click(page.getByRole('button', { name: /Go live/ }));
  // Without a link yet, there is nothing to copy.
  await expect(page.getByRole('button', { name: /Copy tracking link/ })).toBeEnabled();
  expect(by.fields).toBeLessThanOrEqual(25);

  const link = await copiedBy(page, () => page.keyboard.press('c'));
  const postback = await copiedBy(page, () =>
    page.getByRole('button', { name: 'Copy postback URL' }).click(),
  );
  await expect(step(page, 'Visit received')).toContainText(
    'Check that the tracking link is pasted at Moorhen Push',
  );

  const outside = await (await browser.newContext({ userAgent: VISITOR })).newPage();
  // A visitor of the ad network, who walks the whole way.
  await outside.goto(await pasteEverywhere(outside, page, link, postback));
  await outside.getByRole('button', { name: 'Send one visit' }).click();
  await turnsOn(page, 'Visit received', /Visit received: seen/);
  await expect(step(page, 'Button click received')).toContainText(
    'but no button was clicked. Check the button link on the page.',
  );
  await outside.locator('#sent a.onward').first().click();
  // Where the ad network asked for the visit, the script alone knows the click ID; until it has run, nobody does.
  await expect(outside.locator('#button-2')).toHaveAttribute('href', /click_id=/);
  await outside.locator('#button-2').click();
  await turnsOn(page, 'Button click received', /button 2/);
  await expect(step(page, 'Conversion received')).toContainText(
    /but no postback from Larkspur CPA yet\. Check that this postback URL is set there: http/,
  );
  await outside.getByLabel('Your name').fill('Ida');
  await outside.getByRole('button', { name: 'Order now' }).click();
  const lead = await outside.locator('#lead').innerText();
  await turnsOn(page, 'Conversion received', /on hold/);
  await expect(step(page, 'Postback to source')).toContainText('gets no postback for pending conversions');
  await outside.goto(`${system.affiliate}/`);
  await outside.locator(`tr[data-lead="${lead}"]`).getByRole('button', { name: 'approved' }).click();
  await turnsOn(page, 'Conversion received', /earned/);
  await turnsOn(page, 'Postback to source', /answered 200/);
  await outside.goto(`${system.adNetwork}/`);
  await expect(outside.locator('#postbacks')).toContainText(/uid=mh/);
  // What really travelled, with the raw requests.
  await step(page, 'Postback to source').getByRole('button', { name: 'ID trail and raw request' }).click();
  const travelled = sheet(page).getByRole('region', { name: 'ID trail' });
  await expect(
    travelled.getByRole('listitem').filter({ hasText: 'Moorhen Push gets the postback' }),
  ).toContainText(/uid mh/);
  await travelled
    .getByRole('listitem')
    .filter({ hasText: 'Larkspur CPA sends the postback' })
    .getByText('Raw request')
    .click();
  await expect(travelled.getByText(/^click_id=01/)).toBeVisible();
  await expectAccessible(page, 'the trail of a visit');
  await outside.context().close();
  expect(errors).toEqual([]);
});

/** The link at the ad network, the postback URL at the affiliate network, the buttons on the page. */
async function pasteEverywhere(outside: Page, page: Page, link: string, postback: string): Promise<string> {
  await outside.goto(`${system.adNetwork}/`);
  await outside.getByLabel('Tracking link').fill(link);
  await outside.getByRole('button', { name: 'Create campaign' }).click();
  await expect(outside.getByRole('button', { name: 'Send one visit' })).toBeVisible();
  const campaignThere = outside.url();
  await outside.goto(`${system.affiliate}/`);
  await outside.getByLabel('Postback URL').fill(postback);
  await outside.getByRole('button', { name: 'Save' }).click();
  const [landing] = await ask<{ key: string }[]>(page, 'GET', '/parts/landing-page');
  const button = (n: number): string => `${system.tracking}/b/${landing!.key}/${n}`;
  await outside.goto(`${system.pages}/`);
  const editor = outside.locator('form[action="/edit/terrarium"]');
  await editor.getByLabel(/Button links/).fill(`${button(1)}\n${button(2)}`);
  await editor
    .getByLabel('Script in the head')
    .fill(`<script src="${system.tracking}/page.js" defer></script>`);
  await editor.getByRole('button', { name: 'Save' }).click();
  return campaignThere;
}

test('with source and network done: from the pasted link to the copied tracking link in at most 6 actions', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const by = new Counted();
  await by.click(page.getByRole('link', { name: 'Set up', exact: true }));
  await by.fill(
    page.getByLabel('Paste the offer link'),
    `${system.affiliate}/o/4480?name=star-map&aff_ref={sub}`,
  );
  await by.select(page.getByLabel('Source', { exact: true }), 'Moorhen Push');
  await by.click(page.getByRole('button', { name: /Go live/ }));
  const link = await copiedBy(page, () => by.click(page.getByRole('button', { name: /Copy tracking link/ })));
  expect(by.actions).toBeLessThanOrEqual(6);
  expect(link).toMatch(/\/v\/[a-z0-9]{12}\?clk=\[click\]/);
  // The other side's placeholder went, our token came; names by the rule.
  const offers = await ask<{ body: { name: string; link: string } }[]>(page, 'GET', '/parts/offer');
  const made = offers.find((o) => o.body.name === 'Star map · Larkspur CPA')!;
  expect(made.body.link).toBe(`${system.affiliate}/o/4480?name=star-map&aff_ref={click_id}`);
  const filled = link.replace('[click]', 'mh-6');
  const res = await page.request.get(filled, { maxRedirects: 0, headers: { 'User-Agent': VISITOR } });
  expect(res.headers().location).toMatch(/\/o\/4480\?name=star-map&aff_ref=[0-9A-Z]{26}$/);
  // What goes wrong along the chain stands where it arises, before it is live: here their macro in our link, and a
  // country in which the offer does not sell.
  await page.getByRole('link', { name: 'Set up another' }).click();
  await page.getByLabel('Paste the offer link').fill(`${system.affiliate}/o/4480?aff_ref={sub}&z=[zone]`);
  const offerStep = page.getByRole('region', { name: 'Step 1: Offer' });
  await expect(offerStep.getByText('[zone] is a partner’s macro', { exact: false })).toBeVisible();
  await choose(page.getByLabel('Existing offer'), 'Terrarium box · NL · Larkspur CPA');
  await choose(page.getByLabel('Country'), 'Portugal (PT)');
  await expect(offerStep.getByText(/sells in NL, not in PT\./)).toBeVisible();
  // The chain of a campaign as the start of the next; this one is a draft by then.
  await expect(page).toHaveURL(/\/set-up\/[0-9A-Z]{26}$/);
  await goTo(page, system, '/set-up');
  await choose(page.getByLabel('Copy from a campaign'), 'Star map · Moorhen Push');
  await expect(page.getByRole('region', { name: 'Step 2: Source' })).toContainText('Moorhen Push');
  await page.getByRole('button', { name: /Go live/ }).click();
  await page.getByRole('button', { name: /^Send test visit/ }).click();
  await turnsOn(page, 'Visit received', /test/);
  await page.getByLabel('Also send the postback to the source').check();
  await page.getByRole('button', { name: 'Send test conversion' }).click();
  await turnsOn(page, 'Postback to source', /answered 200/);
  await page.keyboard.press('r');
  await expect(sheet(page).getByRole('region', { name: 'ID trail' })).toContainText(
    'Moorhen Push gets the postback',
  );
  expect(errors).toEqual([]);
});

/** Goes on by Tab until the field has the focus; a member who has no mouse does no other. */
async function tabTo(page: Page, wanted: Locator, key = 'Tab'): Promise<void> {
  for (let i = 0; i < 120; i++) {
    if (await wanted.evaluate((el) => el === document.activeElement).catch(() => false)) return;
    await page.keyboard.press(key);
  }
  throw new Error('not reached by keyboard');
}
async function chooseByKeys(page: Page, field: Locator, word: string): Promise<void> {
  await tabTo(page, field);
  await page.keyboard.press('ArrowDown');
  const list = page.locator('.p-select-overlay');
  await expect(list).toBeVisible();
  const isLong = (await list.getByRole('searchbox').count()) > 0;
  await page.keyboard.type(word, { delay: 10 });
  if (isLong) await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect(list).toHaveCount(0);
}

test('a direct link on a search engine, by keyboard alone: fixed payout, cost by hand, a test that reaches the last tick', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  await ask(page, 'POST', '/parts/source', {
    name: 'Quayside Search',
    macroStyle: '{x}',
    parameters: [
      { parameter: 'qid', macro: '{clickid}', role: 'click_id' },
      { parameter: 'kw', macro: '{keyword}', role: 'sub', sub: 'keyword', leftOff: ['final_url'] },
    ],
    postbackUrl: `${system.adNetwork}/postback?q={source_click_id}&v={payout}`,
  });
  // The mouse is not touched from here on.
  await page.keyboard.press('Control+k');
  await page.keyboard.type('set up');
  await expect(page.getByRole('option', { name: /^Set up a campaign(?! like)/ })).toHaveAttribute(
    'aria-selected',
    'true',
  );
  await page.keyboard.press('Enter');
  const link = page.getByLabel('Paste the offer link');
  await expect(link).toBeVisible();
  await tabTo(page, link);
  await page.keyboard.insertText(`${system.affiliate}/dk/o/5120?aff_ref=REPLACE_ME`);
  await expect(page.getByRole('combobox', { name: 'Network', exact: true })).not.toHaveText('choose');
  await expect(page.getByLabel('Country')).toHaveText('Denmark (DK)');
  await tabTo(page, page.getByLabel('Product'));
  await page.keyboard.type('Kites');
  await tabTo(page, page.getByLabel('Default payout'));
  await page.keyboard.type('7.40');
  await chooseByKeys(page, page.getByLabel('Payout type'), 'fixed');
  await expect(page.getByLabel('Fixed payout')).toHaveValue('7.40');
  await chooseByKeys(page, page.getByLabel('Source', { exact: true }), 'Quayside');
  await chooseByKeys(page, page.getByRole('combobox', { name: 'Cost', exact: true }), 'fixed');
  await tabTo(page, page.getByLabel('Cost per visit'));
  await page.keyboard.type('0.04');
  // Budget: three payouts per day, at that bid.
  await tabTo(page, page.getByLabel('Bid per visit'));
  await page.keyboard.type('0.04');
  await expect(page.getByText(/22\.20 EUR per day · about 555 visits/)).toBeVisible();
  await tabTo(page, page.getByRole('button', { name: /Go live/ }), 'Shift+Tab');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: /Copy tracking link/ })).toBeVisible();
  await tabTo(page, page.getByRole('button', { name: /^Send test visit/ }));
  await page.keyboard.press('Enter');
  await turnsOn(page, 'Visit received', /test.*DK · phone/);
  await tabTo(page, page.getByLabel('Also send the postback to the source'));
  await page.keyboard.press('Space');
  await tabTo(page, page.getByRole('button', { name: 'Send test conversion' }), 'Shift+Tab');
  await page.keyboard.press('Enter');
  await turnsOn(page, 'Conversion received', /test.*earned/);
  await turnsOn(page, 'Postback to source', /answered 200/);
  await expect(page.getByRole('region', { name: 'Live checklist' }).locator('li')).toHaveCount(3);
  // What the engine adds by its tracking template is leave out of the final URL.
  await tabTo(page, page.getByText('Other link forms', { exact: false }));
  await page.keyboard.press('Enter');
  await expect(page.getByRole('row', { name: 'Final URL' })).toContainText(
    /\?qid=\{clickid\}$|qid=\{clickid\}/,
  );
  await expect(page.getByRole('row', { name: 'Final URL' })).not.toContainText('kw=');
  // A test shows everywhere and counts nowhere.
  await tabTo(page, page.getByRole('link', { name: 'Open campaign' }), 'Shift+Tab');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'DK · Kites · Quayside Search', level: 1 })).toBeVisible();
  await expect(page.getByLabel('Figures')).toContainText(/Visits0/);
  await expect(page.getByRole('region', { name: 'ID trail' })).toContainText('only 1 test so far');
  expect(errors).toEqual([]);
});

test('a draft is left and gone on with; two members see each other, and what both changed is shown to the second', async ({
  page,
  browser,
}) => {
  const errors = watchConsole(page);
  // Of this try's desk alone: one who is a member of another desk as well would sign in there.
  const emilHas = { email: `emil.${system.email}`, password: 'another long password' };
  await signIn(page, system);
  await ask(page, 'POST', '/members', { name: 'Emil', role: 'editor', ...emilHas });
  await goTo(page, system, '/set-up');
  // Left before the pause in which it is kept: it is kept all the same, and nobody is brought back to it.
  const kept = page.waitForResponse(
    (r) => r.url().endsWith('/api/setup-sheets') && r.request().method() === 'POST',
  );
  await page.getByLabel('Paste the offer link').fill(`${system.affiliate}/o/2?aff_ref=`);
  await page.getByRole('link', { name: 'Campaigns', exact: true }).click();
  await (await kept).finished();
  await page.waitForLoadState('networkidle');
  await expect(page).toHaveURL(/\/campaigns$/);
  await page.getByRole('link', { name: 'Set up', exact: true }).click();
  await expect(
    page.getByRole('region', { name: 'Drafts' }).getByRole('link', { name: '/o/2' }),
  ).toBeVisible();
  await page.getByLabel('Paste the offer link').fill(`${system.affiliate}/o/1?aff_ref=`);
  await page.getByLabel('Product').fill('Moss');
  await expect(page.getByText(/^Draft saved/)).toBeVisible();
  await expect(page).toHaveURL(/\/set-up\/[0-9A-Z]{26}$/);
  // What is said to be saved may still be the link alone.
  await expect
    .poll(() =>
      ask<{ body: { product: string } }[]>(page, 'GET', '/setup-sheets').then((s) =>
        s.map((r) => r.body.product),
      ),
    )
    .toContain('Moss');
  await goTo(page, system, '/today');
  await page.goto(`${system.desk}/set-up`);
  await page.getByRole('region', { name: 'Drafts' }).getByRole('link', { name: 'Moss' }).click();
  // A step that is done is one line, until it is opened.
  const openFirst = (p: Page): Promise<void> => p.getByRole('button', { name: /Offer Moss/ }).click();
  await openFirst(page);
  await expect(page.getByLabel('Product')).toHaveValue('Moss');

  const emil = await pageOf(browser, system, emilHas);
  await emil.goto(page.url());
  await expect(emil.getByText(/Owner also editing/)).toBeVisible();
  await openFirst(emil);
  // Different fields at the same time: both are there, in both browsers.
  await Promise.all([
    page.getByLabel('Product').fill('Moss jars'),
    emil.getByLabel('Offer name').fill('The jar with moss'),
  ]);
  await expect(page.getByLabel('Offer name')).toHaveValue('The jar with moss');
  await expect(emil.getByLabel('Product')).toHaveValue('Moss jars');
  await expect(page.getByText(/Emil also editing/)).toBeVisible();
  // The same field by both: nobody's word is lost unseen.
  await page.route('**/api/setup-sheets/*', (route) =>
    route.request().method() === 'GET' ? route.abort() : route.continue(),
  );
  await emil.getByLabel('Product').fill('Moss by Emil');
  await expect(emil.getByText('Saving draft')).toBeHidden();
  await expect
    .poll(async () => JSON.stringify(await ask(emil, 'GET', `/setup-sheets/${emil.url().split('/').at(-1)}`)))
    .toContain('Moss by Emil');
  await page.getByLabel('Product').fill('Moss by the owner');
  await expect(
    page.getByText('Emil changed product to “Moss by Emil” while you were editing it.'),
  ).toBeVisible();
  await page.unroute('**/api/setup-sheets/*');
  await page.getByRole('button', { name: 'Use their version' }).click();
  await expect(page.getByLabel('Product')).toHaveValue('Moss by Emil');
  await emil.context().close();
  expect(errors.filter((e) => !/ERR_FAILED/.test(e))).toEqual([]);
});

test('what cannot be an offer link is said; a part archived meanwhile, and a server that is away, lose nothing', async ({
  page,
}) => {
  const errors = watchConsole(page, [/409|422|ERR_FAILED/]);
  await openScreen(page, system, '/set-up');
  const link = page.getByLabel('Paste the offer link');
  const paste = async (text: string): Promise<void> => {
    await page.evaluate((t) => navigator.clipboard.writeText(t), text);
    await link.fill('');
    await link.focus();
    await page.keyboard.press('Control+v');
  };
  await paste('x'.repeat(100 * 1024));
  await expect(page.getByText(/This text has 100 KiB/)).toBeVisible();
  await expect(link).toHaveText('');
  await paste('terrariums');
  await expect(page.getByText('Enter a full URL that starts with https://.').first()).toBeVisible();
  const [campaign] = await ask<{ key: string; body: { name: string } }[]>(page, 'GET', '/parts/campaign');
  await paste(`${system.tracking}/v/${campaign!.key}?clk=[click]`);
  await expect(page.getByText(/This is already the tracking link of/)).toContainText(campaign!.body.name);
  await paste(`${system.tracking}/v/qqqqqqqqqqqq`);
  await expect(page.getByText('No campaign on this desk has this link’s key.')).toBeVisible();
  await choose(page.getByLabel('Source', { exact: true }), 'Moorhen Push');
  await page.getByRole('button', { name: /Go live/ }).click();
  await expect(page.getByRole('alert')).toContainText('Some fields are not valid');
  await paste(`<a href="${system.affiliate}/o/9?aff_ref=X&amp;q=1">Go</a>`);
  await expect(link).toHaveText(`${system.affiliate}/o/9?aff_ref=X&q=1`);

  // The source is archived by somebody else meanwhile.
  const lone = await ask<{ id: string }>(page, 'POST', '/parts/source', { name: 'Wrenfeed Social' });
  await page.getByRole('region', { name: 'Step 2: Source' }).getByRole('button').first().click();
  await choose(page.getByLabel('Source', { exact: true }), 'Wrenfeed Social');
  await expect(page.getByText(/^Draft saved/)).toBeVisible();
  await ask(page, 'PUT', `/parts/source/${lone.id}/state`, { state: 'archived' });
  await expect(page.getByRole('alert')).toContainText('Wrenfeed Social has been archived');
  await page.getByRole('button', { name: /Go live/ }).click();
  const refusal = page.getByText('This source is archived or does not exist on this desk.').first();
  await expect(refusal).toBeVisible();
  // News of another sheet bring this one again, as it was: what was said of it stays.
  const again = page.waitForResponse(
    (r) => /setup-sheets\/\w{26}$/.test(r.url()) && r.request().method() === 'GET',
  );
  await ask(page, 'POST', '/setup-sheets', { body: {} });
  await again;
  await expect(refusal).toBeVisible();

  // A server that does not answer: said, and kept once it does.
  await page.getByRole('region', { name: 'Step 1: Offer' }).getByRole('button').first().click();
  await page.route('**/api/setup-sheets/*', (route) => route.abort());
  await page.getByLabel('Product').fill('Kept after all');
  await expect(page.getByText(/Draft not saved: Tracheon is not responding/)).toBeVisible();
  await page.unroute('**/api/setup-sheets/*');
  await expect
    .poll(async () => JSON.stringify(await ask(page, 'GET', '/setup-sheets')), { timeout: 60_000 })
    .toContain('Kept after all');
  // The tracking domain does not respond: a test says so.
  const domain = await ask<{ id: string }>(page, 'POST', '/domains', {
    origin: 'https://go.nowhere.test',
    isDefault: true,
  });
  await goTo(page, system, '/campaigns');
  await page.getByRole('link', { name: 'DK · Kites · Quayside Search' }).click();
  await page.getByRole('button', { name: /Test campaign/ }).click();
  await page.getByRole('button', { name: /^Send test visit/ }).click();
  await expect(page.getByText(/The tracking domain does not respond.*go\.nowhere\.test/)).toBeVisible({
    timeout: 60_000,
  });
  await ask(page, 'DELETE', `/domains/${domain.id}`);
  expect(errors.filter((e) => !/502/.test(e))).toEqual([]);
});

test('a hand-off that breaks is named on the campaign’s trail, with the calls behind it', async ({
  page,
}) => {
  await signIn(page, system);
  const [network] = await ask<{ key: string }[]>(page, 'GET', '/parts/network');
  await goTo(page, system, '/campaigns');
  const trail = page.getByRole('region', { name: 'ID trail' });
  // Its row moves while figures come, and a link that moves while it is clicked is missed.
  await expect(async () => {
    const link = page.getByRole('link', { name: 'NL · Terrarium box · Moorhen Push' });
    if (await link.isVisible()) await link.click();
    await expect(trail).toBeVisible({ timeout: 10_000 });
  }).toPass({ timeout: 60_000 });
  await expect(trail.getByText(/all matched/)).toBeVisible();
  await expectAccessible(page, 'a campaign with its trail');
  await page.request.get(`${system.tracking}/in/${network!.key}?click_id=&payout=3&status=ok`);
  await expect(trail.getByText(/1 postback of this network matched no visit/)).toBeVisible();
  await trail.getByRole('link', { name: /postbacks matched/ }).click();
  await expect(page).toHaveURL(/needs-repair/);
  await expect(page.getByText(/The postback has neither a click ID nor a transaction/)).toBeVisible();
  await expect(page.getByRole('region', { name: /have no click ID$/ })).toBeVisible();
});

test('the wide trail lays nothing over anything, with long names and in every width from 1024', async ({
  page,
}) => {
  await signIn(page, system);
  type Part = {
    id: string;
    kind: string;
    version: number;
    body: { name: string; clickIdParameter?: string };
  };
  const parts = await ask<Part[]>(page, 'GET', '/parts');
  const campaign = parts.find((p) => p.body.name === 'NL · Terrarium box · Moorhen Push')!;
  const long = 'Extraordinarily long name of a part no. ';
  for (const [n, p] of parts.filter((q) => ['source', 'landing-page', 'offer'].includes(q.kind)).entries())
    await ask(page, 'PUT', `/parts/${p.kind}/${p.id}`, {
      version: p.version,
      body: { ...p.body, name: long + n },
    });
  let looked = 0;
  await goTo(page, system, `/campaigns/${campaign.id}`);
  await settled(page);
  for (const width of [1024, 1100, 1190, 1280, 1440]) {
    await page.setViewportSize({ width, height: 800 });
    await expect(page.locator('.trail .way').first()).toBeVisible();
    // It is laid out anew by the next frame.
    await page.evaluate(
      () => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))),
    );
    const overlaps = await page
      .locator('.trail')
      .first()
      .evaluate((root) => {
        const boxes = [...root.querySelectorAll('.station, .above, .below')]
          .map((el) => ({ what: `${el.className} ${el.textContent}`, r: el.getBoundingClientRect() }))
          .filter(({ r }) => r.width > 0 && r.height > 0);
        const slack = 1;
        return {
          count: boxes.length,
          found: boxes.flatMap((a, i) =>
            boxes
              .slice(i + 1)
              .filter(
                (b) =>
                  a.r.left < b.r.right - slack &&
                  b.r.left < a.r.right - slack &&
                  a.r.top < b.r.bottom - slack &&
                  b.r.top < a.r.bottom - slack,
              )
              .map((b) => `${a.what} over ${b.what}`),
          ),
        };
      });
    expect([width, overlaps.found]).toEqual([width, []]);
    looked += overlaps.count;
  }
  expect(looked).toBeGreaterThan(60);
  for (const p of parts.filter((q) => ['source', 'landing-page', 'offer'].includes(q.kind))) {
    const now = (await ask<Part[]>(page, 'GET', '/parts')).find((q) => q.id === p.id)!;
    await ask(page, 'PUT', `/parts/${p.kind}/${p.id}`, { version: now.version, body: p.body });
  }
});

test('many at once: duplicated for countries and sources, an offer swapped everywhere and back, renamed by rule', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/campaigns');
  await page.getByLabel('Choose DK · Kites · Quayside Search').check();
  await page.getByRole('button', { name: 'Duplicate for …' }).click();
  // Several codes pasted at once.
  await sheet(page).getByLabel('Countries', { exact: true }).focus();
  await page.keyboard.press('ArrowDown');
  await page.getByPlaceholder(/^Name, code/).fill('JP PT');
  await expect(page.getByRole('option', { name: 'Portugal (PT)' })).toHaveAttribute('aria-selected', 'true');
  await page.keyboard.press('Escape');
  await sheet(page).getByLabel('Moorhen Push').check();
  await expect(sheet(page).getByLabel('Name 1')).toHaveValue('JP · Kites · Moorhen Push');
  await expect(sheet(page).getByText('does not sell in Japan', { exact: false }).first()).toBeVisible();
  await expectAccessible(page, 'duplicate for');
  await sheet(page).getByRole('button', { name: 'Create 4 campaigns' }).click();
  await expect(sheet(page).getByText('4 campaigns created. Tracking links:')).toBeVisible();
  const lines = (
    await copiedBy(page, () => sheet(page).getByRole('button', { name: 'Copy all links' }).click())
  ).split('\n');
  expect(lines.map((l) => l.split('\t')[0])).toEqual([
    'JP · Kites · Moorhen Push',
    'JP · Kites · Quayside Search',
    'PT · Kites · Moorhen Push',
    'PT · Kites · Quayside Search',
  ]);
  expect(new Set(lines.map((l) => l.split('\t')[1])).size).toBe(4);
  await page.keyboard.press('Escape');

  await page.getByRole('button', { name: 'Replace an offer …' }).first().click();
  await choose(sheet(page).getByLabel('Offer to replace'), 'Kites · DK · Larkspur CPA');
  await choose(sheet(page).getByLabel('New offer'), 'Star map · Larkspur CPA');
  await sheet(page).getByRole('button', { name: 'Replace in 5 campaigns' }).click();
  await expect(sheet(page).getByText('5 campaigns changed.')).toBeVisible();
  const offerOf = async (name: string): Promise<string> => {
    const all = await ask<{ id: string; body: { name: string; offerId: string } }[]>(page, 'GET', '/parts');
    const campaign = all.find((p) => p.body.name === name)!;
    return all.find((p) => p.id === campaign.body.offerId)!.body.name;
  };
  expect(await offerOf('JP · Kites · Moorhen Push')).toBe('Star map · Larkspur CPA');
  await sheet(page).getByRole('button', { name: 'Undo' }).click();
  await expect(sheet(page).getByText('5 campaigns restored.')).toBeVisible();
  expect(await offerOf('JP · Kites · Moorhen Push')).toBe('Kites · DK · Larkspur CPA');
  await page.keyboard.press('Escape');

  await page.getByLabel('Choose PT · Kites · Moorhen Push').check();
  await page.getByRole('button', { name: 'Rename by rule …' }).click();
  await sheet(page).getByLabel('Rule').fill('{source} / {product');
  await expect(sheet(page).getByText('Close the brace with }.')).toBeVisible();
  await sheet(page).getByLabel('Rule').fill('{source} / {product}');
  await expect(
    sheet(page).getByRole('row', { name: /PT · Kites · Moorhen Push Moorhen Push \/ Kites/ }),
  ).toBeVisible();
  await sheet(page)
    .getByRole('button', { name: /^Rename 2 campaigns|^Rename 1 campaign/ })
    .click();
  await expect(sheet(page).getByText(/changed\./)).toBeVisible();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Bulk changes' }).click();
  await sheet(page).getByRole('button', { name: 'Undo: Renamed by {source} / {product}' }).click();
  await expect(sheet(page).getByRole('row', { name: /Renamed by/ })).toContainText('undone');
  await expect(sheet(page).getByRole('row', { name: /replaced with/ })).toContainText('undone');
  expect(errors).toEqual([]);
});

test('the palette finds a visit by any of its IDs, a campaign by its link, and copies links; on a phone the checklist is for a thumb', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const [conversion] = (
    await ask<{ rows: { clickId: string; transaction: string }[] }>(page, 'GET', '/conversions?limit=50')
  ).rows.filter((r) => r.transaction !== '');
  const open = async (text: string): Promise<void> => {
    await page.keyboard.press('Control+k');
    await page.getByRole('combobox', { name: 'Go, create, copy, search' }).fill(text);
  };
  for (const text of [conversion!.clickId.toLowerCase(), conversion!.transaction]) {
    await open(text);
    await page
      .getByRole('option', { name: /^Trail of/ })
      .first()
      .click();
    await expect(sheet(page).getByRole('region', { name: 'ID trail' })).toContainText(conversion!.clickId);
    await page.keyboard.press('Escape');
    await expect(sheet(page)).toHaveCount(0);
  }
  await open('copy the link of NL · Terrarium');
  const link = await copiedBy(page, () => page.keyboard.press('Enter'));
  expect(link).toContain('/v/');
  await open(link);
  await page.getByRole('option', { name: /NL · Terrarium box.*Matched by its key/ }).click();
  await expect(
    page.getByRole('heading', { name: 'NL · Terrarium box · Moorhen Push', level: 1 }),
  ).toBeVisible();
  // What was opened lately comes first.
  await page.keyboard.press('Control+k');
  await expect(page.locator('#palette-0')).toContainText('lately');
  await page.keyboard.press('Escape');

  await page.setViewportSize({ width: 390, height: 844 });
  await page.goto(`${page.url()}?test=1`);
  const list = page.getByRole('region', { name: 'Live checklist' });
  await expect(list.locator('li')).toHaveCount(4);
  for (const name of [/^Send test visit/, /^Click button 1/, /^Send test conversion/]) {
    const box = await list.getByRole('button', { name }).boundingBox();
    expect([name, box!.height >= 44, box!.width >= 300]).toEqual([name, true, true]);
  }
  await expectNoSidewaysScroll(page, 'a campaign with its checklist at 390');
  await expectAccessible(page, 'a campaign with its checklist at 390');
  await list.getByRole('button', { name: /^Send test visit/ }).click();
  await turnsOn(page, 'Visit received', /test/);
  await goTo(page, system, '/set-up');
  await expectNoSidewaysScroll(page, 'the setup sheet at 390');
  expect(errors).toEqual([]);
});
