import { describe, expect, it } from '@jest/globals';
import { offerInput, type OfferInput, type Payable } from '../contract/index.ts';
import { balances } from './balances.ts';
import { foldOwner } from './fold.ts';
import type { FoldRules, Signal } from './folded.ts';
import { partnerTerms, type PartnerTerms } from './partnerPayout.ts';

const DAY = 86_400_000;
const terms: PartnerTerms = {
  pays: { fixed: 6_000_000n, currency: 'EUR' },
  approval: 'advertiser',
  afterMs: 14 * DAY,
};
const rules = (partner: Partial<PartnerTerms>): FoldRules => ({
  repeats: false,
  payoutMeans: 'event',
  fixedPayout: null,
  defaultPayout: null,
  currency: 'EUR',
  windowEnd: Number.MAX_SAFE_INTEGER,
  partner: { ...terms, ...partner },
});
let serial = 0;
type Told = Partial<Signal> & { at: number };
const signal = ({ at, ...s }: Told): Signal => ({
  receiptId: `R${String(serial++).padStart(4, '0')}`,
  receivedAt: at,
  changedTime: null,
  conversionTime: null,
  transaction: '',
  status: 'approved',
  payout: null,
  currency: null,
  about: null,
  partnerSide: null,
  sale: null,
  ...s,
});
/** Each further one is about the conversion of the first. */
function fold(partner: Partial<PartnerTerms>, first: Told, ...more: Told[]) {
  const begin = signal(first);
  const all = [
    begin,
    ...more.map((s) => signal(s.partnerSide === undefined ? s : { ...s, about: begin.receiptId })),
  ];
  const { conversions, verdicts } = foldOwner(all, rules(partner));
  const [c] = conversions;
  return {
    revenue: c!.status,
    partner: c!.partner!,
    stands: Object.fromEntries(
      balances(c!)
        .filter((b) => b.balance !== 0n)
        .map((b) => [`${b.kind} ${b.currency}`, b.balance]),
    ),
    said: all.map((s) => verdicts.get(s.receiptId)!.verdict),
  };
}
const review = (status: Signal['status'], at = 5): Told => ({ at, status, partnerSide: 'review' });
const due = (at: number): Told => ({ at, status: 'approved', partnerSide: 'due' });

describe('a partner’s payout', () => {
  it('follows the advertiser where the advertiser decides', () => {
    const pending = fold({}, { at: 1, status: 'pending', payout: 10_000_000n });
    expect(pending.stands).toEqual({ 'hold EUR': 10_000_000n, 'partner_hold EUR': 6_000_000n });
    const approved = fold({}, { at: 1, status: 'pending', payout: 10_000_000n }, { at: 2 });
    expect(approved.stands).toEqual({ 'earn EUR': 10_000_000n, 'partner EUR': 6_000_000n });
  });

  it('leaves the revenue when it is rejected, and goes with the revenue when that is taken back', () => {
    const rejected = fold({}, { at: 1, payout: 10_000_000n }, review('rejected'));
    expect(rejected).toMatchObject({ revenue: 'approved', partner: { status: 'rejected' } });
    expect(rejected.stands).toEqual({ 'earn EUR': 10_000_000n });
    expect(rejected.said).toEqual(['accepted', 'payout_reviewed']);
    const reversed = fold({}, { at: 1, payout: 10_000_000n }, review('approved'), {
      at: 9,
      status: 'reversed',
    });
    expect(reversed.partner.status).toBe('reversed');
    expect(reversed.stands).toEqual({});
  });

  it('stays rejected when the advertiser approves afterwards, until a member decides otherwise', () => {
    const first: Told = { at: 1, status: 'pending', payout: 10_000_000n };
    expect(fold({}, first, review('rejected'), { at: 9 }).partner.status).toBe('rejected');
    expect(fold({}, first, review('rejected'), { at: 9 }, review('approved', 10)).partner.status).toBe(
      'approved',
    );
  });

  it('changes as partners are told it: in three statuses, and again where the amount is another one', () => {
    const said = (...of: Parameters<typeof fold>) =>
      fold(...of).partner.changes.map((c) => [c.at, c.before, c.status, c.payout]);
    const first = { at: 1, status: 'pending', payout: 10_000_000n } as const;
    expect(
      said(
        {},
        first,
        { at: 2, status: 'approved' },
        { at: 3, status: 'approved' },
        { at: 4, status: 'reversed' },
        review('rejected', 5),
      ),
    ).toEqual([
      [1, null, 'pending', 6_000_000n],
      [2, 'pending', 'approved', 6_000_000n],
      [4, 'approved', 'rejected', 6_000_000n],
    ]);
    const share = { pays: { share: 50_000_000n, of: 'revenue' } } as const;
    expect(said(share, first, { at: 2, status: 'pending', payout: 20_000_000n })).toEqual([
      [1, null, 'pending', 5_000_000n],
      [2, 'pending', 'pending', 10_000_000n],
    ]);
    expect(said({ approval: 'member' }, { at: 1, payout: 1n }, review('approved', 2))).toEqual([
      [1, null, 'pending', 6_000_000n],
      [2, 'pending', 'approved', 6_000_000n],
    ]);
  });

  it('waits for a member where a member decides, and is held by one', () => {
    expect(fold({ approval: 'member' }, { at: 1, payout: 1n }).partner.status).toBe('pending');
    expect(fold({ approval: 'member' }, { at: 1, payout: 1n }, review('approved')).partner.status).toBe(
      'approved',
    );
    expect(fold({}, { at: 1, payout: 1n }, review('pending')).partner.status).toBe('pending');
  });

  it('is approved after the days if it waits until then, and only then', () => {
    const days = { approval: 'days' } as const;
    const waiting = fold(days, { at: 1000, conversionTime: 500, payout: 1n });
    expect(waiting.partner).toMatchObject({ status: 'pending', dueAt: 500 + 14 * DAY });
    const end = due(500 + 14 * DAY);
    const approved = fold(days, { at: 1000, payout: 1n }, end);
    expect(approved).toMatchObject({
      partner: { status: 'approved', dueAt: null },
      said: ['accepted', 'payout_reviewed'],
    });
    expect(fold(days, { at: 1000, payout: 1n }, end, end).said[2]).toBe('duplicate');
    for (const decision of ['rejected', 'pending'] as const) {
      const held = fold(days, { at: 1000, payout: 1n }, review(decision, 2000), end);
      expect(held).toMatchObject({ partner: { status: decision, dueAt: null } });
      expect(held.said[2]).toBe('duplicate');
    }
    const back = fold(days, { at: 1000, payout: 1n }, { at: 2000, status: 'rejected' }, end);
    expect(back.partner).toMatchObject({ status: 'rejected', dueAt: null });
  });

  it('of a conversion that came long after it happened is due at once, and not before it came', () => {
    const late = fold({ approval: 'days' }, { at: 90 * DAY, conversionTime: 1, payout: 1n });
    expect(late.partner.dueAt).toBe(90 * DAY);
  });

  it('as a share follows the amount in its currency, rounded half away from zero', () => {
    const share = { pays: { share: 33_333_333n, of: 'revenue' as const } };
    const first: Told = { at: 1, payout: 10n, currency: 'USD' };
    expect(fold(share, first).stands).toEqual({ 'earn USD': 10n, 'partner USD': 3n });
    expect(fold(share, first, { at: 2, payout: 20n, currency: 'USD' }).stands).toEqual({
      'earn USD': 20n,
      'partner USD': 7n,
    });
    expect(
      fold({ pays: { share: 50_000_000n, of: 'revenue' as const } }, { at: 1, payout: -5n }).stands,
    ).toEqual({
      'earn EUR': -5n,
      'partner EUR': -3n,
    });
  });

  it('by the sale follows what the buyer paid, whenever that is told, and is 0 and flagged until then', () => {
    const sale = { pays: { share: 10_000_000n, of: 'sale' as const } };
    const told = (amount: bigint, currency: string | null = null) => ({ sale: { amount, currency } });
    const first: Told = { at: 1, payout: 9_000_000n };
    const of = (...more: Told[]) => {
      const all = [first, ...more].map(signal);
      const [c] = foldOwner(all, rules(sale)).conversions;
      return [c!.partner!.amount, c!.partner!.currency, c!.flags.includes('no_sale')];
    };
    expect(of()).toEqual([0n, 'EUR', true]);
    // The same postback again, with the sale this time.
    expect(of({ ...first, at: 2, ...told(80_000_000n) })).toEqual([8_000_000n, 'EUR', false]);
    expect(of({ ...first, at: 2, ...told(80_000_000n, 'USD') })).toEqual([8_000_000n, 'USD', false]);
    expect(
      of({ ...first, at: 2, ...told(80_000_000n) }, { at: 3, status: 'approved', ...told(60_000_000n) }),
    ).toEqual([6_000_000n, 'EUR', false]);
    // A postback that is not applied tells nothing.
    expect(of({ at: 2, status: 'pending', ...told(5n) })).toEqual([0n, 'EUR', true]);
  });

  it('is none where nobody is paid, and a decision about it says so', () => {
    const begin = signal({ at: 1, payout: 1n });
    const all = [begin, signal({ ...review('approved'), about: begin.receiptId })];
    const { conversions, verdicts } = foldOwner(all, { ...rules({}), partner: null });
    expect(conversions[0]!.partner).toBeNull();
    expect(verdicts.get(all[1]!.receiptId)!.verdict).toBe('no_partner_payout');
  });
});

const EVENT = '01EVENT0000000000000000000';
const offer = (payable: Partial<Payable>, more: Partial<OfferInput> = {}) => ({
  name: 'Kite club',
  networkId: 'N',
  link: 'https://kitewright.example/?c={click_id}',
  ...more,
  partnerPayouts: [{ eventTypeId: EVENT, pays: 'fixed' as const, amountMicros: '5000000', ...payable }],
});
const exception = { pays: 'fixed', percent: '0' } as const;

describe('the terms', () => {
  const body = offerInput.parse(
    offer({
      exceptions: [
        { ...exception, partnerId: '', country: 'NL', amountMicros: '6000000' },
        { ...exception, partnerId: 'P', country: '', amountMicros: '7000000' },
        { partnerId: 'P', country: 'NL', pays: 'share', amountMicros: '', percent: '25000000' },
      ],
    }),
  );
  const of = (partnerId: string, country: string, eventTypeId = EVENT) =>
    partnerTerms(body, { partnerId, country, eventTypeId })?.pays;
  it('are those of the narrowest row', () => {
    expect(of('Q', 'BE')).toEqual({ fixed: 5_000_000n, currency: 'EUR' });
    expect(of('Q', 'NL')).toEqual({ fixed: 6_000_000n, currency: 'EUR' });
    expect(of('P', 'BE')).toEqual({ fixed: 7_000_000n, currency: 'EUR' });
    expect(of('P', 'NL')).toEqual({ share: 25_000_000n, of: 'revenue' });
  });
  it('are none without a partner, and for another event type', () => {
    expect(of('', 'NL')).toBeUndefined();
    expect(of('P', 'NL', 'another')).toBeUndefined();
  });
});

describe('what an offer says of its partners', () => {
  const troubles = (payable: Partial<Payable>, more: Partial<OfferInput> = {}): string[] =>
    (offerInput.safeParse(offer(payable, more)).error?.issues ?? []).map(
      (i) => `${i.path.join('.')}: ${i.message}`,
    );
  const fixed = { payoutMode: 'fixed', payoutMicros: '4000000' } as const;
  it('must not lose money with each conversion, unless that is meant', () => {
    expect(troubles({}, fixed)).toEqual([
      'partnerPayouts.0.amountMicros: This is more than the advertiser pays for a conversion. Lower it, or allow it below.',
    ]);
    expect(troubles({ mayExceedRevenue: true }, fixed)).toEqual([]);
    expect(troubles({ amountMicros: '4000000' }, fixed)).toEqual([]);
    const row = { eventTypeId: EVENT, country: '', amountMicros: '9000000', validFrom: '' };
    expect(troubles({}, { ...fixed, payouts: [row] })).toEqual([]);
    // Less in one country is a loss there; what another event type pays says nothing.
    const dk = { ...row, country: 'DK', amountMicros: '3000000' };
    expect(troubles({}, { ...fixed, payouts: [row, dk] })).toHaveLength(1);
    expect(
      troubles(
        {},
        { ...fixed, payouts: [row, { ...dk, validFrom: '2026-01-01', amountMicros: '6000000' }, dk] },
      ),
    ).toEqual([]);
    expect(troubles({}, { ...fixed, payouts: [row, { ...dk, eventTypeId: 'another' }] })).toEqual([]);
  });
  it('has an amount, a share between 0 and 100 %, and each exception once', () => {
    expect(troubles({ amountMicros: '' })).toEqual([
      'partnerPayouts.0.amountMicros: Enter the amount that partners get.',
    ]);
    expect(troubles({ amountMicros: '0' })[0]).toContain('above zero');
    expect(troubles({ pays: 'share', amountMicros: '', percent: '0' })[0]).toContain('Enter a share');
    expect(troubles({ pays: 'share', amountMicros: '', percent: '100000001' })[0]).toContain('At most 100 %');
    const row = { ...exception, partnerId: 'P', country: '', amountMicros: '1' };
    expect(troubles({ exceptions: [row, row] })[0]).toContain('Another exception above');
    expect(troubles({ exceptions: [{ ...row, partnerId: '' }] })[0]).toContain('Choose a partner');
  });
});
