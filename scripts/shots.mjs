/**
 * Pictures of the main views, from the demo desk that is running: npm run shots [-- view …]
 *   --to=FOLDER   default docs/screenshots
 *   --dark  --narrow   dark theme; 390 wide
 */
import { existsSync, mkdirSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { chromium } from '@playwright/test';
import { chromiumArguments, chromiumPath } from './chromium.mjs';
import { ensureChromium, root } from './install.mjs';

const options = process.argv.slice(2);
const flag = (name) => options.includes(`--${name}`);
const wanted = options.filter((o) => !o.startsWith('--'));
const folder = resolve(root, options.find((o) => o.startsWith('--to='))?.slice(5) ?? 'docs/screenshots');
const desk = process.env.TRACHEON_DESK_ORIGIN ?? 'http://127.0.0.1:7400';
const signIn = join(root, process.env.TRACHEON_DATA ?? 'data', 'first-sign-in.txt');
const partners = process.env.TRACHEON_PARTNERS_ORIGIN ?? 'http://127.0.0.9:7409';
const affiliate = 'http://127.0.0.4:7403';
const adNetwork = 'http://127.0.0.3:7402';

const openPart = async (page) => {
  await page.locator('tbody button').first().click();
  await page.getByRole('dialog').waitFor();
};
/** Name, address, and what is done before the picture is taken. */
const views = {
  'sign-in': { path: '/sign-in', signedOut: true },
  today: { path: '/today' },
  campaigns: { path: '/campaigns' },
  campaign: {
    path: '/campaigns',
    act: async (page) => {
      await page.locator('tbody a').first().click();
      await page.getByLabel('Figures').waitFor();
    },
  },
  routing: {
    path: '/campaigns',
    act: async (page) => {
      await page.getByRole('link', { name: 'NL · Terrarium · Tidepool' }).click();
      await page.getByRole('link', { name: 'Routing' }).click();
      await page.getByRole('button', { name: /Add branch/ }).click();
      await page.getByRole('button', { name: /^kiosk-nord/ }).click();
      await page.getByRole('button', { name: /^tuinpraat/ }).click();
      await page.getByRole('button', { name: 'Add pairing to branch 1' }).click();
      await page.getByRole('spinbutton', { name: 'Weight of A' }).fill('3');
      await page.keyboard.press('Tab');
    },
  },
  'set-up': {
    path: '/set-up',
    act: async (page) => {
      const link =
        'https://go.larkspur.example/nl/o/terrarium-box?pub=902&aff_ref=REPLACE_ME&site={sub_site}&cr=[zone]';
      await page.getByLabel('Paste the offer link').fill(link);
      await page.getByRole('button', { name: 'Show parameters' }).click();
      await page.waitForTimeout(900);
    },
  },
  'one-visit': {
    path: '/conversions/all',
    act: async (page) => {
      await page
        .getByRole('button', { name: /^Trail of/ })
        .nth(3)
        .click();
      await page.getByRole('dialog').waitFor();
    },
  },
  networks: { path: '/parts/network' },
  network: { path: '/parts/network', act: openPart },
  sources: { path: '/parts/source' },
  source: { path: '/parts/source', act: openPart },
  'landing-page': {
    path: '/parts/landing-page',
    act: async (page) => {
      await openPart(page);
      await page.getByRole('button', { name: 'Check page' }).click();
      await page.waitForTimeout(800);
    },
  },
  offers: { path: '/parts/offer' },
  offer: { path: '/parts/offer', act: openPart },
  events: { path: '/parts/event-type' },
  'postbacks-in': { path: '/conversions/postbacks-in' },
  'one-postback-in': { path: '/conversions/postbacks-in', act: openPart },
  'needs-repair': {
    path: '/conversions/needs-repair',
    act: async (page) => {
      await page.getByRole('combobox', { name: 'Meaning of review' }).click();
      await page.getByRole('option', { name: 'approved' }).click();
      await page.getByText('updates').waitFor();
    },
  },
  conversions: { path: '/conversions/all' },
  billing: { path: '/money/billing' },
  'partner-page': {
    path: `${partners}/sign-in`,
    act: async (page) => {
      // The person of the demo has the first password of the owner.
      const [, password] = readFileSync(signIn, 'utf8').split('\n');
      await page.getByLabel('E-mail address').fill('ines@avocet.example');
      await page.getByLabel('Password').fill(password);
      await page.getByRole('button', { name: 'Sign in' }).click();
      await page.getByRole('link', { name: 'Kitewright kite club' }).click();
      await page.getByLabel('site').fill('sterrenblog.example');
    },
  },
  money: { path: '/money/statements', act: compareStatement },
  numbers: {
    path: '/numbers?by=sub_site,country,day',
    act: async (page) => {
      const opener = page.getByRole('row').getByRole('button', { name: /: Country$/ });
      await opener.first().waitFor({ timeout: 60_000 });
      await opener.first().click();
      await page
        .getByRole('row')
        .getByRole('button', { name: /: Day$/ })
        .first()
        .waitFor();
    },
  },
  'cut-list': {
    path: '/numbers/cut',
    act: async (page) => {
      await page.evaluate(() => localStorage.setItem('tracheon.period', '30d'));
      await page.reload();
      await page.getByRole('combobox', { name: 'Source' }).click();
      await page.getByRole('option', { name: 'Lapwing Pops' }).click();
      await page.getByRole('table', { name: 'Cut list' }).waitFor({ timeout: 60_000 });
    },
  },
  watches: {
    path: '/watches',
    act: async (page) => {
      await page.getByRole('button', { name: 'Edit Pop sites without a sale' }).click();
      const found = page.getByRole('region', { name: 'What it finds now' });
      // Right after the start the index is still being built.
      for (let tries = 0; tries < 20 && !(await found.isVisible()); tries++) {
        await page.getByRole('button', { name: 'Show what it finds now' }).click();
        await page.waitForTimeout(3000);
      }
      await page.getByRole('combobox', { name: 'Days to try it on' }).click();
      await page.getByRole('option', { name: '28 days' }).click();
      await page.getByRole('button', { name: 'Start dry run' }).click();
      const past = page.getByRole('table', { name: 'Found in the past' });
      await past.waitFor({ timeout: 60_000 });
      await page
        .getByRole('button', { name: 'Stop', exact: true })
        .waitFor({ state: 'detached', timeout: 120_000 });
      await past.scrollIntoViewIfNeeded();
    },
  },
  settings: { path: '/settings' },
  palette: { path: '/today', act: (page) => page.keyboard.press('Control+k') },
  'practice-ad-network': { path: `${adNetwork}/` },
  'practice-affiliate': { path: `${affiliate}/` },
};

async function main() {
  ensureChromium();
  if (!existsSync(signIn)) throw new Error('Start the demo desk first: npm start.');
  mkdirSync(folder, { recursive: true });
  const browser = await chromium.launch({ executablePath: chromiumPath(), args: chromiumArguments });
  const context = await browser.newContext({
    viewport: flag('narrow') ? { width: 390, height: 844 } : { width: 1280, height: 800 },
    colorScheme: flag('dark') ? 'dark' : 'light',
    reducedMotion: 'reduce',
  });
  const page = await context.newPage();
  page.on(
    'console',
    (m) => m.type() === 'error' && console.error(`console: ${m.text()} (${m.location().url})`),
  );
  page.on('pageerror', (e) => console.error(`page error: ${e.message}`));
  const names = wanted.length > 0 ? wanted : Object.keys(views);
  let signedIn = false;
  for (const name of names) {
    const view = views[name];
    if (!view) throw new Error(`There is no view ${name}. Views: ${Object.keys(views).join(', ')}`);
    if (!view.signedOut && !signedIn) {
      await enter(page);
      signedIn = true;
    }
    await page.goto(view.path.startsWith('/') ? desk + view.path : view.path);
    await page.waitForTimeout(700);
    await view.act?.(page);
    await page.waitForTimeout(900);
    const file = join(folder, `${name}${flag('dark') ? '-dark' : ''}${flag('narrow') ? '-narrow' : ''}.png`);
    await page.screenshot({ path: file });
    console.log(file);
  }
  await browser.close();
}

async function enter(page) {
  const [email, password] = readFileSync(signIn, 'utf8').split('\n');
  await page.goto(`${desk}/sign-in`);
  await page.getByLabel('E-mail address').fill(email);
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL('**/today');
}

main().catch((error) => {
  console.error(error.message);
  process.exit(1);
});

/** A statement that agrees with most of what the desk has booked. */
async function compareStatement(page) {
  const network = 'Larkspur CPA';
  const { rows } = await page.evaluate(async (name) => {
    const networks = await (await fetch('/api/parts/network')).json();
    const { id } = networks.find((r) => r.body.name === name);
    return (await fetch(`/api/conversions?limit=200&kind=approved&network=${id}`)).json();
  }, network);
  const booked = rows.filter((r) => r.transaction);
  const lines = booked
    .filter((_, i) => i % 9 !== 4)
    .map((r, i) => {
      const amount = Number(r.payoutMicros) / 1e6 - (i % 7 === 3 ? 2 : 0);
      return [
        r.transaction,
        amount.toFixed(2),
        i % 11 === 5 ? 'rejected' : 'approved',
        r.at.slice(0, 10),
      ].join(',');
    });
  const unknown = `LK-90001,18.00,approved,${booked[0].at.slice(0, 10)}`;
  await page.getByRole('combobox', { name: 'Network' }).click();
  await page.getByRole('option', { name: network }).click();
  await page.locator('input[type=file]').setInputFiles({
    name: 'november-statement.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(['transaction,amount,status,date', ...lines, unknown].join('\n')),
  });
  await page.getByRole('button', { name: /^Compare/ }).click();
  await page.getByRole('button', { name: 'Show Other amount' }).click();
  await page
    .getByRole('button', { name: /^Book row/ })
    .first()
    .waitFor();
}
