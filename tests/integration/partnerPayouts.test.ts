/** What partners are paid: from the offer's terms to the ledger and Numbers, with decisions, days, and partners known later. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import type pg from 'pg';
import {
  numbersAsked,
  type ConversionRow,
  type ManyAnswer,
  type Page,
  type PartRecord,
  type Payable,
  type PayoutDecision,
  type Problem,
  type WholeConversion,
} from '@tracheon/core/contract';
import { openPipelinedPool } from '../../server/db/pools.ts';
import { judge } from '../../server/intake/judge.ts';
import type { KeptIndex } from '../../server/numbers/keptIndex.ts';
import { verify } from '../../server/numbers/verify.ts';
import { approveDuePayouts } from '../../server/repairs/payoutReviews.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { caughtUp, openIndex } from './testIndex.ts';
import { until, type Chain } from './testDesk.ts';

const DAY_MS = 86_400_000;
const folder = mkdtempSync(join(tmpdir(), 'tracheon-payouts-'));
let desk: OwnDesk;
let kept: KeptIndex;
let judging: pg.Pool;
let eventTypeId: string;
let bittern: PartRecord<'partner'>;
const errors: string[] = [];
const today = new Date().toLocaleDateString('en-CA', { timeZone: 'Europe/Brussels' });
beforeAll(async () => {
  desk = await openOwnServer();
  judging = openPipelinedPool(desk.pool.options.connectionString!, 'payouts', 2);
  kept = openIndex(desk.pool, join(folder, 'numbers.duckdb'), errors);
  bittern = await desk.make('partner', { name: 'Bittern Media', knownAs: ['p77'] });
  const { rows } = await desk.pool.query<{ id: string }>(
    `SELECT id FROM parts WHERE desk_id = $1 AND kind = 'event-type'`,
    [desk.deskId],
  );
  eventTypeId = rows[0]!.id;
});
afterAll(async () => {
  await kept.close();
  await judging.end();
  await desk.close();
  rmSync(folder, { recursive: true, force: true });
  expect(errors).toEqual([]);
});

const pays = (more: Partial<Payable> = {}) => ({
  partnerPayouts: [{ eventTypeId, pays: 'fixed', amountMicros: '6000000', ...more }],
});
/** What stands in the ledger of the desk, by kind and currency; nothing of what comes to nothing. */
async function ledger(): Promise<Record<string, string>> {
  const { rows } = await desk.pool.query<{ place: string; sum: string }>(
    `SELECT kind || ' ' || currency AS place, sum(delta_micros) / 1000000.0 AS sum FROM ledger WHERE desk_id = $1
       AND conversion_id IN (SELECT id FROM conversions WHERE desk_id = $1 AND transaction LIKE $2)
     GROUP BY 1 HAVING sum(delta_micros) <> 0 ORDER BY 1`,
    [desk.deskId, `${prefix}%`],
  );
  return Object.fromEntries(rows.map((r) => [r.place, String(Number(r.sum))]));
}
let prefix = '';
beforeEach(() => {
  prefix = `T${Math.random().toString(36).slice(2, 8)}-`;
});
const all = async (query = ''): Promise<ConversionRow[]> =>
  (await desk.owner.get<Page<ConversionRow>>(`/conversions?search=${prefix}&limit=200${query}`)).body.rows;
const review = (ids: string[], decision: PayoutDecision, reason = 'Looked at.') =>
  desk.owner.post<ManyAnswer & { batchId: string } & Problem>('/conversions/review-payouts', {
    ids,
    decision,
    reason,
  });
const approveDue = () =>
  approveDuePayouts({
    pool: desk.pool,
    judge: (receipt) => judge(judging, receipt),
    now: () => Date.now(),
    onTrouble: (_, error) => void errors.push(String(error)),
  });
async function convert(chain: Chain, query: string, partner = bittern.id): Promise<void> {
  const id = await chain.send(`clk=${Math.random()}&bid=0.1&partner=${partner}`);
  await desk.say(chain.network.key, `click_id=${id}&transaction=${prefix}1&${query}`);
}

describe('a partner’s payout', () => {
  it('stands beside the revenue in the ledger, and follows it', async () => {
    const chain = await desk.chain({ offer: { currency: 'EUR', ...pays() } });
    await convert(chain, 'payout=10&status=wait');
    expect(await ledger()).toEqual({ 'hold EUR': '10', 'partner_hold EUR': '6' });
    const [row] = await all();
    expect(row).toMatchObject({
      partnerName: 'Bittern Media',
      partnerStatus: 'pending',
      partnerMicros: '6000000',
      partnerCurrency: 'EUR',
    });
    await desk.say(chain.network.key, `click_id=${row!.clickId}&transaction=${prefix}1&status=ok`);
    expect(await ledger()).toEqual({ 'earn EUR': '10', 'partner EUR': '6' });
    await desk.say(chain.network.key, `click_id=${row!.clickId}&transaction=${prefix}1&status=back`);
    expect(await ledger()).toEqual({});
    expect((await all())[0]).toMatchObject({ status: 'reversed', partnerStatus: 'reversed' });
  });

  it('is nobody’s for a visit without a partner', async () => {
    const chain = await desk.chain({ offer: { currency: 'EUR', ...pays() } });
    await convert(chain, 'payout=10&status=ok', '');
    expect(await ledger()).toEqual({ 'earn EUR': '10' });
    const [row] = await all();
    expect(row!.partnerStatus).toBeNull();
    const { body } = await review([row!.id], 'rejected');
    expect(body).toMatchObject({
      changed: 0,
      unchanged: [{ id: row!.id, why: 'No partner is paid for this conversion.' }],
    });
  });

  it('is decided by hand, with a reason, and undone; the revenue stays', async () => {
    const chain = await desk.chain({ offer: { currency: 'EUR', ...pays() } });
    await convert(chain, 'payout=10&status=ok&x_brand=Kestrel');
    const [row] = await all();
    const { body } = await review([row!.id], 'rejected', 'Same address as three others.');
    expect(body).toMatchObject({ changed: 1, unchanged: [] });
    expect(await ledger()).toEqual({ 'earn EUR': '10' });
    const { body: whole } = await desk.owner.get<WholeConversion>(`/conversions/${row!.id}`);
    expect(whole.conversion).toMatchObject({
      status: 'approved',
      partnerStatus: 'rejected',
      extras: { brand: 'Kestrel' },
    });
    expect(whole.receipts.at(-1)).toMatchObject({
      channel: 'hand',
      sentence: 'Partner payout rejected.',
      reason: 'Same address as three others.',
    });
    expect((await all('&payout=rejected')).map((c) => c.id)).toEqual([row!.id]);
    expect(await all('&payout=approved')).toEqual([]);
    expect((await desk.owner.post(`/receipt-batches/${body.batchId}/undo`, {})).status).toBeLessThan(300);
    await until(async () => (await all())[0]!.partnerStatus === 'approved', 'the payout as it was');
    expect(await ledger()).toEqual({ 'earn EUR': '10', 'partner EUR': '6' });
    await review([row!.id], 'pending');
    expect((await review([row!.id], 'pending')).body.unchanged[0]!.why).toContain('Duplicate');
  });

  it('is approved after the days, once, unless somebody holds it', async () => {
    const chain = await desk.chain({
      offer: { currency: 'EUR', ...pays({ approval: 'days', afterDays: 14 }) },
    });
    const ago = (days: number): string =>
      `conversion_time=${Math.floor((Date.now() - days * DAY_MS) / 1000)}`;
    await convert(chain, `payout=10&status=ok&${ago(13)}`);
    expect(await ledger()).toEqual({ 'earn EUR': '10', 'partner_hold EUR': '6' });
    const [young] = await all();
    expect(Math.round((Date.parse(young!.partnerDueAt!) - Date.now()) / DAY_MS)).toBe(1);
    await approveDue();
    expect((await all())[0]!.partnerStatus).toBe('pending');

    prefix += 'old';
    await convert(chain, `payout=10&status=ok&${ago(15)}`);
    expect((await all())[0]!.partnerStatus).toBe('pending');
    await Promise.all([approveDue(), approveDue()]);
    expect(await ledger()).toEqual({ 'earn EUR': '10', 'partner EUR': '6' });
    expect((await all())[0]).toMatchObject({ partnerStatus: 'approved', partnerDueAt: null });

    prefix += 'held';
    await convert(chain, `payout=10&status=ok&${ago(15)}`);
    const [held] = await all();
    await review([held!.id], 'pending');
    expect((await all())[0]!.partnerDueAt).toBeNull();
    await approveDue();
    expect((await all())[0]!.partnerStatus).toBe('pending');
  });

  it('by a share follows the reported amount in its currency; by partner it differs', async () => {
    const crake = await desk.make('partner', { name: 'Crake Ads' });
    const exception = {
      partnerId: crake.id,
      country: '',
      pays: 'fixed',
      amountMicros: '1500000',
      percent: '0',
    };
    const chain = await desk.chain({
      offer: {
        currency: 'EUR',
        ...pays({
          pays: 'share',
          amountMicros: '',
          percent: '40000000',
          exceptions: [exception] as Payable['exceptions'],
        }),
      },
    });
    await convert(chain, 'payout=10&currency=USD&status=ok');
    expect(await ledger()).toEqual({ 'earn USD': '10', 'partner USD': '4' });
    prefix += 'crake';
    await convert(chain, 'payout=10&status=ok', crake.id);
    expect(await ledger()).toEqual({ 'earn EUR': '10', 'partner EUR': '1.5' });
  });

  it('by a share of the sale needs what the buyer paid, which may come with a later postback', async () => {
    const chain = await desk.chain({
      offer: { currency: 'EUR', ...pays({ pays: 'sale', amountMicros: '', percent: '10000000' }) },
    });
    await convert(chain, 'payout=10&status=ok');
    const [bare] = await all();
    expect(bare).toMatchObject({ status: 'approved', partnerMicros: '0' });
    expect(bare!.flags).toContain('no_sale');
    const again = `click_id=${bare!.clickId}&transaction=${prefix}1&payout=10&status=ok`;
    await desk.say(chain.network.key, `${again}&sale=a lot`);
    expect((await all())[0]!.partnerMicros).toBe('0');
    await desk.say(chain.network.key, `${again}&sale=80.50&sale_currency=USD`);
    expect(await ledger()).toEqual({ 'earn EUR': '10', 'partner USD': '8.05' });
    expect((await all())[0]!.flags).not.toContain('no_sale');
  });

  it('counts as spent in Numbers, also when it changes later', async () => {
    const chain = await desk.chain({ offer: { currency: 'EUR', ...pays() } });
    await convert(chain, 'payout=10&status=ok');
    const figures = async () => {
      await caughtUp(desk.pool, kept, errors);
      const asked = numbersAsked.parse({
        from: today,
        to: today,
        by: ['offer_id'],
        only: [{ by: 'offer_id', is: 'is', values: [chain.offer.id] }],
        having: [{ figure: 'marginMicros', is: '>', than: 3 }],
        sort: `event_${eventTypeId}_margin`,
      });
      const answer = await kept.ask(desk.deskId, asked, new AbortController().signal);
      const row = answer!.rows[0]!;
      const { spentMicros, partnerMicros, marginMicros, marginShare, profitMicros } = row.figures;
      return { spentMicros, partnerMicros, marginMicros, marginShare, profitMicros, events: row.events };
    };
    expect(await figures()).toEqual({
      spentMicros: '6100000',
      partnerMicros: '6000000',
      marginMicros: '4000000',
      marginShare: 0.4,
      profitMicros: '3900000',
      events: [{ eventTypeId, count: 1, revenueMicros: '10000000', partnerMicros: '6000000' }],
    });
    await review([(await all())[0]!.id], 'rejected');
    expect(await figures()).toMatchObject({
      spentMicros: '100000',
      partnerMicros: '0',
      marginMicros: '10000000',
      profitMicros: '9900000',
    });
    // Other desks of this database go on meanwhile.
    const differences = await verify(desk.pool, kept.open!);
    expect(differences.filter((d) => d.deskId === desk.deskId)).toEqual([]);
  });
});

describe('a partner’s ID that is known later', () => {
  it('brings what its conversions pay, and takes it away again', async () => {
    const network = await desk.make('network', {
      name: 'Kitewright direct',
      relation: 'direct',
      fields: { partner_id: { macro: '', parameter: 'aff' }, offer_id: { macro: '', parameter: 'prog' } },
    });
    await desk.make('offer', {
      name: 'Kite starter set',
      networkId: network.id,
      link: 'https://kitewright.example/1',
      currency: 'EUR',
      idAtNetwork: 'K-1',
      ...pays(),
    });
    const book = (who: string) =>
      desk.say(network.key, `aff=${who}&prog=K-1&payout=9&transaction=${prefix}${who}`);
    await book('p77');
    expect(await ledger()).toEqual({ 'earn EUR': '9', 'partner EUR': '6' });
    prefix += 'later';
    await book('c9');
    expect(await ledger()).toEqual({ 'earn EUR': '9' });
    const crake = await desk.make('partner', { name: 'Late Crake', knownAs: ['c9'] });
    await approveDue();
    expect(await ledger()).toEqual({ 'earn EUR': '9', 'partner EUR': '6' });
    const change = await desk.owner.put(`/parts/partner/${crake.id}`, {
      version: crake.version,
      body: { ...crake.body, knownAs: [] },
    });
    expect(change.status).toBe(200);
    await approveDue();
    expect(await ledger()).toEqual({ 'earn EUR': '9' });
    // It isn't looked at over and over.
    expect([...(await approveDue())]).not.toContain(desk.deskId);
  });
});
