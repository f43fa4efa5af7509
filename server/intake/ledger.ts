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

export class Ledger {
  constructor(
    private readonly writes: JudgementWrites,
    private readonly context: OwnerContext,
    private readonly booked: readonly Booked[],
    private readonly rates: Rates,
  ) {}

  /** Books what is missing to `c` (null: to nothing), because of this receipt. Returns what stands in the desk's currency, null while no rate is known. */
  async settle(conversionId: string, c: FoldedConversion | null, receiptId: string): Promise<bigint | null> {
    const booked = this.booked.filter((b) => b.conversion_id === conversionId);
    const target = c === null ? { hold: 0n, earn: 0n } : balances(c);
    const places = new Set(booked.map((b) => `${b.kind}|${b.currency}`));
    if (c) for (const kind of ['hold', 'earn'] as const) places.add(`${kind}|${c.currency}`);
    let stands: bigint | null = 0n;
    for (const place of places) {
      const [kind, currency] = place.split('|') as [Kind, string];
      const before = booked.find((b) => b.kind === kind && b.currency === currency);
      const balance = c?.currency === currency ? target[kind] : 0n;
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
        });
      if (balance !== 0n) stands = rate === null || stands === null ? null : stands + convert(balance, rate);
    }
    return stands;
  }
}
