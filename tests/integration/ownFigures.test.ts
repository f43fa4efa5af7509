/** Figures by formulas and figures of event types: checked, kept for the desk, and sorted by, also where they are empty. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import {
  MAX_OWN_FIGURES,
  numbersAsked,
  type NumbersAnswer,
  type OwnFigure,
  type PartRecord,
  type Problem,
} from '@tracheon/core/contract';
import { eventFigure, eventFigureKinds, eventFigureName, ownFigureName } from '@tracheon/core/metrics';
import type { KeptIndex } from '../../server/numbers/keptIndex.ts';
import { furtherDesk, openOwnServer, type OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';
import { openIndex } from './testIndex.ts';

const folder = mkdtempSync(join(tmpdir(), 'tracheon-own-'));
let desk: OwnDesk;
let chain: Chain;
let kept: KeptIndex;
let lead: PartRecord;
beforeAll(async () => {
  desk = await openOwnServer();
  chain = await desk.chain();
  lead = await desk.make('event-type', { name: 'Lead', word: 'lead' });
  for (const [site, visits, leads] of [
    ['moss', 4, 1],
    ['fern', 3, 2],
    ['reed', 2, 0],
    ['iris', 1, 0],
  ] as const)
    for (let i = 0; i < visits; i++) {
      const click = await chain.send(`clk=${site}${i}&site=${site}&bid=0.1${i}`);
      if (i < leads)
        await desk.say(
          chain.network.key,
          `click_id=${click}&payout=${i + 2}&event=lead&transaction=${site}${i}&status=${i === 1 ? 'pending' : 'ok'}&x_brand=${i === 1 ? 'kites' : 'Kitewright'}`,
        );
    }
  kept = openIndex(desk.pool, join(folder, 'numbers.duckdb'));
});
afterAll(async () => {
  await kept.close();
  await desk.close();
  rmSync(folder, { recursive: true, force: true });
});

const today = (): string => new Date().toLocaleDateString('en-CA', { timeZone: 'Europe/Brussels' });
const ask = (asked: object): Promise<NumbersAnswer> =>
  kept
    .ask(
      desk.deskId,
      numbersAsked.parse({ from: today(), to: today(), by: ['sub_site'], ...asked }),
      new AbortController().signal,
    )
    .then((a) => a!);
const save = (name: string, formula: string) =>
  desk.owner.post<OwnFigure & Problem>('/own-figures', { name, formula });

it('rows sort by each figure of an event type as their answers have it', async () => {
  await until(async () => {
    if (kept.state.state !== 'ready') return false;
    const { total, totalEvents } = await ask({});
    return total.visits === 10 && totalEvents[0]?.count === 3;
  }, 'the index');
  for (const kind of eventFigureKinds) {
    const figure = { eventTypeId: lead.id, kind };
    for (const isDescending of [true, false]) {
      const { rows } = await ask({ sort: eventFigureName(figure), isDescending });
      const values = rows.map((r) => eventFigure(figure, r));
      expect(values).toHaveLength(4);
      const known = values.filter((v) => v !== null);
      expect(known).toEqual([...known].sort((a, b) => (isDescending ? b - a : a - b)));
      // What is empty comes last, whatever the direction.
      expect(values.slice(known.length).every((v) => v === null)).toBe(true);
    }
  }
});

it('rows sort by a formula; one that is deleted meanwhile sorts nothing and fails nothing', async () => {
  const { body } = await save('Per lead', '(earned - spent) / (conversions - 1)');
  const { rows } = await ask({ sort: ownFigureName(body.id) });
  const values = rows.map(({ figures: f }) =>
    f.conversions === 1 ? null : (Number(f.earnedMicros) - Number(f.spentMicros)) / 1e6 / (f.conversions - 1),
  );
  const known = values.filter((v) => v !== null);
  expect(known).toEqual([...known].sort((a, b) => b - a));
  expect([known.length, values.at(-1)]).toEqual([3, null]);
  expect((await desk.owner.remove(`/own-figures/${body.id}`)).status).toBe(200);
  expect((await ask({ sort: ownFigureName(body.id) })).rows).toHaveLength(4);
  expect((await desk.owner.remove(`/own-figures/${body.id}`)).status).toBe(404);
});

it('rows are kept by figures of event types and by formulas', async () => {
  const sites = async (...having: object[]): Promise<string[]> =>
    (await ask({ having, sort: '', isDescending: false })).rows.map((r) => r.values[0]!);
  const leads = (kind: 'count' | 'revenue' | 'rate' | 'cost') =>
    eventFigureName({ eventTypeId: lead.id, kind });
  expect(await sites({ figure: leads('count'), is: '>=', than: 1 })).toEqual(['fern', 'moss']);
  expect(await sites({ figure: leads('rate'), is: '<', than: 0.5 })).toEqual(['iris', 'moss', 'reed']);
  expect(await sites({ figure: leads('revenue'), is: '>', than: 2.5 })).toEqual(['fern']);
  // fern spent 0.33 for two, moss 0.46 for one.
  expect(await sites({ figure: leads('cost'), is: '>', than: 0.2 })).toEqual(['moss']);
  const { body } = await save('Visits twice', 'visits * 2');
  expect(await sites({ figure: ownFigureName(body.id), is: '>', than: 3 })).toEqual(['fern', 'moss', 'reed']);
  expect(
    await sites(
      { figure: ownFigureName(body.id), is: '>', than: 3 },
      { figure: leads('count'), is: '=', than: 0 },
    ),
  ).toEqual(['reed']);
  await desk.owner.remove(`/own-figures/${body.id}`);
  // What is gone is met by nothing.
  expect(await sites({ figure: ownFigureName(body.id), is: '>', than: 3 })).toEqual([]);
});

it('revenue counts as it is asked for: expected, earned, or with all that is on hold', async () => {
  const spent = 1_100_000n;
  for (const [basis, revenue] of [
    ['expected', 7_000_000n],
    ['earned', 4_000_000n],
    ['all', 7_000_000n],
  ] as const) {
    const { total, rows } = await ask({ basis, sort: 'profitMicros' });
    expect([basis, total.profitMicros, total.spentMicros]).toEqual([
      basis,
      String(revenue - spent),
      String(spent),
    ]);
    expect(total.roas).toBeCloseTo(Number(revenue) / Number(spent), 9);
    expect(total.earnedPerThousandMicros).toBe(String(revenue * 100n));
    const profits = rows.map((r) => Number(r.figures.profitMicros));
    expect(profits).toEqual([...profits].sort((a, b) => b - a));
    expect(profits.reduce((a, b) => a + b, 0)).toBe(Number(revenue - spent));
  }
});

it('amounts are in any currency that has rates, and say what could not be converted', async () => {
  // 1 USD is 0.80 EUR, and from today on 0.50 EUR.
  await desk.owner.put('/rates', { base: 'USD', day: '2026-01-01', rate: '0.8' });
  const dollars = await ask({ currency: 'USD', sort: 'profitMicros' });
  expect([dollars.currency, dollars.currencies]).toEqual(['USD', ['EUR', 'USD']]);
  expect(dollars.total).toMatchObject({
    spentMicros: '1375000',
    earnedMicros: '5000000',
    onHoldMicros: '3750000',
    unconverted: [],
  });
  const profits = dollars.rows.map((r) => Number(r.figures.profitMicros));
  expect(profits).toEqual([...profits].sort((a, b) => b - a));
  await desk.owner.put('/rates', { base: 'USD', day: today(), rate: '0.5' });
  expect((await ask({ currency: 'USD' })).total).toMatchObject({
    spentMicros: '2200000',
    earnedMicros: '8000000',
  });
  expect((await ask({})).total).toMatchObject({ spentMicros: '1100000', earnedMicros: '4000000' });
  expect((await ask({ currency: 'JPY' })).total).toMatchObject({
    spentMicros: '0',
    expectedMicros: '0',
    conversions: 3,
    unconverted: expect.arrayContaining([
      { currency: 'EUR', spentMicros: '1100000', earnedMicros: '0', onHoldMicros: '0' },
    ]),
  });
});

it('extras of conversions are values like any other; visits have none of them', async () => {
  const { rows, total, extras } = await ask({ by: ['extra_brand'], sort: '', isDescending: false });
  expect(extras).toEqual(['brand']);
  expect(rows.map((r) => [r.values[0], r.figures.conversions, r.figures.visits])).toEqual([
    ['', 0, 10],
    ['kites', 1, 0],
    ['Kitewright', 2, 0],
  ]);
  expect(total).toMatchObject({ conversions: 3, visits: 10 });
  const kites = await ask({ by: ['sub_site'], only: [{ by: 'extra_brand', is: 'is', values: ['kites'] }] });
  expect(kites.rows.map((r) => [r.values[0], r.figures.onHoldMicros])).toEqual([['fern', '3000000']]);
  // The conversions behind it; no visit is behind it.
  const where = encodeURIComponent(JSON.stringify([{ by: 'extra_brand', is: 'is', values: ['kites'] }]));
  const behind = async (list: string) =>
    (await desk.owner.get<{ rows: unknown[] }>(`/${list}?where=${where}`)).body.rows.length;
  expect([await behind('conversions'), await behind('visits')]).toEqual([1, 0]);
});

it('are replaced by name in any case, and refused with the reason', async () => {
  const first = (await save('Share', 'bots / visits')).body;
  const second = (await save('SHARE', 'repeats / visits')).body;
  expect([second.id, second.formula]).toEqual([first.id, 'repeats / visits']);
  const why = async (formula: string) => (await save('Wrong', formula)).body.fields?.[0]?.message;
  expect(await why('spent + visits')).toContain('gives nothing that can be named');
  expect(await why('spend / visits')).toContain('Did you mean spent?');
  expect(await why('x'.repeat(10_240))).toContain('longer than 500');
  for (const sort of ['own_1', 'event_x_count', 'spent; DROP TABLE meta', `own_${'0'.repeat(26)}'`])
    expect(numbersAsked.safeParse({ from: today(), to: today(), by: ['sub_site'], sort }).success).toBe(
      false,
    );
  const other = await furtherDesk(desk);
  expect((await other.owner.get<OwnFigure[]>('/own-figures')).body).toEqual([]);
  expect((await other.owner.remove(`/own-figures/${first.id}`)).status).toBe(404);
  for (let i = 1; i < MAX_OWN_FIGURES; i++) await save(`Figure ${i}`, 'visits');
  expect((await save('One more', 'visits')).status).toBe(422);
});
