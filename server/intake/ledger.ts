/**
 * The ledger of one owner's conversions: what is booked is read once, and a new state is reached by entries for the
 * difference. Base effect of a change = round(new balance × rate) − what was booked before, so that a reversal nets
 * to zero. Entries are never edited and never dropped.
 */
import { balances, type FoldedConversion } from '@tracheon/core/conversions';
import { convert } from '@tracheon/core/money';
import type { JudgementWrites } from './judgementWrites.ts';
import type { OwnerContext } from './ownerContext.ts';
import type { Rates } from './rates.ts';
import type { Booked } from './standing.ts';

type Kind = Booked['kind'];
/** In the desk's currency, null while no rate is known. */
export interface Stands {
  revenue: bigint | null;
  partner: bigint | null;
}
const sideOf: Record<Kind, keyof Stands> = {
  hold: 'revenue',
  earn: 'revenue',
  partner_hold: 'partner',
  partner: 'partner',
};

type Place = Pick<Booked, 'kind' | 'currency' | 'partner_id'>;
/** Where entries add up: what one partner is owed is never another's. */
const placeOf = ({ kind, currency, partner_id }: Place): string => `${kind}|${currency}|${partner_id}`;

export class Ledger {
  constructor(
    private readonly writes: JudgementWrites,
    private readonly context: OwnerContext,
    private readonly booked: readonly Booked[],
    private readonly rates: Rates,
  ) {}

  /** Books what is missing to `c` (null: to nothing), because of this receipt. */
  async settle(conversionId: string, c: FoldedConversion | null, receiptId: string): Promise<Stands> {
    const booked = this.booked.filter((b) => b.conversion_id === conversionId);
    const places = new Map<string, Place & { balance: bigint }>();
    for (const b of booked)
      places.set(placeOf(b), { kind: b.kind, currency: b.currency, partner_id: b.partner_id, balance: 0n });
    for (const of of c === null ? [] : balances(c)) {
      const partner_id = sideOf[of.kind] === 'partner' ? this.context.visit.broughtBy : '';
      const place = { kind: of.kind, currency: of.currency, partner_id, balance: of.balance };
      places.set(placeOf(place), place);
    }
    const stands: Stands = { revenue: 0n, partner: 0n };
    for (const [place, { kind, currency, partner_id, balance }] of places) {
      const before = booked.find((b) => placeOf(b) === place);
      const delta = balance - (before?.delta ?? 0n);
      const known = booked.find((b) => b.currency === currency && b.rate !== null)?.rate ?? null;
      const rate = known ?? (c ? await this.rates.on(this.context, currency, c.convertedAt) : null);
      const base = rate === null ? null : convert(balance, rate) - (before?.base ?? 0n);
      if (delta !== 0n || (base !== null && base !== 0n))
        this.writes.ledger.push({
          desk_id: this.context.deskId,
          conversion_id: conversionId,
          kind,
          delta_micros: delta.toString(),
          currency,
          rate_nanos: rate?.toString() ?? null,
          base_delta_micros: base?.toString() ?? null,
          receipt_id: receiptId,
          partner_id,
        });
      const side = sideOf[kind];
      const sum = stands[side];
      if (balance !== 0n) stands[side] = rate === null || sum === null ? null : sum + convert(balance, rate);
    }
    return stands;
  }
}
