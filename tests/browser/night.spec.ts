/**
 * A night in which nobody looks: a page loses its button, an offer ends. The desk notices both, writes e-mails, and a watch
 * pauses the campaign that sends visitors nowhere. In the morning a member undoes it.
 */
import type { Locator, Page } from '@playwright/test';
import { choose, expectAccessible, goTo, makePart, openScreen, watchConsole } from './people.ts';
import { emptyDesk, type BrowserDesk } from './desks.ts';
import { expect, test } from './test.ts';

let system: BrowserDesk;
test.beforeAll(async () => {
  system = await emptyDesk('first');
});
interface Mail {
  to: string;
  subject: string;
  text: string;
}
/** E-mails to this desk's owner, the newest first. */
const mails = async (): Promise<Mail[]> =>
  ((await (await fetch(`${system.mailbox}/mails.json`)).json()) as Mail[]).filter(
    (m) => m.to === system.email,
  );
const visits = async (key: string, count: number): Promise<void> => {
  for (let i = 0; i < count; i += 25)
    await Promise.all(
      Array.from({ length: Math.min(25, count - i) }, (_, n) =>
        fetch(`${system.tracking}/v/${key}?clk=n${i + n}&site=site-${(i + n) % 4}&bid=0.02`, {
          redirect: 'manual',
          headers: { 'User-Agent': `Mozilla/5.0 (Android 15; Mobile) Night ${i + n}` },
        }),
      ),
    );
};

/** A page with one button of ours, an offer of the practice network, and a campaign that leads over both. */
async function setUp(page: Page): Promise<{ campaignKey: string; pageKey: string }> {
  const network = await makePart(page, 'network', {
    name: 'Larkspur CPA',
    clickIdParameter: 'aff_ref',
    fields: { click_id: { macro: '#ref#' } },
  });
  const source = await makePart(page, 'source', {
    name: 'Moorhen Push',
    macroStyle: '[x]',
    parameters: [
      { parameter: 'clk', macro: '[click]', role: 'click_id' },
      { parameter: 'site', macro: '[site]', role: 'sub', sub: 'site' },
      { parameter: 'bid', macro: '[bid]', role: 'cost' },
    ],
    costUnit: 'visit',
    costCurrency: 'EUR',
  });
  const offer = await makePart(page, 'offer', {
    name: 'Skylark stargazing',
    networkId: network.id,
    link: `${system.affiliate}/o/4480?pub=902`,
    currency: 'EUR',
    payoutMode: 'fixed',
    payoutMicros: '12000000',
  });
  const landing = await makePart(page, 'landing-page', {
    name: 'Stars over your garden',
    url: `${system.pages}/stargazing`,
  });
  const campaign = await makePart(page, 'campaign', {
    name: 'BE · Stargazing',
    sourceId: source.id,
    offerId: offer.id,
    landingPageId: landing.id,
    costModel: 'link',
    costCurrency: 'EUR',
  });
  return { campaignKey: campaign.key, pageKey: landing.key };
}
const editPage = (pageKey: string, vanished: boolean): Promise<unknown> =>
  fetch(`${system.pages}/edit/stargazing`, {
    method: 'POST',
    body: new URLSearchParams({
      buttons: `${system.tracking}/b/${pageKey}`,
      script: `<script src="${system.tracking}/page.js"></script>`,
      vanished: vanished ? 'yes' : '',
    }),
  });

/** In a list of members, by the keyboard. */
async function chooseOwner(members: Locator): Promise<void> {
  await members.press('ArrowDown');
  const option = members.page().getByRole('option', { name: /^Owner/ });
  await option.click();
  await members.press('Escape');
  await expect(option).toHaveCount(0);
}

test('a page loses its button and an offer ends: told by e-mail, the campaign paused, undone in the morning', async ({
  page,
}) => {
  const errors = watchConsole(page);
  // What the browser would show, kept for the test.
  await page.context().grantPermissions(['notifications'], { origin: system.desk });
  await page.addInitScript(() => {
    const shown: string[] = [];
    class Kept extends EventTarget {
      static readonly permission = 'granted';
      static requestPermission = () => Promise.resolve('granted');
      constructor(title: string) {
        super();
        shown.push(title);
      }
    }
    Object.assign(window, { shown, Notification: Kept });
  });
  await openScreen(page, system, '/watches/delivery');
  const { campaignKey, pageKey } = await setUp(page);
  await editPage(pageKey, false);

  // Who is told.
  await page.getByRole('button', { name: 'Change delivery' }).click();
  const delivery = page.getByRole('dialog', { name: 'Delivery of notices' });
  await chooseOwner(delivery.getByRole('combobox', { name: /send an e-mail to/ }));
  await expectAccessible(page, 'the delivery of notices');
  await delivery.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(delivery).toHaveCount(0);
  await expect(page.getByText('On. Signal watches write to Owner.')).toBeVisible();
  await page.getByRole('button', { name: 'Send a test e-mail to me' }).click();
  await expect(page.getByRole('table', { name: 'Sent' })).toContainText('taken by the mail server');
  await expect.poll(async () => (await mails())[0]?.subject).toBe('My desk: A test notice');
  await page.getByLabel(/Show notifications while a tab/).click();
  await expectAccessible(page, 'delivery');

  // The night: first all is well, then the button goes, and the offer.
  await page.getByRole('link', { name: 'Signal watches' }).click();
  const looks = page.getByRole('table', { name: 'What Tracheon looks for' });
  const look = async (kind: string): Promise<void> => {
    const button = looks.getByRole('button', { name: `Look now: ${kind}` });
    // What is found moves the table, and what moves while it is clicked is missed.
    await expect(async () => {
      const asked = page.waitForResponse((r) => r.url().endsWith('/signals/look'), { timeout: 10_000 });
      await Promise.all([asked, button.click()]);
    }).toPass();
    await expect(button).toHaveText('Look now');
    await expect(button).toBeEnabled();
  };
  await look('Landing page broken');
  await look('Offer page changed or gone');
  await expect(page.getByText('No trouble now')).toBeVisible();
  await editPage(pageKey, true);
  await fetch(`${system.affiliate}/offers/4480`, { method: 'POST' });
  await look('Landing page broken');
  await expect(page.getByText('The link of button 1 is not on the page.')).toBeVisible();
  await look('Offer page changed or gone');
  await expect(page.getByText('the last page is missing: it answers 404.')).toBeVisible();
  await expectAccessible(page, 'signal watches');
  await expect
    .poll(async () => (await mails()).map((m) => m.subject), { timeout: 30_000 })
    .toEqual(
      expect.arrayContaining([
        'My desk: Landing page broken: Stars over your garden',
        'My desk: Offer page changed or gone: Skylark stargazing',
      ]),
    );
  const shown = () => page.evaluate(() => (window as unknown as { shown: string[] }).shown);
  await expect.poll(shown).toContain('Landing page broken: Stars over your garden');
  // Each is told once, however often it is looked at.
  const before = (await mails()).length;
  await look('Landing page broken');
  expect((await mails()).filter((m) => m.subject.includes('Landing page broken'))).toHaveLength(1);
  expect(before).toBeGreaterThanOrEqual(3);
  expect((await shown()).filter((title) => title.startsWith('Landing page broken'))).toHaveLength(1);

  // A thousand visits, and hardly a sale: the rule that finds them. What is paused is not looked at any more, so it comes last.
  await visits(campaignKey, 1000);
  await goTo(page, system, '/watches');
  await page.getByRole('heading', { name: 'Watches', level: 1, exact: true }).click();
  await page.keyboard.press('n');
  const sheet = page.getByRole('dialog', { name: 'Add watch' });
  await sheet.getByLabel('Name').fill('Many visits, hardly a sale');
  await choose(sheet.getByRole('combobox', { name: 'Condition 1: figure' }), 'visits');
  await sheet.getByLabel('Condition 1: number').fill('1000');
  await choose(sheet.getByRole('combobox', { name: 'Condition 2: comparison' }), 'at most');
  await sheet.getByLabel('Condition 2: number').fill('100');
  await sheet.getByLabel('Newest hours to leave out').fill('0');
  await sheet.getByLabel('Minutes between checks').fill('5');
  await choose(sheet.getByRole('combobox', { name: 'What to do' }), 'pause it');
  await choose(sheet.getByRole('combobox', { name: 'Ask first' }), 'at once');
  await chooseOwner(sheet.getByRole('combobox', { name: 'Also send an e-mail to' }));
  await sheet.getByLabel(/Find nothing before one payout/).click();
  await sheet.getByLabel('Check automatically').click();
  await expect(sheet.getByLabel('The watch in words')).toHaveText(
    'For every campaign of all sources, when visits are at least 1000 and conversions are at most 100 over the last 2 days, checked every 5 minutes, then pause it and notify the members, also by e-mail to Owner.',
  );
  await expectAccessible(page, 'a watch that writes');
  await sheet.getByRole('button', { name: 'Save watch' }).click();
  await expect(sheet).toHaveCount(0);

  // By itself, at once; where figures are behind, within the minute.
  await expect
    .poll(async () => (await mails()).map((m) => m.subject), { timeout: 150_000 })
    .toContain('My desk: Many visits, hardly a sale: 1 found, 1 paused');
  await goTo(page, system, '/campaigns');
  await expect(page.getByRole('row').filter({ hasText: 'BE · Stargazing' })).toContainText(/paused/i);

  // The morning.
  await editPage(pageKey, false);
  await fetch(`${system.affiliate}/offers/4480`, { method: 'POST' });
  await goTo(page, system, '/watches');
  await page.getByRole('button', { name: 'Many visits, hardly a sale', exact: true }).click();
  const history = page.getByRole('dialog', { name: 'Many visits, hardly a sale' });
  await history.getByRole('button', { name: 'Resume it: BE · Stargazing' }).click();
  await expect(history.getByText('BE · Stargazing: undone.')).toBeVisible();
  await page.keyboard.press('Escape');
  await page.getByRole('link', { name: 'Signal watches' }).click();
  await look('Landing page broken');
  await look('Offer page changed or gone');
  await expect(page.getByText('No trouble now')).toBeVisible();
  await expect(page.getByRole('table', { name: 'Ended' }).getByRole('row')).toHaveCount(3);
  await goTo(page, system, '/campaigns');
  await expect(page.getByRole('row').filter({ hasText: 'BE · Stargazing' })).not.toContainText(/paused/i);
  expect(errors).toEqual([]);
});
