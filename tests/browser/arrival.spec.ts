/** A source that forbids redirects, and a page in a site builder: the ad leads to the page, whose script registers the visit. */
import type { Browser, Page } from '@playwright/test';
import { emptyDesk, type BrowserDesk } from './desks.ts';
import { copiedBy, makeCampaign, makePart, signIn, watchConsole } from './people.ts';
import { expect, test } from './test.ts';

let system: BrowserDesk;
test.beforeAll(async () => {
  system = await emptyDesk();
});
const VISITOR =
  'Mozilla/5.0 (iPhone; CPU iPhone OS 18_4 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Mobile/15E148';

/** The page of a new visitor, who comes by the ad. */
async function byTheAd(
  browser: Browser,
  link: string,
  click: string,
  prepare?: (page: Page) => Promise<unknown>,
) {
  const context = await browser.newContext({ userAgent: VISITOR });
  const page = await context.newPage();
  await prepare?.(page);
  await page.goto(link.replace('[click]', click).replace('[ad]', 'blue'));
  return page;
}
const clickIdOf = (page: Page): Promise<string> =>
  page.evaluate(() => (window as unknown as { tracheon: { clickId: () => string } }).tracheon.clickId());
async function registered(page: Page): Promise<string> {
  await expect.poll(() => clickIdOf(page)).not.toBe('');
  return clickIdOf(page);
}
/** The click ID with which the offer is reached. */
async function pressed(page: Page): Promise<string> {
  await page.locator('#button-1').click();
  await page.waitForURL(/\/o\/4471/);
  return new URL(page.url()).searchParams.get('aff_ref') ?? '';
}

test('a campaign that sends visitors on by a page keeps from the offer where they came from', async ({
  page,
  browser,
}) => {
  await signIn(page, system);
  const network = await makePart(page, 'network', {
    name: 'Heron Leads',
    clickIdParameter: 'aff_ref',
    fields: {},
  });
  const offer = await makePart(page, 'offer', {
    name: 'Terrarium box',
    networkId: network.id,
    link: `${system.affiliate}/o/4471`,
    currency: 'EUR',
  });
  const source = await makePart(page, 'source', {
    name: 'Siskin Native',
    costCurrency: 'EUR',
    parameters: [],
  });
  const referrers: (string | undefined)[] = [];
  for (const sendBy of ['redirect', 'page']) {
    const campaign = await makePart(page, 'campaign', {
      name: `By ${sendBy}`,
      sourceId: source.id,
      offerId: offer.id,
      sendBy,
    });
    const link = `${system.tracking}/v/${campaign.key}`;
    await expect
      .poll(async () => (await page.request.head(link, { maxRedirects: 0 })).status())
      .toBeLessThan(400);
    const visitor = await (await browser.newContext({ userAgent: VISITOR })).newPage();
    await visitor.goto(`${system.pages}/terrarium`);
    const arrived = visitor.waitForRequest(/\/o\/4471/);
    await visitor.evaluate((to) => (location.href = to), link);
    referrers.push((await (await arrived).allHeaders()).referer);
    await visitor.context().close();
  }
  expect(referrers).toEqual([`${system.pages}/`, undefined]);
});

test('from the ad straight to the page: own link for each visitor, also cached, with storage blocked, after consent', async ({
  page,
  browser,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const network = await makePart(page, 'network', {
    name: 'Larkspur CPA',
    clickIdParameter: 'aff_ref',
    fields: {},
  });
  await makePart(page, 'offer', {
    name: 'Sourdough starter',
    networkId: network.id,
    link: `${system.affiliate}/o/4471`,
    currency: 'EUR',
  });
  await makePart(page, 'source', {
    name: 'Dipper Social',
    costCurrency: 'EUR',
    allowsRedirects: false,
    parameters: [
      { parameter: 'clk', macro: '[click]', role: 'click_id' },
      { parameter: 'ad', macro: '[ad]', role: 'sub', sub: 'ad' },
    ],
  });
  const landing = await makePart(page, 'landing-page', {
    name: 'Seven days',
    url: `${system.pages}/sourdough`,
    buttons: 1,
  });
  await makeCampaign(page, system, {
    name: 'NL · Sourdough · Dipper Social',
    source: 'Dipper Social',
    offer: 'Sourdough starter',
    page: 'Seven days',
  });
  // The link for the ad, from the campaign's page.
  await expect(
    page.getByText('It leads straight to the page, whose script registers the visit.'),
  ).toBeVisible();
  await expect(page.getByText('visit by script')).toBeVisible();
  const link = await copiedBy(page, () =>
    page
      .getByRole('button', { name: /^Copy (tracking )?link/ })
      .first()
      .click(),
  );
  expect(link).toBe(
    `${system.pages}/sourdough?_v=${new URL(link).searchParams.get('_v')}&clk=[click]&ad=[ad]`,
  );

  // In the site builder: the button's link as the last step's target, the script in the head.
  const built = async (attributes: string, baked = ''): Promise<void> => {
    const builder = await browser.newPage();
    await builder.goto(`${system.pages}/`);
    const editor = builder.locator('form[action="/edit/sourdough"]');
    await editor.getByLabel(/Button links/).fill(`${system.tracking}/b/${landing.key}/1${baked}`);
    await editor
      .getByLabel('Script in the head')
      .fill(`<script src="${system.tracking}/page.js"${attributes} defer></script>`);
    await editor.getByRole('button', { name: 'Save' }).click();
    await builder.close();
  };
  await built('');

  const first = await byTheAd(browser, link, 'ad-1');
  const firstId = await registered(first);
  // Loaded again it is the same visit; in another tab the source's click ID tells that it is.
  await first.reload();
  expect(await registered(first)).toBe(firstId);
  expect(await pressed(first)).toBe(firstId);
  await first.context().close();

  // A page out of a cache has a click ID baked in: everybody gets their own all the same.
  await built('', `?click_id=${firstId}`);
  const second = await byTheAd(browser, link, 'ad-2');
  const secondId = await registered(second);
  expect(secondId).not.toBe(firstId);
  expect(await pressed(second)).toBe(secondId);
  await second.context().close();

  // Neither cookies nor storage, and somebody who presses before the visit is registered.
  const blocked = await byTheAd(browser, link, 'ad-3', async (p) => {
    await p.addInitScript(() => {
      for (const name of ['sessionStorage', 'localStorage'])
        Object.defineProperty(window, name, {
          get: () => {
            throw new DOMException('blocked', 'SecurityError');
          },
        });
      Object.defineProperty(document, 'cookie', { get: () => '', set: () => {} });
    });
    await p.route('**/arrive/**', async (route) => {
      await p.waitForFunction(() => (window as { pressed?: boolean }).pressed);
      await route.continue();
    });
  });
  await blocked.evaluate(() => {
    addEventListener('click', () => ((window as { pressed?: boolean }).pressed = true));
  });
  expect(await pressed(blocked)).toMatch(/^[0-9A-Z]{26}$/);
  await blocked.context().close();

  // Nothing is registered before the visitor agrees.
  await built(' data-consent="wait"');
  const asked = await byTheAd(browser, link, 'ad-4');
  const calls: string[] = [];
  asked.on('request', (r) => calls.push(r.url()));
  await expect(asked.locator('#button-1')).toBeVisible();
  expect(await clickIdOf(asked)).toBe('');
  expect(calls.filter((url) => url.includes('/arrive/'))).toEqual([]);
  await asked.evaluate(() => document.dispatchEvent(new Event('tracheon-consent')));
  const askedId = await registered(asked);
  expect(await asked.evaluate(() => Object.keys(sessionStorage).sort())).toEqual([
    'visit _c',
    'visit ad',
    'visit click_id',
  ]);
  await asked.context().close();

  const visits = await page.evaluate(
    async () =>
      (
        (await (await fetch('/api/visits?limit=50')).json()) as {
          rows: { id: string; sourceClickId: string; isRepeat: boolean; notes: string[]; subs: object }[];
        }
      ).rows,
  );
  const byAd = visits.map((v) => v.sourceClickId).filter((id) => id !== '');
  expect(byAd.sort()).toEqual(['ad-1', 'ad-2', 'ad-3', 'ad-4']);
  expect(visits.find((v) => v.id === askedId)).toMatchObject({
    subs: { ad: 'blue' },
    isRepeat: false,
    notes: ['page_script'],
  });
  expect(errors).toEqual([]);
});
