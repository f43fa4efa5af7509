/** Statements to partners and advertisers: what each takes, that all of them add up to the ledger, and how partners are paid. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { payableEntries, type OpenEntry } from '@tracheon/core/billing';
import type {
  BillingLine,
  BillingOpen,
  BillingSide,
  BillingStatement,
  ManyAnswer,
  Page,
  PartRecord,
  Payment,
  PaymentState,
  Problem,
} from '@tracheon/core/contract';
import { openEntries } from '../../server/billing/openEntries.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import type { Chain } from './testDesk.ts';

const DAY_MS = 86_400_000;
let desk: SharedDesk;
let eventTypeId: string;
beforeAll(async () => {
  desk = await makeDesk();
  const { rows } = await desk.pool.query<{ id: string }>(
    `SELECT id FROM parts WHERE desk_id = $1 AND kind = 'event-type'`,
    [desk.deskId],
  );
  eventTypeId = rows[0]!.id;
});
afterAll(() => desk.close());

let serial = 0;
interface Scene {
  partner: PartRecord<'partner'>;
  chain: Chain;
  convert: (query?: string) => Promise<{ clickId: string; id: string }>;
}
async function scene(partnerMore: object = {}, payable: object = {}): Promise<Scene> {
  const partner = await desk.make('partner', { name: `Partner ${++serial}`, ...partnerMore });
  const chain = await desk.chain({
    network: { relation: 'direct' },
    offer: {
      currency: 'EUR',
      partnerPayouts: [{ eventTypeId, pays: 'fixed', amountMicros: '6000000', ...payable }],
    },
  });
  const convert = async (query = 'payout=10&status=ok') => {
    const clickId = await chain.send(`clk=${Math.random()}&bid=0.1&partner=${partner.id}`);
    await desk.say(chain.network.key, `click_id=${clickId}&transaction=B${++serial}&${query}`);
    const { rows } = await desk.pool.query<{ id: string }>(
      'SELECT id FROM conversions WHERE desk_id = $1 AND owner = $2',
      [desk.deskId, clickId],
    );
    return { clickId, id: rows[0]!.id };
  };
  return { partner, chain, convert };
}
const openOf = async (partyId: string, side: BillingSide = 'partner'): Promise<BillingOpen | undefined> =>
  (await desk.owner.get<BillingOpen[]>(`/billing/open?side=${side}`)).body.find((o) => o.partyId === partyId);
const issue = (partyId: string, more: object = {}) =>
  desk.owner.post<BillingStatement & Problem>('/billing/statements', {
    side: 'partner',
    partyId,
    currency: 'EUR',
    ...more,
  });
const linesOf = async (id: string, query = ''): Promise<Page<BillingLine>> =>
  (await desk.owner.get<Page<BillingLine>>(`/billing/statements/${id}/lines?${query}`)).body;
const age = (conversionId: string, days: number) =>
  desk.pool.query(
    'UPDATE ledger SET booked_at = booked_at - make_interval(days => $2) WHERE conversion_id = $1',
    [conversionId, days],
  );
const pay = (statementIds: string[]) =>
  desk.owner.post<Payment & Problem>('/billing/payments', { statementIds });
const move = (id: string, from: PaymentState, to: PaymentState) =>
  desk.owner.post<Payment & Problem>(`/billing/payments/${id}/move`, { from, to });
const undoable = (status: number): boolean => status === 200 || status === 201;

describe('a statement to a partner', () => {
  it('freezes what is booked; what comes later goes to the next one', async () => {
    const { partner, chain, convert } = await scene();
    const first = await convert();
    await convert('payout=10&status=wait');
    expect(await openOf(partner.id)).toMatchObject({
      conversions: 1,
      openMicros: '6000000',
      payableMicros: '6000000',
      onHoldMicros: '6000000',
      carriedMicros: '0',
    });
    const { body: one } = await issue(partner.id);
    expect(one).toMatchObject({
      partyName: partner.body.name,
      totalMicros: '6000000',
      paidMicros: '6000000',
      conversions: 1,
      adjustments: 0,
      state: 'issued',
    });
    expect((await linesOf(one.id)).rows).toMatchObject([
      { id: first.id, micros: '6000000', status: 'approved', isAdjustment: false },
    ]);
    expect((await issue(partner.id)).body.code).toBe('nothing_to_bill');
    expect(await openOf(partner.id)).toMatchObject({
      conversions: 0,
      openMicros: '0',
      onHoldMicros: '6000000',
    });

    // What the advertiser takes back after that is a line of the next period, and a debt until more is earned.
    await desk.say(chain.network.key, `click_id=${first.clickId}&status=back`);
    const { body: two } = await issue(partner.id);
    expect(two).toMatchObject({
      number: one.number + 1,
      totalMicros: '-6000000',
      paidMicros: '0',
      carriedOutMicros: '-6000000',
      adjustments: 1,
      adjustmentMicros: '-6000000',
    });
    await convert();
    await convert();
    const { body: three } = await issue(partner.id);
    expect(three).toMatchObject({
      totalMicros: '12000000',
      carriedInMicros: '-6000000',
      paidMicros: '6000000',
      carriedOutMicros: '0',
    });
    expect((await linesOf(three.id, 'limit=1')).next).not.toBeNull();
  });

  it('takes what was approved for the hold period, and never what was taken back within it', async () => {
    const { partner, chain, convert } = await scene({ payAfterDays: 7 });
    const [old, young, back] = [await convert(), await convert(), await convert()];
    await age(old.id, 8);
    await age(back.id, 8);
    await desk.say(chain.network.key, `click_id=${back.clickId}&status=back`);
    expect(await openOf(partner.id)).toMatchObject({
      conversions: 3,
      openMicros: '12000000',
      payableMicros: '6000000',
    });
    const { body } = await issue(partner.id);
    expect(body).toMatchObject({ totalMicros: '6000000', conversions: 2 });
    const held = (await linesOf(body.id)).rows.map((l) => l.id);
    expect(held.sort()).toEqual([old.id, back.id].sort());
    expect(held).not.toContain(young.id);
  });

  it('ends where it is told to', async () => {
    const { partner, convert } = await scene();
    const [early] = [await convert(), await convert()];
    await age(early.id, 5);
    const until = new Date(Date.now() - 2 * DAY_MS).toISOString();
    expect((await issue(partner.id, { until })).body).toMatchObject({ totalMicros: '6000000', until });
    expect((await issue(partner.id)).body).toMatchObject({ totalMicros: '6000000' });
  });

  it('rounds payments down and carries the rest', async () => {
    const { partner, convert } = await scene({}, { pays: 'share', amountMicros: '', percent: '33333333' });
    await convert();
    expect((await issue(partner.id)).body).toMatchObject({
      totalMicros: '3333333',
      paidMicros: '3330000',
      carriedOutMicros: '3333',
    });
    expect(await openOf(partner.id)).toMatchObject({ conversions: 0, carriedMicros: '3333' });
  });

  it('is voided with a reason, from the newest back; its entries are open again', async () => {
    const { partner, convert } = await scene();
    await convert();
    const one = (await issue(partner.id)).body;
    await convert();
    const two = (await issue(partner.id)).body;
    const voided = (id: string) =>
      desk.owner.post<BillingStatement & Problem>(`/billing/statements/${id}/void`, { reason: 'Wrong day.' });
    expect((await voided(one.id)).body.code).toBe('statement_in_use');
    expect((await voided(two.id)).body).toMatchObject({ state: 'void', voidReason: 'Wrong day.' });
    expect((await voided(two.id)).body).toMatchObject({ state: 'void' });
    expect(undoable((await voided(one.id)).status)).toBe(true);
    expect(await openOf(partner.id)).toMatchObject({ conversions: 2, openMicros: '12000000' });
    expect((await issue(partner.id)).body).toMatchObject({ totalMicros: '12000000', number: two.number + 1 });
  });

  it('is issued once, also when two members do it at once, and while conversions change', async () => {
    const { partner, convert } = await scene();
    for (let i = 0; i < 4; i++) await convert();
    const answers = await Promise.all([issue(partner.id), issue(partner.id), convert(), issue(partner.id)]);
    const issued = answers.flatMap((a) => ('body' in a && a.body.code === undefined ? [a.body] : []));
    const rest = await openOf(partner.id);
    const sum = issued.reduce((all, s) => all + BigInt(s.totalMicros), BigInt(rest?.openMicros ?? 0));
    expect(sum).toBe(5n * 6_000_000n);
  });
});

describe('a statement to an advertiser', () => {
  it('bills what was approved, whoever brought it, and tests are nobody’s', async () => {
    const { chain, convert } = await scene();
    await convert();
    await chain
      .send('clk=own&bid=0.1')
      .then((id) =>
        desk.say(chain.network.key, `click_id=${id}&payout=7&status=ok&transaction=own${++serial}`),
      );
    expect(await openOf(chain.network.id, 'advertiser')).toMatchObject({ openMicros: '17000000' });
    const { body } = await issue(chain.network.id, { side: 'advertiser' });
    expect(body).toMatchObject({ side: 'advertiser', totalMicros: '17000000', conversions: 2 });
    // The partner's side is a statement of its own.
    expect(await openOf(chain.network.id, 'advertiser')).toBeUndefined();
    expect((await issue(chain.network.id)).status).toBe(404);
  });
});

describe('a payment', () => {
  it('is approved, marked as paid and taken back, by one member at a time', async () => {
    const { partner, convert } = await scene({ email: 'pay@bittern.example' });
    await convert();
    const statement = (await issue(partner.id)).body;
    const made = (await pay([statement.id])).body;
    expect(made).toMatchObject({
      state: 'open',
      sums: [{ currency: 'EUR', micros: '6000000' }],
      rows: [{ partyName: partner.body.name, email: 'pay@bittern.example', paidMicros: '6000000' }],
    });
    expect((await pay([statement.id])).body.code).toBe('statement_in_use');
    const both = await Promise.all([move(made.id, 'open', 'approved'), move(made.id, 'open', 'approved')]);
    expect(both.map((b) => b.body.code ?? b.body.state).sort()).toEqual(['approved', 'payment_moved']);
    expect((await move(made.id, 'approved', 'dissolved')).body.code).toBe('invalid_input');
    expect((await move(made.id, 'approved', 'paid')).body.state).toBe('paid');
    const state = async () =>
      (await desk.owner.get<BillingStatement>(`/billing/statements/${statement.id}`)).body.state;
    expect(await state()).toBe('paid');
    expect(
      (await desk.owner.post<Problem>(`/billing/statements/${statement.id}/void`, { reason: 'x' })).body.code,
    ).toBe('statement_in_use');
    await move(made.id, 'paid', 'approved');
    await move(made.id, 'approved', 'open');
    expect((await move(made.id, 'open', 'dissolved')).body.state).toBe('dissolved');
    expect(await state()).toBe('issued');
    expect((await pay([statement.id])).body.state).toBe('open');
  });

  it('takes no statement of another desk, and none that pays nothing', async () => {
    const other = await makeDesk();
    const { partner, convert } = await scene({}, { pays: 'share', amountMicros: '', percent: '10000' });
    await convert();
    const small = (await issue(partner.id)).body;
    expect(small.paidMicros).toBe('0');
    expect((await pay([small.id])).body.code).toBe('statement_in_use');
    const foreign = await other.owner.post<Problem>('/billing/payments', { statementIds: [small.id] });
    expect(foreign.body.code).toBe('statement_in_use');
    expect((await other.owner.get<Problem>(`/billing/statements/${small.id}`)).status).toBe(404);
    await other.close();
  });
});

type Step = 'convert' | 'wait' | 'approve' | 'reverse' | 'reject' | 'issue' | 'void' | 'age';
it('statements, the rest and what is open are the ledger, to the micro, whatever happened', async () => {
  const steps = fc.array(
    fc.record({
      step: fc.constantFrom<Step>(
        'convert',
        'convert',
        'wait',
        'approve',
        'reverse',
        'reject',
        'issue',
        'issue',
        'void',
        'age',
      ),
      nth: fc.nat({ max: 5 }),
    }),
    { minLength: 6, maxLength: 14 },
  );
  await fc.assert(
    fc.asyncProperty(steps, fc.constantFrom(0, 3), async (all, payAfterDays) => {
      const { partner, chain, convert } = await scene(
        { payAfterDays },
        { pays: 'share', amountMicros: '', percent: '33333333' },
      );
      const made: { clickId: string; id: string }[] = [];
      const issued: string[] = [];
      for (const { step, nth } of all) {
        const one = made[nth % Math.max(1, made.length)];
        if (step === 'convert') made.push(await convert());
        else if (step === 'wait') made.push(await convert('payout=10&status=wait'));
        else if (step === 'issue') {
          const { body } = await issue(partner.id);
          if (body.code === undefined) issued.push(body.id);
        } else if (step === 'void' && issued.length > 0)
          await desk.owner.post(`/billing/statements/${issued.pop()!}/void`, { reason: 'Try.' });
        else if (!one) continue;
        else if (step === 'age') await age(one.id, 4);
        else if (step === 'reject')
          await desk.owner.post<ManyAnswer>('/conversions/review-payouts', {
            ids: [one.id],
            decision: nth % 2 === 0 ? 'rejected' : 'approved',
            reason: 'Try.',
          });
        else
          await desk.say(
            chain.network.key,
            `click_id=${one.clickId}&status=${step === 'approve' ? 'ok' : 'back'}`,
          );
      }
      await addsUp(partner, payAfterDays);
    }),
    { numRuns: 8 },
  );
});

async function addsUp({ id: partyId }: PartRecord, payAfterDays: number): Promise<void> {
  const ask = async <R extends object>(sql: string): Promise<R[]> =>
    (await desk.pool.query<R>(sql, [desk.deskId, partyId])).rows;
  const [ledger] = await ask<{ sum: string }>(
    `SELECT coalesce(sum(delta_micros), 0)::text AS sum FROM ledger WHERE desk_id = $1 AND partner_id = $2 AND kind = 'partner'`,
  );
  const statements = await ask<Record<'total' | 'entries' | 'carried_in' | 'paid' | 'carried_out', string>>(
    `SELECT total_micros AS total, carried_in_micros AS carried_in, paid_micros AS paid, carried_out_micros AS carried_out,
       (SELECT coalesce(sum(delta_micros), 0)::text FROM billing_entries b WHERE b.statement_id = s.id) AS entries
     FROM billing_statements s WHERE desk_id = $1 AND party_id = $2 AND NOT is_void ORDER BY id`,
  );
  let carried = 0n;
  let billed = 0n;
  for (const s of statements) {
    expect(s.entries).toBe(s.total);
    expect(BigInt(s.carried_in)).toBe(carried);
    expect(BigInt(s.paid) + BigInt(s.carried_out)).toBe(BigInt(s.total) + carried);
    carried = BigInt(s.carried_out);
    billed += BigInt(s.total);
  }
  const open = await openOf(partyId);
  expect(billed + BigInt(open?.openMicros ?? 0)).toBe(BigInt(ledger!.sum));
  expect(BigInt(open?.carriedMicros ?? 0)).toBe(carried);
  // What the next statement takes is what the plain rule says.
  const entries = await ask<{
    id: string;
    conversion_id: string;
    delta: string;
    at: Date;
    is_payable: boolean;
  }>(
    `SELECT e.id, conversion_id, delta_micros AS delta, booked_at AS at, is_payable
     FROM (${openEntries('partner', 'now()')}) e WHERE party_id = $2 ORDER BY e.id`,
  );
  const plain = entries.map((e): OpenEntry => ({
    id: e.id,
    conversionId: e.conversion_id,
    delta: BigInt(e.delta),
    bookedAt: e.at.getTime(),
  }));
  expect(entries.filter((e) => e.is_payable).map((e) => e.id)).toEqual(
    payableEntries(plain, Date.now() + DAY_MS, (payAfterDays + 1) * DAY_MS)
      .map((e) => e.id)
      .sort((a, b) => Number(a) - Number(b)),
  );
}
