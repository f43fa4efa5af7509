/** The whole judgement against a model that was written from the contract alone: the same calls, in any order and batching. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import fc from 'fast-check';
import type pg from 'pg';
import { ulid } from 'ulid';
import { openPipelinedPool } from '../../server/db/pools.ts';
import { commitReceipts } from '../../server/events/commitRows.ts';
import { fromPartner, type ReceiptRecord } from '../../server/events/rows.ts';
import { judgeTogether } from '../../server/intake/judge.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { referenceModel, type Call, type Ground, type ModelConversion } from './referenceModel.ts';
import type { Chain } from './testDesk.ts';

const MINUTE = 60_000;
const DAY = 86_400_000;
const RUNS = 16;
const BASE = Math.floor(Date.now() / 1000) * 1000 - 3_600_000;
const DELAY_MINUTES = 43_200;
let desk: OwnDesk;
let judging: pg.Pool;
let chains: Record<'reported' | 'fixed' | 'difference', Chain>;

beforeAll(async () => {
  desk = await openOwnServer();
  judging = openPipelinedPool(desk.database.directUrl, 'judging', 4);
  await desk.make('event-type', { name: 'Upsell', word: 'upsell', repeats: true });
  await desk.owner.put('/rates', { base: 'USD', day: '2020-01-01', rate: '0.917' });
  const source = {
    postbackUrl: 'https://moorhen.example/x?s={status}&p={payout}&c={payout_currency}',
    reportStatuses: ['pending', 'approved', 'reversed'],
    reportAgain: 'payout',
    reportDelayMinutes: DELAY_MINUTES,
  };
  chains = {
    reported: await desk.chain({ source }),
    fixed: await desk.chain({ source, offer: { payoutMode: 'fixed', payoutMicros: '9000000' } as never }),
    difference: await desk.chain({ source, network: { payoutMeans: 'difference' } as never }),
  };
});
afterAll(async () => {
  await judging.end();
  await desk.close();
});

const of = <V extends string>(...weights: [weight: number, value: V][]): fc.Arbitrary<V> =>
  fc.oneof(...weights.map(([weight, value]) => ({ weight, arbitrary: fc.constant(value) })));

/** A call of a history that is not about anybody yet. */
const drawn = fc.record({
  who: of([10, 'visit'], [3, 'carried'], [1, 'old'], [2, 'partner'], [2, 'nobody'], [1, 'unknown']),
  transaction: of([4, ''], [6, 'A'], [1, 'B']),
  status: of([1, ''], [6, 'wait'], [5, 'ok'], [5, 'no'], [4, 'back'], [1, 'noise'], [1, 'odd']),
  event: of([9, ''], [5, 'sale'], [4, 'upsell'], [1, 'strange']),
  payout: of([8, ''], [4, '5'], [2, '7.25'], [1, '-5'], [1, '1,234']),
  currency: of([8, ''], [2, 'EUR'], [2, 'USD'], [1, 'Euros']),
  received: fc.integer({ min: 1, max: 30 }),
  converted: fc.option(fc.integer({ min: 1, max: 6 }), { freq: 4 }),
  changed: fc.oneof(
    { weight: 9, arbitrary: fc.constant(null) },
    { weight: 3, arbitrary: fc.integer({ min: 1, max: 30 }) },
    { weight: 1, arbitrary: fc.constant(5000) },
  ),
  /** Sent once more as it is, so many minutes later. */
  again: fc.option(fc.integer({ min: 0, max: 20 }), { freq: 6 }),
});
type Drawn = Parameters<typeof historyOf>[0][number];

interface Place {
  visit: string;
  carried: string;
  old: string;
  run: number;
}
function historyOf(
  all: readonly {
    who: string;
    transaction: string;
    status: string;
    event: string;
    payout: string;
    currency: string;
    received: number;
    converted: number | null;
    changed: number | null;
    again: number | null;
  }[],
  place: Place,
): Call[] {
  return all.flatMap((d) => {
    // A transaction belongs to one event of one owner, so that one alone names what it means in whatever order it comes.
    const owner = d.who === 'nobody' || d.who === 'unknown' ? 'visit' : d.who;
    const transaction =
      d.transaction === ''
        ? ''
        : `${d.transaction}-${place.run}-${owner}-${d.event === 'upsell' ? 'u' : 's'}`;
    const clicks: Record<string, string> = { visit: place.visit, carried: place.carried, old: place.old };
    const one = {
      click: d.who === 'unknown' ? `lost-${place.run}` : (clicks[d.who] ?? ''),
      partner: d.who === 'partner' ? `p${place.run}` : '',
      transaction,
      status: d.status,
      event: d.event,
      payout: d.payout,
      currency: d.currency,
      converted: d.converted === null ? null : BASE + d.converted * MINUTE,
      changed: d.changed === null ? null : BASE + d.changed * MINUTE,
    };
    const at = BASE + d.received * MINUTE;
    const times = d.again === null ? [at] : [at, at + d.again * MINUTE];
    return times.map((receivedMs) => ({ ...one, id: ulid(Date.now()), receivedMs }));
  });
}

function receiptOf(call: Call, chain: Chain): ReceiptRecord {
  const seconds = (ms: number | null): string => (ms === null ? '' : String(ms / 1000));
  const query = Object.entries({
    click_id: call.click,
    partner_id: call.partner,
    offer_id: call.partner === '' ? '' : chain.offer.id,
    transaction: call.transaction,
    status: call.status,
    event: call.event,
    payout: call.payout,
    currency: call.currency,
    conversion_time: seconds(call.converted),
    changed_time: seconds(call.changed),
  })
    .filter(([, value]) => value !== '')
    .map(([name, value]) => `${name}=${encodeURIComponent(value)}`)
    .join('&');
  return {
    deskId: desk.deskId,
    id: call.id,
    receivedMs: call.receivedMs,
    networkId: chain.network.id,
    method: 'GET',
    path: '/in/x',
    query,
    body: '',
    contentType: '',
    headers: {},
    ...fromPartner,
    addressPrefix: '',
  };
}

async function carry(chain: Chain, foreignId: string, at: number): Promise<void> {
  await desk.pool.query(
    `INSERT INTO carried_clicks (desk_id, foreign_id, visit_at, campaign_id, source_id, offer_id, batch_id)
     VALUES ($1, $2, $3, $4, $5, $6, 'by-the-test')`,
    [desk.deskId, foreignId, new Date(at), chain.campaign.id, chain.source.id, chain.offer.id],
  );
}

/** What stands of these owners, in the words of the model. */
async function standing(place: Place): Promise<ModelConversion[]> {
  const { rows } = await desk.pool.query(
    `SELECT CASE WHEN c.partner_id <> '' THEN 'p:' || c.partner_id || ':' || c.transaction ELSE c.click_id END AS owner,
       e.body->>'word' AS event, c.transaction, c.status, c.payout_micros, c.currency, c.converted_at, c.noted_micros,
       c.noted_currency, c.flags,
       (SELECT coalesce(sum(delta_micros), 0) FROM ledger l WHERE l.conversion_id = c.id AND kind = 'hold') AS hold,
       (SELECT coalesce(sum(delta_micros), 0) FROM ledger l WHERE l.conversion_id = c.id AND kind = 'earn') AS earned,
       (SELECT coalesce(sum(base_delta_micros), 0) FROM ledger l WHERE l.conversion_id = c.id) AS base,
       (SELECT coalesce(json_agg(o.url ORDER BY o.seq), '[]') FROM outbox o WHERE o.conversion_id = c.id) AS urls
     FROM conversions c JOIN parts e ON e.id = c.event_type_id
     WHERE c.desk_id = $1 AND (c.click_id = ANY ($2) OR c.partner_id = $3)`,
    [desk.deskId, [place.visit, place.carried, place.old], `p${place.run}`],
  );
  return rows.map((r) => ({
    owner: r.owner,
    event: r.event,
    transaction: r.transaction,
    status: r.status,
    micros: BigInt(r.payout_micros),
    currency: r.currency,
    convertedAt: r.converted_at.getTime(),
    noted: r.noted_micros === null ? '' : `${r.noted_micros} ${r.noted_currency}`,
    flags: [...r.flags].sort(),
    hold: BigInt(r.hold),
    earned: BigInt(r.earned),
    base: BigInt(r.base),
    told: (r.urls as string[]).map((url) => {
      const q = new URL(url).searchParams;
      const [whole = '', cents = ''] = q.get('p')!.split('.');
      const sign = whole.startsWith('-') ? -1n : 1n;
      const micros =
        sign * (BigInt(whole.replace('-', '')) * 1_000_000n + BigInt(cents.padEnd(6, '0') || '0'));
      return `${q.get('s')} ${micros} ${q.get('c')}`;
    }),
  }));
}
async function leftOver(place: Place): Promise<string> {
  const { rows } = await desk.pool.query(
    `SELECT coalesce(sum(delta_micros), 0)::text AS sum FROM ledger l
     WHERE receipt_id IN (SELECT receipt_id FROM outcomes WHERE desk_id = $1 AND (click_id = ANY ($2) OR owner LIKE $3))
       AND NOT EXISTS (SELECT 1 FROM conversions c WHERE c.id = l.conversion_id)`,
    [desk.deskId, [place.visit, place.carried, place.old], `partner:%:p${place.run}:%`],
  );
  return rows[0].sum;
}

const sorted = (all: readonly ModelConversion[]): string[] =>
  all.map((c) => JSON.stringify(c, (_, v: unknown) => (typeof v === 'bigint' ? `${v}` : v))).sort();

let runs = 0;
const seen = { calls: 0, late: 0, untimed: 0, withoutTransaction: 0, repeated: 0, illegal: 0 };
function countIn(all: readonly Drawn[], calls: readonly Call[], illegal: number): void {
  seen.calls += calls.length;
  seen.late += calls.filter((c) => c.changed !== null && c.changed < c.receivedMs).length;
  seen.untimed += calls.filter((c) => c.changed === null).length;
  seen.withoutTransaction += calls.filter((c) => c.transaction === '').length;
  seen.repeated += all.filter((d) => d.again !== null).length;
  seen.illegal += illegal;
}

const groundOf = (name: keyof typeof chains, place: Place, visitAt: number): Ground => ({
  visits: new Map([
    [place.visit, { at: visitAt, isCarried: false }],
    [place.carried, { at: BASE - 2 * DAY, isCarried: true }],
    [place.old, { at: BASE - 200 * DAY, isCarried: true }],
  ]),
  statusWords: { wait: 'pending', ok: 'approved', no: 'rejected', back: 'reversed', noise: 'ignore' },
  events: [
    { word: 'sale', repeats: false },
    { word: 'upsell', repeats: true },
  ],
  offerCurrency: 'EUR',
  fixed: name === 'fixed' ? 9_000_000n : null,
  windowMs: 90 * DAY,
  payoutMeans: name === 'difference' ? 'difference' : 'event',
  rates: { USD: { numerator: 917n, denominator: 1000n } },
  reported: ['pending', 'approved', 'reversed'],
  delayMs: DELAY_MINUTES * MINUTE,
});

it.each(['reported', 'fixed', 'difference'] as const)(
  'agrees where the payout is %s',
  async (name) => {
    const chain = chains[name];
    await fc.assert(
      fc.asyncProperty(
        fc.array(drawn, { minLength: 3, maxLength: 18 }),
        fc.infiniteStream(fc.nat()),
        async (all, mix) => {
          runs += 1;
          const place: Place = {
            visit: await chain.send(),
            carried: `c-${runs}`,
            old: `o-${runs}`,
            run: runs,
          };
          await carry(chain, place.carried, BASE - 2 * DAY);
          await carry(chain, place.old, BASE - 200 * DAY);
          const calls = historyOf(all, place);
          const wanted = referenceModel(calls, groundOf(name, place, Date.now()));
          countIn(all, calls, wanted.illegalMoves);
          const receipts = calls.map((c) => receiptOf(c, chain));
          await commitReceipts(desk.pool)(receipts);
          const mixed = receipts
            .map((r) => [mix.next().value, r] as const)
            .sort((a, b) => a[0] - b[0])
            .map(([, r]) => r);
          const cut = mix.next().value % mixed.length;
          // Two batches at once, which share one; then all of it again, in the order in which it came.
          await Promise.all([
            judgeTogether(judging, mixed.slice(0, cut + 1)),
            judgeTogether(judging, mixed.slice(cut)),
          ]);
          const last = await judgeTogether(judging, receipts);
          expect(sorted(await standing(place))).toEqual(sorted(wanted.conversions));
          expect(await leftOver(place)).toBe('0');
          expect(last.map((j, i) => [calls[i], j.outcome])).toEqual(
            calls.map((c) => [c, wanted.said.get(c.id)]),
          );
        },
      ),
      { numRuns: RUNS, seed: 20_261_127 },
    );
  },
  200_000,
);

it('has met what makes it hard, each in at least one of twenty calls', () => {
  expect(runs).toBeGreaterThanOrEqual(3 * RUNS);
  for (const [what, n] of Object.entries(seen)) expect([what, n / seen.calls >= 0.05]).toEqual([what, true]);
});
