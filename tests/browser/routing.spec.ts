/** Branches and splits as a buyer sets them up, and the way that real visitors then take. */
import type { Locator } from '@playwright/test';
import { emptyDesk, type BrowserDesk } from './desks.ts';
import {
  choose,
  expectAccessible,
  expectNoSidewaysScroll,
  goTo,
  makeCampaign,
  makePart,
  signIn,
  watchConsole,
} from './people.ts';
import { expect, test } from './test.ts';

let system: BrowserDesk;
test.beforeAll(async () => {
  system = await emptyDesk();
});
const VISITOR =
  'Mozilla/5.0 (Linux; Android 15; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36';

test('a branch for two sites, split three to one, and everybody else: published, and every visitor goes by it', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const network = await makePart(page, 'network', {
    name: 'Saltmarsh Partners',
    clickIdParameter: 'ref',
    fields: {},
  });
  for (const [name, host] of [
    ['Kite kit', 'kite'],
    ['Sourdough starter', 'sourdough'],
    ['Terrarium box', 'terrarium'],
  ])
    await makePart(page, 'offer', {
      name,
      networkId: network.id,
      link: `https://${host}.example/o`,
      currency: 'EUR',
      countries: name === 'Kite kit' ? ['DK'] : [],
    });
  await makePart(page, 'source', {
    name: 'Lapwing Pops',
    costCurrency: 'EUR',
    parameters: [
      { parameter: 'clk', macro: '[click]', role: 'click_id' },
      { parameter: 'site', macro: '[site]', role: 'sub', sub: 'site' },
    ],
  });
  await makeCampaign(page, system, {
    name: 'DK · Kites · Lapwing Pops',
    source: 'Lapwing Pops',
    offer: 'Terrarium box',
  });
  await page.getByRole('link', { name: 'Routing' }).click();
  const otherwise = page.getByRole('region', { name: 'Otherwise' });
  await expect(otherwise).toContainText('all visitors');
  await page.keyboard.press('b');
  const branch = page.getByRole('region', { name: 'Branch 1' });
  // Nothing is published that is still empty.
  await page.getByRole('button', { name: 'Publish' }).click();
  await expect(branch.getByText('Choose at least one value.')).toBeVisible();
  await branch.getByRole('textbox', { name: 'Values 1' }).fill('kiosk-nord.example\ntuinpraat.example');
  await expect(
    branch.getByRole('button', { name: /site is kiosk-nord.example or tuinpraat.example/ }),
  ).toBeVisible();
  await choose(branch.getByRole('combobox', { name: 'Offer of A' }), 'Kite kit');
  await branch.getByRole('button', { name: 'Add pairing to branch 1' }).click();
  await choose(branch.getByRole('combobox', { name: 'Offer of B' }), 'Sourdough starter');
  await branch.getByRole('spinbutton', { name: 'Weight of A' }).fill('3');
  await page.keyboard.press('Tab');
  await expect(branch.getByRole('img', { name: 'Shares of branch 1' })).toContainText('75');
  await expectAccessible(page, 'routing');
  // A described visitor, against what is typed so far.
  const rehearsal = page.getByRole('region', { name: 'Rehearsal' });
  await expect(rehearsal.getByRole('status')).toContainText('Otherwise takes this visitor');
  await rehearsal.getByLabel('Sub-ID site').fill('tuinpraat.example');
  await expect(rehearsal.getByRole('status')).toContainText(/Branch 1 takes this visitor: A 75.%, B 25.%/);
  // A second branch that asks for less is never reached: said where it stands, and put right by moving it.
  await page.getByRole('button', { name: /Add branch/ }).click();
  const second = page.getByRole('region', { name: 'Branch 2' });
  await second.getByRole('textbox', { name: 'Values 1' }).fill('kiosk-nord.example');
  await expect(
    second.getByText('No visitor can reach this branch: branch 1 already takes them all.'),
  ).toBeVisible();
  await second.getByRole('button', { name: 'Move branch 2 up' }).click();
  await expect(page.getByText(/No visitor can reach/)).toHaveCount(0);
  await page.getByRole('button', { name: 'Remove branch 1' }).click();
  // A draft survives a reload.
  await page.reload();
  await expect(branch.getByRole('button', { name: /site is kiosk-nord.example or/ })).toBeVisible();
  await page.getByRole('button', { name: 'Publish' }).click();
  await expect(page.getByText('Visitors of Lapwing Pops, sent by 1 branch and 3 pairings.')).toBeVisible();
  const link = await page.evaluate(async () => {
    const id = location.pathname.split('/').at(-1);
    const res = await fetch(`/api/parts/campaign/${id}`);
    return ((await res.json()) as { key: string }).key;
  });
  let sent = 0;
  const way = async (site: string): Promise<string> => {
    const res = await page.request.get(`${system.tracking}/v/${link}?clk=r${(sent += 1)}&site=${site}`, {
      maxRedirects: 0,
      headers: { 'User-Agent': VISITOR },
    });
    return new URL(res.headers().location!).host;
  };
  await expect.poll(() => way('kiosk-nord.example')).toMatch(/^(kite|sourdough)\.example$/);
  const seen = new Set<string>();
  for (let i = 0; i < 40; i++) {
    await page.context().clearCookies({ name: `v_${link}` });
    seen.add(await way('tuinpraat.example'));
  }
  expect([...seen].sort()).toEqual(['kite.example', 'sourdough.example']);
  expect(await way('elsewhere.example')).toBe('terrarium.example');
  // What came of late stands beside the routing, and values are chosen from it.
  await page.getByRole('link', { name: 'Routing' }).click();
  await expect(otherwise.getByText(/^Last 7 days: 1 visit /)).toBeVisible();
  await branch.getByRole('button', { name: /^Conditions of branch 1/ }).click();
  const seenLately = branch.getByRole('group', { name: /seen in the last 7 days/ });
  await expect(seenLately.getByRole('button', { name: /tuinpraat/ })).toHaveAttribute('aria-pressed', 'true');
  await seenLately.getByRole('button', { name: /elsewhere/ }).click();
  await expect(
    branch.getByRole('button', { name: /or tuinpraat.example or elsewhere.example/ }),
  ).toBeVisible();
  // The border between two shares moves by keys; weights become percents.
  await branch.getByRole('slider', { name: 'Border between A and B of branch 1' }).press('ArrowLeft');
  await expect(branch.getByRole('spinbutton', { name: 'Weight of A' })).toHaveValue('74');
  // The draft on paper: one real visitor with filled links, then ten thousand like those of last week.
  await rehearsal.getByRole('button', { name: 'Use a recent visitor' }).click();
  await expect(rehearsal.getByLabel('Sub-ID site')).toHaveValue('elsewhere.example');
  await expect(rehearsal.getByRole('region', { name: 'Links of A' })).toContainText(
    'https://kite.example/o?ref=01SAMPLE0000000000000CLICK',
  );
  await rehearsal.getByText('Ten thousand').click();
  await rehearsal.getByRole('button', { name: 'Run 10,000 visitors' }).click();
  await expect(rehearsal.getByText(/visitors, drawn from 4\d real visits/)).toBeVisible();
  await expect(rehearsal.getByRole('row', { name: /Branch 1 A Kite kit/ })).toBeVisible();
  await expect(rehearsal.getByRole('row', { name: /Otherwise/ })).toHaveCount(0);
  await rehearsal.getByText('One visitor').click();
  await rehearsal.getByRole('button', { name: 'Follow for real' }).click();
  // No such host exists.
  await expect(rehearsal.getByText(/The last address doesn’t answer/)).toBeVisible();
  await expectAccessible(page, 'a rehearsal');
  await page.getByRole('button', { name: 'Discard changes' }).click();
  await page.getByRole('link', { name: 'Back to campaign' }).click();
  // The form of the campaign leaves the way to the routing.
  await page.getByRole('button', { name: /Edit/ }).first().click();
  await expect(page.getByRole('dialog').getByRole('link', { name: 'Edit routing' })).toBeVisible();
  await page.keyboard.press('Escape');
  // Duplicated, it keeps its branches.
  await page.getByRole('button', { name: 'Duplicate', exact: true }).click();
  const sheet = page.getByRole('dialog');
  await sheet.getByRole('button', { name: 'Create 1 campaign' }).click();
  await sheet.getByRole('row').nth(1).getByRole('link').click();
  await expect(page.getByText('Visitors of Lapwing Pops, sent by 1 branch and 3 pairings.')).toBeVisible();
  await page.getByRole('link', { name: 'Routing' }).click();
  await expect(branch.getByRole('button', { name: /site is kiosk-nord.example or/ })).toBeVisible();
  // Both campaigns share one routing from now on.
  await page.getByRole('button', { name: 'Shared routings …' }).click();
  const sharedSheet = page.getByRole('dialog', { name: 'Shared routings' });
  await sharedSheet.getByLabel('Share this campaign’s routing as').fill('Kites everywhere');
  await sharedSheet.getByRole('button', { name: 'Share routing' }).click();
  const shared = page.getByRole('region', { name: 'Shared routing' });
  await expect(shared.getByRole('combobox')).toHaveText('Kites everywhere');
  await goTo(page, system, '/campaigns');
  await page.getByRole('link', { name: 'DK · Kites · Lapwing Pops', exact: true }).click();
  await page.getByRole('link', { name: 'Routing' }).click();
  await choose(shared.getByRole('combobox'), 'Kites everywhere');
  await expect(shared).toContainText('Publishing also changes');
  await page.getByRole('button', { name: 'Publish' }).click();
  await page.getByRole('link', { name: 'Routing' }).click();
  // A pairing for a time: set as clocks in the desk's zone show it, kept as a moment.
  await branch.getByRole('button', { name: 'Set when A takes visitors' }).click();
  const from = branch.getByLabel('A takes visitors from', { exact: true });
  const to = branch.getByLabel('A takes visitors to', { exact: true });
  const setDay = async (field: Locator, day: string): Promise<void> => {
    await field.fill(day);
    await page.keyboard.press('Escape');
    await page.keyboard.press('Tab');
  };
  await setDay(from, '2030-01-01');
  await branch.getByLabel('A takes visitors from, time').pressSequentially('0930');
  await setDay(to, '2029-12-31');
  await expect(branch.getByText('The end must come after the start.')).toBeVisible();
  await setDay(to, '2030-01-02');
  await expect(branch.getByText('The end must come after the start.')).toHaveCount(0);
  await page.reload();
  await expect(from).toHaveValue('2030-01-01');
  await expect(branch.getByLabel('A takes visitors from, time')).toHaveValue('09:30');
  await expect(to).toHaveValue('2030-01-02');
  // What this browser did before, as a condition.
  await page.getByRole('button', { name: /Add branch/ }).click();
  const back = page.getByRole('region', { name: 'Branch 2' });
  await choose(back.getByRole('combobox', { name: 'Condition 1' }), 'Has seen offer');
  await back.getByRole('combobox', { name: 'Values 1' }).press('ArrowDown');
  await page.getByRole('option', { name: 'Kite kit' }).click();
  await page.keyboard.press('Escape');
  await expect(back.getByRole('button', { name: /visitor has seen Kite kit/ })).toBeVisible();
  await choose(rehearsal.getByRole('combobox', { name: 'Has seen offer' }), 'Kite kit');
  await expect(rehearsal.getByRole('status')).toContainText('Branch 2 takes this visitor');
  await page.setViewportSize({ width: 390, height: 844 });
  await expect(branch).toBeVisible();
  await expectNoSidewaysScroll(page, 'routing on a phone');
  expect(errors).toEqual([]);
});

test('a page with two buttons sells two offers: each button leads to its own, and the conversion is that one’s', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const network = await makePart(page, 'network', {
    name: 'Larkspur CPA',
    clickIdParameter: 'ref',
    fields: { click_id: { parameter: 'click_id' }, payout: { parameter: 'payout' } },
  });
  for (const [name, host] of [
    ['Fernway box', 'box'],
    ['Fernway lamp', 'lamp'],
  ])
    await makePart(page, 'offer', {
      name,
      networkId: network.id,
      link: `https://${host}.example/o`,
      currency: 'EUR',
    });
  await makePart(page, 'source', {
    name: 'Moorhen Push',
    costCurrency: 'EUR',
    parameters: [{ parameter: 'clk', macro: '[click]', role: 'click_id' }],
  });
  const landing = await makePart(page, 'landing-page', {
    name: 'Two gifts',
    url: 'https://gifts.example/',
    buttons: 2,
  });
  await makeCampaign(page, system, {
    name: 'NL · Gifts · Moorhen Push',
    source: 'Moorhen Push',
    offer: 'Fernway box',
    page: 'Two gifts',
  });
  await page.getByRole('link', { name: 'Routing' }).click();
  const otherwise = page.getByRole('region', { name: 'Otherwise' });
  await otherwise.getByRole('button', { name: 'Set an offer for each button' }).click();
  await choose(otherwise.getByRole('combobox', { name: 'Offer of A, button 2' }), 'Fernway lamp');
  await expectAccessible(page, 'an offer for each button');
  // Without a page there are no buttons: one offer is left, and comes back with the page.
  await choose(otherwise.getByRole('combobox', { name: 'Page of A' }), 'no page');
  await expect(otherwise.getByRole('combobox', { name: /^Offer of A/ })).toHaveCount(1);
  await choose(otherwise.getByRole('combobox', { name: 'Page of A' }), 'Two gifts');
  await otherwise.getByRole('button', { name: 'Set an offer for each button' }).click();
  await choose(otherwise.getByRole('combobox', { name: 'Offer of A, button 2' }), 'Fernway lamp');
  await page.getByRole('button', { name: 'Publish' }).click();
  await expect(page.getByText('Visitors of Moorhen Push, sent by 1 pairing.')).toBeVisible();

  const key = await page.evaluate(async () => {
    const res = await fetch(`/api/parts/campaign/${location.pathname.split('/').at(-1)}`);
    return ((await res.json()) as { key: string }).key;
  });
  const go = async (path: string): Promise<URL> => {
    const res = await page.request.get(system.tracking + path, {
      maxRedirects: 0,
      headers: { 'User-Agent': VISITOR },
    });
    return new URL(res.headers().location!);
  };
  const pressed = async (n: number): Promise<string> => {
    const clickId = (await go(`/v/${key}?clk=two`)).searchParams.get('click_id')!;
    const { host } = await go(`/b/${landing.key}/${n}?click_id=${clickId}`);
    const said = await page.request.get(
      `${system.tracking}/in/${network.key}?click_id=${clickId}&payout=${n}`,
    );
    expect(said.ok()).toBe(true);
    return host;
  };
  await expect.poll(() => pressed(2)).toBe('lamp.example');
  expect(await pressed(1)).toBe('box.example');
  await goTo(page, system, '/conversions/all');
  await expect(page.getByRole('row', { name: /Fernway lamp/ }).first()).toContainText('2.00');
  await expect(page.getByRole('row', { name: /Fernway box/ }).first()).toContainText('1.00');
  expect(errors).toEqual([]);
});

test('unique visitors go elsewhere, a split takes the others; one visit signs up and buys twice; tried as a visitor from elsewhere', async ({
  page,
  browser,
}) => {
  const errors = watchConsole(page);
  await signIn(page, system);
  const network = await makePart(page, 'network', {
    name: 'Kitewright direct',
    clickIdParameter: 'aff_ref',
    fields: { click_id: { parameter: 'click_id' }, transaction: { parameter: 'txn' } },
  });
  for (const [name, o] of [
    ['Kite welcome kit', '4471'],
    ['Kite kit, red', '4471?colour=red'],
    ['Kite kit, blue', '4471?colour=blue'],
  ])
    await makePart(page, 'offer', {
      name,
      networkId: network.id,
      link: `${system.affiliate}/o/${o}`,
      currency: 'EUR',
    });
  for (const word of ['signup', 'upsell']) await makePart(page, 'event-type', { name: `Kite ${word}`, word });
  await makePart(page, 'source', {
    name: 'Wrenfeed Social',
    costCurrency: 'EUR',
    parameters: [{ parameter: 'clk', macro: '[click]', role: 'click_id' }],
  });
  await makeCampaign(page, system, {
    name: 'JP · Kites · Wrenfeed',
    source: 'Wrenfeed Social',
    offer: 'Kite kit, red',
  });
  await page.getByRole('link', { name: 'Routing' }).click();
  await page.getByRole('button', { name: /Add branch/ }).click();
  const branch = page.getByRole('region', { name: 'Branch 1' });
  await choose(branch.getByRole('combobox', { name: 'Condition 1' }), 'Unique');
  await expect(branch.getByRole('button', { name: /visitor is unique/ })).toBeVisible();
  await choose(branch.getByRole('combobox', { name: 'Offer of A' }), 'Kite welcome kit');
  const otherwise = page.getByRole('region', { name: 'Otherwise' });
  await otherwise.getByRole('button', { name: 'Add pairing to otherwise' }).click();
  await choose(otherwise.getByRole('combobox', { name: 'Offer of C' }), 'Kite kit, blue');
  await page.getByRole('button', { name: 'Publish' }).click();
  await expect(page.getByText('Visitors of Wrenfeed Social, sent by 1 branch and 3 pairings.')).toBeVisible();
  const key = await page.evaluate(async () => {
    const res = await fetch(`/api/parts/campaign/${location.pathname.split('/').at(-1)}`);
    return ((await res.json()) as { key: string }).key;
  });
  // Asked without a trace, until the branch is live.
  await expect
    .poll(async () => {
      const to = await page.request.head(`${system.tracking}/v/${key}`, {
        maxRedirects: 0,
        headers: { 'User-Agent': `${VISITOR} nobody` },
      });
      return to.headers().location;
    })
    .not.toContain('colour');
  const colours = new Set<string>();
  let clickId = '';
  for (let visitor = 0; colours.size < 2; visitor++) {
    expect(visitor).toBeLessThan(60);
    // A browser of its own: once unique, then returning, and faithful to its pairing.
    const context = await browser.newContext({ userAgent: `${VISITOR} v${visitor}` });
    const go = async (n: number): Promise<URL> => {
      const to = await context.request.get(`${system.tracking}/v/${key}?clk=u${visitor}-${n}`, {
        maxRedirects: 0,
      });
      return new URL(to.headers().location!);
    };
    expect((await go(1)).searchParams.has('colour')).toBe(false);
    const second = await go(2);
    expect((await go(3)).searchParams.get('colour')).toBe(second.searchParams.get('colour'));
    colours.add(second.searchParams.get('colour')!);
    clickId = second.searchParams.get('aff_ref')!;
    await context.close();
  }
  // One visit: a sign-up, two upsells, and the first of them told twice.
  for (const query of [
    'event=signup&payout=2',
    'event=upsell&payout=9&txn=k-1',
    'event=upsell&payout=4&txn=k-2',
    'event=upsell&payout=9&txn=k-1',
  ])
    await page.request.get(`${system.tracking}/in/${network.key}?click_id=${clickId}&${query}`);
  // On a busy machine one may be answered before it is processed.
  const outcomes = async (): Promise<string[]> => {
    const res = await page.request.get(`${system.desk}/api/postbacks-in?limit=50&search=${clickId}`);
    const { rows } = (await res.json()) as { rows: { outcome: string }[] };
    return rows.map((r) => r.outcome).sort();
  };
  await expect.poll(outcomes).toEqual(['accepted', 'accepted', 'accepted', 'duplicate']);
  await goTo(page, system, `/conversions/all?search=${clickId}`);
  await expect(page.getByRole('row', { name: /Kite (signup|upsell)/ })).toHaveCount(3);
  // Tried as a visitor from Japan, to the last page of the offer.
  await page.goBack();
  await page.getByRole('link', { name: 'Routing' }).click();
  const rehearsal = page.getByRole('region', { name: 'Rehearsal' });
  await choose(rehearsal.getByRole('combobox', { name: 'Country' }), /Japan/);
  await rehearsal.getByRole('button', { name: 'Follow for real' }).click();
  await expect(rehearsal.getByText('The last page is there: it answers 200.')).toBeVisible();
  expect(errors).toEqual([]);
});
