/** Every screen of the demo desk: in both themes, wide and narrow, without errors, without what axe would find. */
import type { Locator, Page } from '@playwright/test';
import { readFile } from 'node:fs/promises';
import pg from 'pg';
import {
  choose,
  copiedBy,
  expectAccessible,
  expectNoSidewaysScroll,
  giveSession,
  goTo,
  openScreen,
  settled,
  signIn,
  watchConsole,
} from './people.ts';
import { demoDesk, type BrowserDesk } from './desks.ts';
import { expect, test } from './test.ts';

let system: BrowserDesk;
test.beforeAll(async () => {
  system = await demoDesk();
});

const screens: [path: string, title: string][] = [
  ['/today', 'Today'],
  ['/campaigns', 'Campaigns'],
  ['/parts/network', 'Networks'],
  ['/parts/source', 'Sources'],
  ['/parts/offer', 'Offers'],
  ['/parts/event-type', 'Event types'],
  ['/conversions/postbacks-in', 'Postbacks in'],
  ['/conversions/all', 'Conversions'],
  ['/conversions/needs-repair', 'Needs repair'],
  ['/conversions/postbacks-out', 'Postbacks out'],
  ['/money/cost', 'Cost'],
  ['/money/statements', 'Statements'],
  ['/money/decisions', 'Approval and delay'],
  ['/conversions/carry-over', 'Carry over click IDs'],
  ['/conversions/import', 'Import conversions'],
  ['/settings', 'Settings'],
  ['/set-up', 'Set up'],
];

const WIDE = { width: 1280, height: 800 };
const PHONE = { width: 390, height: 844 };
/** Colours are the same everywhere: these have each of them. */
const inDark = ['/today', '/campaigns', '/conversions/all', '/set-up'];
for (const theme of ['light', 'dark'] as const)
  test(`in the ${theme} theme`, async ({ page }) => {
    await page.emulateMedia({ colorScheme: theme });
    const errors = watchConsole(page);
    await page.goto(`${system.desk}/sign-in`);
    await expect(page.getByRole('button', { name: 'Sign in' })).toBeVisible();
    // Only colours differ in the dark.
    const rule = theme === 'dark' ? 'color-contrast' : undefined;
    await expectAccessible(page, `sign-in ${theme}`, rule);
    await giveSession(page, system);
    for (const [path, title] of screens.filter(([p]) => theme === 'light' || inDark.includes(p))) {
      await goTo(page, system, path);
      await expect(page.getByRole('heading', { name: title, level: 1 })).toBeVisible();
      await settled(page);
      await expect(page.getByText('Try again')).toHaveCount(0);
      await expectAccessible(page, `${path} ${theme}`, rule);
      await expectNoSidewaysScroll(page, `${path} ${theme}`);
      if (theme === 'dark') continue;
      await page.setViewportSize(PHONE);
      await expectNoSidewaysScroll(page, `${path} on a phone`);
      await page.setViewportSize(WIDE);
    }
    await goTo(page, system, '/campaigns');
    await page.getByRole('link', { name: 'BE · Stargazing · Moorhen Push' }).click();
    await expect(page.getByRole('img', { name: /Profit and visits by day/ })).toBeVisible();
    // In the light, a campaign with all that it can have is looked at below.
    if (theme === 'dark') await expectAccessible(page, 'campaign dark', rule);
    await expectNoSidewaysScroll(page, `campaign ${theme}`);
    expect(errors).toEqual([]);
  });

test('on a phone: Today, Campaigns and Conversions, and the way between them', async ({ page }) => {
  await page.setViewportSize(PHONE);
  const errors = watchConsole(page);
  await signIn(page, system);
  for (const [name, title] of [
    ['Campaigns', 'Campaigns'],
    ['Conversions', 'Postbacks in'],
    ['Today', 'Today'],
  ] as const) {
    await page.getByRole('link', { name, exact: true }).click();
    await expect(page.getByRole('heading', { name: title, level: 1 })).toBeVisible();
    await expectNoSidewaysScroll(page, title);
    await expectAccessible(page, `${title} narrow`);
  }
  expect(errors).toEqual([]);
});

test('by keyboard: the palette finds a campaign, keys move the period, ? lists them', async ({ page }) => {
  await signIn(page, system);
  await page.keyboard.press('Control+k');
  await page.keyboard.type('stargaz');
  // The parts of the desk may still be on their way; until then there are only conversions to search.
  await expect(page.getByRole('option').first()).toContainText('BE · Stargazing · Moorhen Push');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'BE · Stargazing · Moorhen Push', level: 1 })).toBeVisible();
  const range = page.getByText(/· by visit day$/);
  const now = await range.innerText();
  await page.keyboard.press('Shift+ArrowLeft');
  await expect(range).not.toHaveText(now);
  await page.keyboard.press('Shift+ArrowRight');
  await expect(range).toHaveText(now);
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog')).toContainText('Copy the tracking link');
  // What PrimeVue sets on the body for a dialog must not be inherited: the browser would compute the whole page's look again.
  const inherited = await page.evaluate(() =>
    [...document.body.style].map((name) => {
      document.body.style.setProperty(name, '7px');
      const of = (e: Element): string => getComputedStyle(e).getPropertyValue(name);
      return [name, of(document.body), of(document.querySelector('main')!)];
    }),
  );
  expect(inherited).toEqual([['--p-scrollbar-width', '7px', '0px']]);
  await page.keyboard.press('Escape');
  await expect(page.getByRole('dialog')).toHaveCount(0);
  await page.keyboard.press('e');
  await expect(page.getByRole('dialog', { name: /Edit BE/ })).toBeVisible();
});

test('lists sort by any column, search, and page further back', async ({ page }) => {
  const errors = watchConsole(page);
  let release: () => void = () => undefined;
  const held = new Promise<void>((go) => (release = go));
  const report = '**/api/reports/campaigns*';
  await page.route(report, async (route) => {
    await held;
    return route.continue();
  });
  await goTo(page, system, '/campaigns');
  const table = page.getByRole('region', { name: 'Campaigns, scrolls' });
  const first = table.getByRole('row').nth(1);
  // Names are there before their figures: a bar says that these come, and no cell that there are none.
  const loads = page.getByRole('progressbar', { name: 'Loading' });
  await expect(loads).toBeVisible();
  await expect(first.getByRole('link')).toBeVisible();
  expect(await first.innerText()).not.toContain('–');
  await expectAccessible(page, 'a list without its figures yet');
  // Motion is reduced: nothing moves, and the bar is there all the same.
  const moving = await loads.evaluate((bar) => {
    const { animationName, width } = getComputedStyle(bar.firstElementChild!, '::before');
    return [animationName, width === `${bar.clientWidth}px`];
  });
  expect(moving).toEqual(['none', true]);
  release();
  await expect(loads).toHaveCount(0);
  // With half a pixel, the line under a pinned heading stands beside that of its neighbours.
  expect((await table.getByRole('columnheader').first().boundingBox())!.height % 1).toBe(0);
  await page.unroute(report);
  // The figures of a row come after its name.
  await expect(first).toContainText(/\d/);
  const most = await first.innerText();
  // What scrolls under the pinned name of the total must not show through.
  await expect(table.locator('tfoot td').nth(1)).toHaveCSS('background-color', 'rgb(255, 255, 255)');
  await table.getByRole('columnheader', { name: 'Profit', exact: true }).click();
  await expect(table.getByRole('columnheader', { name: 'Profit', exact: true })).toHaveAttribute(
    'aria-sort',
    'ascending',
  );
  await expect.poll(() => first.innerText()).not.toBe(most);
  await page.getByLabel('Search campaigns').fill('kites');
  await expect(table.getByRole('link')).toHaveText([/Kites/, /Kites/]);
  await page.getByLabel('Search campaigns').fill('nothing like it');
  await expect(page.getByText('No campaign matches')).toBeVisible();

  await goTo(page, system, '/conversions/all');
  const rows = page.getByRole('region', { name: 'Conversions, scrolls' }).getByRole('row');
  await expect(rows).toHaveCount(51);
  await page.getByRole('button', { name: /more|older/i }).click();
  await expect(rows).toHaveCount(101);
  await goTo(page, system, '/conversions/needs-repair');
  await expect.poll(() => page.locator('section.group').count()).toBeGreaterThanOrEqual(5);
  await goTo(page, system, '/conversions/postbacks-in?kind=repair');
  const repair = page.getByRole('region', { name: 'Postbacks in, scrolls' }).getByRole('row');
  await expect.poll(() => repair.count()).toBeGreaterThanOrEqual(7);
  const before = await repair.count();
  await page.getByLabel('Search postbacks in').fill('LK-P1');
  await expect(page.getByText('is ambiguous')).toBeVisible();
  await expect.poll(() => repair.count()).toBeLessThan(before);
  expect(errors).toEqual([]);
});

test('a conversion is changed by hand with a reason, which its history keeps, and the change is undone', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/conversions/all?kind=pending');
  const list = page.getByRole('region', { name: 'Conversions, scrolls' });
  await list.getByRole('row').nth(4).getByRole('button').first().click();
  const one = page.getByRole('dialog', { name: 'One conversion' });
  await one.getByRole('button', { name: /Change by hand/ }).click();
  const form = one.getByRole('form', { name: 'Change by hand' });
  await choose(form.getByLabel('Status'), 'approved');
  await form.getByLabel('Payout').fill('21.25');
  await form.getByLabel('Reason').fill('Confirmed by phone');
  await form.getByRole('button', { name: 'Change conversion' }).click();
  const history = one.getByRole('region', { name: 'History', exact: true });
  await expect(history).toContainText('Confirmed by phone');
  await expect(one.getByText(/21\.25/).first()).toBeVisible();
  await expectAccessible(page, 'one conversion');
  await page.keyboard.press('Escape');
  const runs = page.getByRole('region', { name: 'Latest changes by hand' });
  await runs
    .getByRole('button', { name: /^Undo Changed by hand to approved/ })
    .first()
    .click();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Undo' }).click();
  await expect(runs.getByText(/· undone$/).first()).toBeVisible();
  expect(errors).toEqual([]);
});

test('a group that needs repair: the fix is tried first, done at once for all, and undone as one', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/conversions/needs-repair');
  const group = page.getByRole('region', { name: /sends the status “review”, which is not mapped/ });
  await expect(group).toContainText(/postbacks? since/);
  const title = group.getByRole('button', { name: /which is not mapped/ });
  if ((await title.getAttribute('aria-expanded')) === 'false') await title.click();
  await choose(group.getByLabel('Meaning of review'), 'approved');
  await expect(group.getByText(/^(updates|become conversions)$/).first()).toBeVisible();
  await expect(page.getByRole('region', { name: 'Example' })).toContainText(
    'The status “review” is not mapped',
  );
  await expectAccessible(page, 'needs repair');
  await page.getByRole('region', { name: 'Example' }).getByRole('button', { name: 'Open postback' }).click();
  const one = page.getByRole('dialog', { name: 'One postback' });
  await expect(one.getByText('How Tracheon read it')).toBeVisible();
  await one.getByRole('button', { name: 'Try again as a test' }).click();
  await expect(one.getByText(/^If it came again now: needs repair/)).toBeVisible();
  const curl = await copiedBy(page, () => one.getByRole('button', { name: 'Copy as curl' }).click());
  expect(curl).toMatch(/^curl --globoff .*\/in\/\w+\?click_id=/);
  await page.keyboard.press('Escape');
  await expect(one).toBeHidden();
  await group.getByRole('button', { name: /Fix and reprocess/ }).click();
  const runs = page.getByRole('region', { name: 'Latest repairs' });
  await expect(runs.getByText(/status “review” means approved/)).toBeVisible();
  await expect(runs.getByText(/· done$/)).toBeVisible();
  await expect(group).toHaveCount(0);
  await runs.getByRole('button', { name: /^Undo/ }).click();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Undo' }).click();
  await expect(runs.getByText(/· undone$/)).toBeVisible();
  await expect(group).toContainText(/postbacks? since/);
  expect(errors).toEqual([]);
});

test('any period of days, picked in a calendar far from the desk’s zone, and compared with the one before', async ({
  browser,
}) => {
  // There it is another day for most of the desk's day.
  const context = await browser.newContext({ timezoneId: 'Pacific/Kiritimati', reducedMotion: 'reduce' });
  const page = await context.newPage();
  await openScreen(page, system, '/campaigns');
  const period = page.getByRole('button', { name: /^Period: / });
  await period.click();
  const dialog = page.getByRole('dialog', { name: 'Period' });
  await dialog.getByRole('option', { name: 'Last month' }).click();
  const lastMonth = await period.getAttribute('aria-label');
  await period.click();
  await dialog.getByText('period before', { exact: true }).click();
  // The calendar shows the month that was chosen: its 3rd to its 9th.
  const day = (n: number) =>
    dialog
      .locator('td:not([data-p-other-month="true"]) [data-pc-section="day"]')
      .filter({ hasText: new RegExp(`^${n}$`) });
  await day(3).click();
  const asked = page.waitForRequest((r) =>
    /reports\/campaigns\?.*from=\d{4}-\d{2}-03&to=\d{4}-\d{2}-09/.test(r.url()),
  );
  await day(9).click();
  await asked;
  await expect(page.getByText(/^3 \w+\s?–\s?9 \w+ \d{4} · Europe\/Brussels/)).toBeVisible();
  await expect(page.getByRole('note', { name: 'Comparison' })).toContainText('Visits');
  expect(await period.getAttribute('aria-label')).not.toBe(lastMonth);
  // Kept when the page is loaded anew.
  await page.reload();
  await expect(page.getByText(/^3 \w+\s?–\s?9 \w+ \d{4} ·/)).toBeVisible();
  await context.close();
});

test('what strangers send is text on every screen: no script of theirs runs, no markup of theirs appears', async ({
  page,
}) => {
  const evil =
    '<img src=x onerror="window.ran=1"><script>window.ran=1</script>{{constructor.constructor("window.ran=1")()}}';
  const read = async (sql: string, values: string[] = []): Promise<Record<string, string>> => {
    const client = new pg.Client({ connectionString: system.databaseUrl });
    await client.connect();
    const { rows } = await client.query(sql, values);
    await client.end();
    return rows[0];
  };
  const campaign = await read(
    // Whole, since desks of other tests have campaigns that are named alike.
    `SELECT key, id, desk_id FROM parts WHERE kind = 'campaign' AND name = 'BE · Stargazing · Moorhen Push'`,
  );
  const network = await read(
    `SELECT key FROM parts WHERE kind = 'network' AND name LIKE 'Larkspur%' AND desk_id = $1`,
    [campaign.desk_id!],
  );
  const visit = await fetch(
    `${system.tracking}/v/${campaign.key}?clk=${encodeURIComponent(evil)}&site=${encodeURIComponent(evil)}&bid=0.1`,
    {
      redirect: 'manual',
      headers: {
        'User-Agent': evil,
        Referer: `https://a.example/${encodeURIComponent(evil)}`,
        'Accept-Language': evil,
      },
    },
  );
  const id = new URL(visit.headers.get('location')!).searchParams.get('aff_ref')!;
  await fetch(
    `${system.tracking}/in/${network.key}?click_id=${id}&payout=18&transaction=${encodeURIComponent(evil)}&event=order&status=ok&x_note=${encodeURIComponent(evil)}`,
  );
  await fetch(
    `${system.tracking}/in/${network.key}?click_id=${encodeURIComponent(evil)}&payout=${encodeURIComponent(evil)}`,
  );
  await giveSession(page, system);
  const shown: string[] = [];
  for (const [path, title] of [
    ...screens,
    [`/campaigns/${campaign.id}`, 'BE · Stargazing · Moorhen Push'] as const,
  ]) {
    await goTo(page, system, path);
    await expect(page.getByRole('heading', { name: title, level: 1 })).toBeVisible();
    await settled(page);
    if ((await page.locator('main').innerText()).includes('onerror')) shown.push(path);
    expect(await page.evaluate(() => (window as unknown as { ran?: number }).ran), path).toBeUndefined();
    expect(await page.locator('img[src="x"]').count(), path).toBe(0);
  }
  // It was there to be seen, and the test has not looked past it.
  expect(shown).toContain('/conversions/all');
  expect(shown).toContain(`/campaigns/${campaign.id}`);
});

test('a file is imported: mapped, previewed, its failed rows given back, and undone', async ({ page }) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/conversions/all?kind=approved&tests=none');
  const rows = page.getByRole('region', { name: 'Conversions, scrolls' }).locator('tbody tr');
  const lk = rows.filter({ hasText: /LK-\w+/ }).first();
  const transaction = /LK-\w+/.exec(await lk.innerText())![0];
  await goTo(page, system, '/conversions/import');
  await choose(page.getByLabel('Network', { exact: true }), 'Larkspur CPA');
  await page.locator('input[type=file]').setInputFiles({
    name: 'november.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(
      `Order;Commission;Status;Comment\n${transaction};1,50;back;taken back\nLK-NOBODY;2,00;ok;unknown\n`,
    ),
  });
  await expect(page.getByText('2 rows.')).toBeVisible();
  await expect(page.getByLabel('Meaning of Order')).toContainText('Transaction');
  await choose(page.getByLabel('Decimal mark'), /comma/);
  // A reload goes on with the file and its mapping.
  await page.waitForResponse((r) => /imports\/\w{26}$/.test(r.url()) && r.request().method() === 'PUT');
  await page.reload();
  await expect(page.getByLabel('Decimal mark')).toContainText('comma');
  await page.getByRole('button', { name: 'Preview' }).click();
  await expect(page.getByText(/The first 2 rows: 1 updated, 1 needs repair/)).toBeVisible();
  await expectAccessible(page, 'import');
  await page.getByRole('button', { name: 'Import 2 rows' }).click();
  const imports = page.getByRole('region', { name: 'Latest imports' });
  await expect(imports.getByText(/· done$/)).toBeVisible();
  const file = page.waitForEvent('download');
  await imports.getByRole('button', { name: 'Download failed rows' }).click();
  const text = await readFile(await (await file).path(), 'utf8');
  expect(text).toMatch(/LK-NOBODY.*,2,/);
  await imports.getByRole('button', { name: /^Undo/ }).click();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Undo' }).click();
  await expect(imports.getByText(/· undone$/)).toBeVisible();
  expect(errors).toEqual([]);
});

test('a statement is compared, one row of it booked, and the rest asked about', async ({ page }) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/conversions/all?kind=approved&tests=none');
  const rows = page.getByRole('region', { name: 'Conversions, scrolls' }).locator('tbody tr');
  const lk = rows.filter({ hasText: /LK-\w+/ }).nth(1);
  const transaction = /LK-\w+/.exec(await lk.innerText())![0];
  await goTo(page, system, '/money/statements');
  await choose(page.getByLabel('Network', { exact: true }), 'Larkspur CPA');
  await page.locator('input[type=file]').setInputFiles({
    name: 'statement.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(`Order,Commission,Status\n${transaction},1.25,approved\nLK-NEVER,4.00,approved\n`),
  });
  await page.getByRole('button', { name: 'Compare 2 rows' }).click();
  const result = page.getByRole('region', { name: 'Result of statement.csv' });
  await expect(result.getByRole('row', { name: /^Other amount/ })).toContainText('1.25 EUR');
  await expect(result.getByText('The file has no dates')).toBeVisible();
  await expectAccessible(page, 'statement');
  const asked = await copiedBy(page, () =>
    result.getByRole('button', { name: 'Copy question about Missing here' }).click(),
  );
  expect(asked).toMatch(/Hello Larkspur CPA team[^]*LK-NEVER \| – \| – \| approved 4\.00/);
  await result.getByRole('button', { name: 'Show Other amount' }).click();
  await result.getByRole('button', { name: 'Book row 1' }).click();
  await expect(result.getByRole('region', { name: 'Lines, scrolls' }).getByText('booked')).toBeVisible();
  // It is an import like any other, and undone like one.
  await goTo(page, system, '/conversions/import');
  const imports = page.getByRole('region', { name: 'Latest imports' });
  await expect(imports.getByText('Booked from statement statement.csv')).toBeVisible();
  await imports.getByRole('button', { name: 'Undo Booked from statement statement.csv' }).click();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Undo' }).click();
  await expect(imports.getByText(/· undone$/).first()).toBeVisible();
  expect(errors).toEqual([]);
});

test('click IDs of an earlier tracker are carried over: previewed, started, and a late conversion finds its campaign', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/conversions/import');
  await page.getByRole('link', { name: 'Carry over its click IDs' }).click();
  // The page before has a file to choose as well.
  await expect(page.getByRole('heading', { name: 'Carry over click IDs', level: 1 })).toBeVisible();
  const day = new Date(Date.now() - 3 * 86_400_000).toISOString().slice(0, 10);
  await page.locator('input[type=file]').setInputFiles({
    name: 'clicks.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(
      `click_id;time;campaign;site\nq7-Aa1;${day} 09:10;BE · Stargazing · Moorhen Push;site-3\nq7-Aa2;${day} 09:12;Boats;site-3\n`,
    ),
  });
  await page.getByRole('button', { name: 'Preview' }).click();
  await expect(page.getByText('The first 2 rows: 1 can be carried over, 1 can’t.')).toBeVisible();
  await expect(page.getByRole('cell', { name: 'No campaign has the name “Boats”.' })).toBeVisible();
  await expectAccessible(page, 'carry over');
  await page.getByRole('button', { name: 'Carry over 2 click IDs' }).click();
  const runs = page.getByRole('region', { name: 'Latest files of click IDs' });
  await expect(runs.getByText('1 carried over')).toBeVisible();
  await expect(runs.getByRole('button', { name: 'Download failed rows' })).toBeVisible();
  await goTo(page, system, '/parts/network');
  const url = await larkspurUrl(page);
  const answer = await fetch(`${url}?click_id=q7-Aa1&payout=18&transaction=LATE-1&status=ok&event=order`);
  expect(await answer.json()).toMatchObject({ outcome: 'accepted' });
  await goTo(page, system, '/conversions/all?search=LATE-1');
  const row = page.getByRole('row').filter({ hasText: 'LATE-1' });
  await expect(row).toContainText('BE · Stargazing · Moorhen Push');
  await expect(row).toContainText('the click ID was carried over from an earlier tracker');
  expect(errors).toEqual([]);
});

/** The sheet of the demo's network is opened, and a test postback is sent from it on the way. */
async function larkspurUrl(page: Page): Promise<string> {
  await page
    .getByRole('region', { name: /scrolls/ })
    .getByRole('button', { name: 'Larkspur CPA', exact: true })
    .click();
  const url = await copiedBy(page, () => page.getByRole('button', { name: 'Copy postback URL' }).click());
  await page.getByRole('button', { name: 'Send test postback' }).click();
  const test = page.getByRole('dialog', { name: 'Send test postback' });
  await test.getByLabel('Payout').fill('12.50');
  await test.getByRole('button', { name: 'Send test postback' }).click();
  await expect(test.getByText('Tracheon answered 200.')).toBeVisible();
  await expect(test.getByText(/"outcome":"accepted"/)).toBeVisible();
  await test.getByRole('button', { name: 'Open postback' }).click();
  await expect(page.getByRole('dialog').getByText('12.50', { exact: false }).first()).toBeVisible();
  return url.split('?')[0]!;
}

test('numbers by site, country and weekday: levels open below their row, sorted and searched, the total of all rows', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/numbers?by=sub_site');
  const table = page.getByRole('table', { name: 'Numbers' });
  const total = table.getByRole('row', { name: /^Total/ });
  // The index may still be built: the page says how far it is, and goes on by itself.
  await expect(total).toBeVisible({ timeout: 60_000 });
  await choose(page.getByRole('combobox', { name: 'Add a level' }), 'Country');
  await choose(page.getByRole('combobox', { name: 'Add a level' }), 'Weekday');
  await expect(page).toHaveURL(/by=sub_site,country,weekday|by=sub_site%2Ccountry%2Cweekday/);
  const visitsOf = async (row: Locator): Promise<number> => {
    const heads = await table.getByRole('columnheader').allInnerTexts();
    const cells = await row.getByRole('cell').allInnerTexts();
    return Number(cells[heads.findIndex((h) => h.trim() === 'Visits')]!.replaceAll(/\D/g, ''));
  };
  const sorted = page.waitForResponse(/reports\/numbers$/);
  await table.getByRole('columnheader', { name: 'Visits' }).click();
  await sorted;
  const label = (await table
    .getByRole('button', { name: /: Country$/ })
    .first()
    .getAttribute('aria-label'))!;
  const site = label.replace(/: Country$/, '');
  const opener = page.getByRole('button', { name: label, exact: true });
  const first = table.getByRole('row').filter({ has: opener });
  const all = await visitsOf(first);
  await opener.click();
  await expect(opener).toHaveAttribute('aria-expanded', 'true');
  const countries = table.getByRole('row').filter({ has: page.getByRole('button', { name: /: Weekday$/ }) });
  await expect(countries.first()).toBeVisible();
  let sum = 0;
  for (const row of await countries.all()) sum += await visitsOf(row);
  expect(sum).toBe(all);
  await countries.first().getByRole('button').first().click();
  await expect(table.getByText(/^(Mon|Tues|Wednes|Thurs|Fri|Satur|Sun)day$/).first()).toBeVisible();
  await expectAccessible(page, 'numbers');
  await opener.click();
  await expect(countries).toHaveCount(0);
  const before = await visitsOf(total);
  await page.getByRole('searchbox', { name: 'Search Sub-ID site' }).fill(site);
  await expect(page.getByText('1 row found')).toBeVisible();
  expect(await visitsOf(total)).toBe(before);
  await page.getByRole('searchbox', { name: 'Search Sub-ID site' }).fill('no such site');
  await expect(page.getByText('No Sub-ID site matches')).toBeVisible();
  await page.getByRole('searchbox', { name: 'Search Sub-ID site' }).fill('');

  // The file has a row for each combination of all levels, with every figure.
  await page.getByRole('button', { name: 'Export', exact: true }).click();
  const saving = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Export rows' }).click();
  const file = (await readFile(await (await saving).path(), 'utf8')).split('\r\n');
  expect(file[0]).toMatch(/^Sub-ID site,Country,Weekday,"Profit, EUR",ROI/);
  expect(file.length).toBeGreaterThan(8);
  expect(file[1]).toMatch(/^[^,]*,[^,]*,[A-Z][a-z]+day,-?\d+\.\d\d/);
  for (const [format, begins] of [
    ['XLSX', 'PK'],
    ['Parquet', 'PAR1'],
  ] as const) {
    await page.getByRole('button', { name: format, exact: true }).click();
    const other = page.waitForEvent('download');
    await page.getByRole('button', { name: 'Export rows' }).click();
    const begun = (await readFile(await (await other).path())).subarray(0, begins.length);
    expect(begun.toString('latin1')).toBe(begins);
  }
  await page.keyboard.press('Escape');

  // A filter on a figure stands in the link; what it leaves out is the rest, and the total stays.
  await page.getByRole('button', { name: 'Add filter' }).click();
  const adding = page.getByRole('dialog', { name: 'Add filter' });
  await choose(adding.getByRole('combobox', { name: 'Figure or value' }), 'Visits');
  await adding.getByRole('spinbutton', { name: 'Number' }).pressSequentially(String(all - 1));
  await adding.getByRole('button', { name: 'Add filter' }).click();
  await expect(page).toHaveURL(/having=visits(>|%3E)/);
  await expect(table.getByRole('row', { name: /^Rest, left out/ })).toBeVisible();
  expect(await visitsOf(total)).toBe(before);
  // What is shown is kept under a name, and opened again from elsewhere.
  await page.getByRole('button', { name: 'Views' }).click();
  await page.getByRole('textbox', { name: 'Name of the view' }).fill('Busy sites');
  await page.getByRole('button', { name: 'Save view' }).click();
  await expect(page.getByRole('button', { name: 'Delete view Busy sites' })).toBeVisible();
  await page.goto(`${system.desk}/numbers`);
  await expect(total).toBeVisible();
  await page.getByRole('button', { name: 'Views' }).click();
  await page.getByRole('button', { name: 'Busy sites', exact: true }).click();
  await expect(page.getByRole('button', { name: /^Remove filter: Visits >/ })).toBeVisible();
  await expect(first).toBeVisible();
  await first.getByRole('button', { name: /Show why/ }).click();
  await expect(page.getByRole('dialog', { name: `Verdict on ${site}` })).toContainText('Chance of profit');
  expect(errors).toEqual([]);
});

test('a chart of some rows, a figure of one’s own, and conversions by their own day', async ({ page }) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/numbers?by=source_id');
  const table = page.getByRole('table', { name: 'Numbers' });
  await expect(table.getByRole('row', { name: /^Total/ })).toBeVisible({ timeout: 60_000 });
  await page.keyboard.press('g');
  const chart = page.getByRole('region', { name: 'Chart' });
  await expect(
    chart.getByRole('img', { name: /^Profit over time\. .*Moorhen Push: Profit from/ }),
  ).toBeVisible();
  await chart.getByText('Hours of the week').click();
  await expect(chart.getByRole('img', { name: 'Profit by weekday and hour' })).toBeVisible();
  await expectAccessible(page, 'numbers with a chart');
  await page.reload();
  await expect(chart).toBeVisible();
  await page.getByRole('button', { name: 'Hide chart' }).click();
  await expect(chart).toHaveCount(0);

  await page.getByRole('button', { name: 'Own figures' }).click();
  const sheet = page.getByRole('dialog', { name: 'Own figures' });
  await sheet.getByLabel('Name', { exact: true }).fill('Bot share');
  await sheet.getByLabel('Formula', { exact: true }).fill('bots / visit');
  await expect(sheet.getByText('Did you mean visits?')).toBeVisible();
  await sheet.getByLabel('Formula', { exact: true }).fill('bots / (visits + bots)');
  await expect(sheet.getByText('The result is a ratio.')).toBeVisible();
  await choose(sheet.getByRole('combobox', { name: 'Show it as' }), 'percent');
  await sheet.getByRole('button', { name: 'Add figure' }).click();
  await expect(sheet.getByRole('row').filter({ hasText: 'Bot share' })).toBeVisible();
  await expectAccessible(page, 'own figures');
  await page.keyboard.press('Escape');
  await expect(table.getByRole('columnheader', { name: 'Bot share' })).toBeVisible();
  const sorted = page.waitForResponse(/reports\/numbers$/);
  await table.getByRole('columnheader', { name: 'Bot share' }).click();
  expect((await sorted).request().postDataJSON().sort).toMatch(/^own_/);

  const asked = page.waitForRequest(
    (r) =>
      /reports\/numbers$/.test(r.url()) &&
      r.postDataJSON().dayOf === 'conversion' &&
      r.postDataJSON().verdicts,
  );
  await choose(page.getByRole('combobox', { name: 'Day of conversions' }), 'by conversion day');
  await asked;
  await page.getByRole('button', { name: 'Own figures' }).click();
  await sheet.getByRole('button', { name: 'Delete Bot share' }).click();
  await page.getByRole('button', { name: 'Delete figure' }).click();
  await expect(sheet.getByRole('row').filter({ hasText: 'Bot share' })).toHaveCount(0);
  expect(errors).toEqual([]);
});

test('a campaign says what to do: its verdict, its sites, and which pairing of its split is best', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/campaigns');
  const row = page.getByRole('row').filter({ hasText: 'CA · Sourdough · Tidepool' });
  await expect(row.getByRole('button', { name: /Show why: CA · Sourdough/ })).toBeVisible({
    timeout: 60_000,
  });
  await row.getByRole('link', { name: 'CA · Sourdough · Tidepool' }).click();
  await expect(page.getByRole('button', { name: /Show why: CA · Sourdough/ })).toBeVisible();
  const pairings = page.getByRole('region', { name: 'Pairings compared' });
  await expect(pairings.getByRole('row').filter({ hasText: 'rye bread' })).toBeVisible();
  await expect(pairings.getByRole('status')).toContainText(/(sourdough|rye bread) set (earns most|leads)/);
  const sites = page.getByRole('table', { name: 'By sub-ID' });
  await expect(sites.getByRole('row').filter({ hasText: 'kiosk-nord.example' })).toContainText('%');
  await expectAccessible(page, 'a campaign with its sites and pairings');
  await page.getByRole('link', { name: 'All in Numbers' }).click();
  await expect(page.getByText('Campaign is CA · Sourdough · Tidepool')).toBeVisible();
  expect(errors).toEqual([]);
});

test('a cut list: what loses goes to the block list with its reason, is kept away by routing, and comes back', async ({
  page,
}) => {
  const errors = watchConsole(page);
  await openScreen(page, system, '/numbers?by=sub_site');
  await expect(page.getByRole('button', { name: 'Columns of Numbers' })).toBeVisible({ timeout: 60_000 });
  await page.keyboard.press('x');
  await expect(page.getByRole('heading', { name: 'Cut list', level: 1 })).toBeVisible();
  await choose(page.getByRole('combobox', { name: 'Source' }), 'Moorhen Push');
  const table = page.getByRole('table', { name: 'Cut list' });
  const row = table.getByRole('row').filter({ hasText: 'meteo-klein.example' });
  await expect(row).toContainText('no conversion');
  await expectAccessible(page, 'a cut list');
  // Whatever its verdict is today, one value is chosen.
  await table.getByRole('checkbox', { name: 'Choose all rows shown' }).check();
  await table.getByRole('checkbox', { name: 'Choose all rows shown' }).uncheck();
  await row.getByRole('checkbox').check();
  await page.getByRole('button', { name: 'Add 1 to block list' }).click();
  await expect(row).toContainText('block list');

  await row.getByRole('checkbox').check();
  await page.getByRole('button', { name: 'Keep away' }).click();
  const sheet = page.getByRole('dialog', { name: 'Keep away' });
  await sheet.getByRole('button', { name: 'Keep this value away' }).click();
  await expect(sheet.getByRole('status')).toContainText('changed');
  await sheet.getByRole('button', { name: 'Undo' }).click();
  await expect(sheet.getByRole('status')).toContainText('restored');
  await page.keyboard.press('Escape');

  await page.getByRole('button', { name: 'Lists (1)' }).click();
  const listed = page.getByRole('table', { name: 'Block and allow lists' });
  await expect(listed.getByRole('row').filter({ hasText: 'meteo-klein.example' })).toContainText('Mira');
  expect(await copiedBy(page, () => page.getByRole('button', { name: 'Copy block list' }).click())).toBe(
    'meteo-klein.example',
  );
  await listed.getByRole('checkbox', { name: /^Choose meteo-klein/ }).check();
  await page.getByRole('button', { name: 'Take 1 off the list' }).click();
  await expect(page.getByRole('button', { name: 'Copy block list' })).toBeDisabled();
  expect(errors).toEqual([]);
});
