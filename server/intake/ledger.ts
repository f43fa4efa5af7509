/**
 * The ledger of one owner's conversions: what is booked is read once, and a new state is reached by entries for the
 * difference. Base effect of a change = round(new balance × rate) − what was booked before, so that a reversal nets
 * to zero. Entries are never edited and never dropped.
 */
import { balances, type FoldedConversion } from '@tracheon/core/conversions';
import { convert, rateOn } from '@tracheon/core/money';
import type { Pipelined } from '../db/pools.ts';
import { localDay } from '@tracheon/core/time';
import type { OwnerContext } from './ownerContext.ts';
import type { Booked } from './standing.ts';

type Kind = Booked['kind'];

export class Ledger {
  private readonly rates = new Map<string, Promise<bigint | null>>();

  constructor(
    private readonly client: Pipelined,
    private readonly context: OwnerContext,
    private readonly booked: readonly Booked[],
    private readonly receiptId: string,
  ) {}

  /** Books what is missing to `c` (null: to nothing). Returns what stands in the desk's currency, null while no rate is known. */
  async settle(conversionId: string, c: FoldedConversion | null): Promise<bigint | null> {
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
      const rate = known ?? (c ? await this.rateFor(currency, c.convertedAt) : null);
      const base = rate === null ? null : convert(balance, rate) - (before?.base ?? 0n);
      if (delta !== 0n || (base !== null && base !== 0n))
        this.enter(conversionId, kind, currency, delta, rate, base);
      if (balance !== 0n) stands = rate === null || stands === null ? null : stands + convert(balance, rate);
    }
    return stands;
  }

  private enter(
    conversionId: string,
    kind: Kind,
    currency: string,
    delta: bigint,
    rate: bigint | null,
    base: bigint | null,
  ): void {
    this.client.write(
      `INSERT INTO ledger (desk_id, conversion_id, kind, delta_micros, currency, rate_nanos, base_delta_micros, receipt_id)
       VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`,
      [
        this.context.deskId,
        conversionId,
        kind,
        delta.toString(),
        currency,
        rate?.toString() ?? null,
        base?.toString() ?? null,
        this.receiptId,
      ],
    );
  }

  /** Rate of the conversion's day in the desk's zone. */
  private rateFor(currency: string, atMs: number): Promise<bigint | null> {
    const { desk, deskId } = this.context;
    const day = localDay(atMs, desk.zone);
    const key = `${currency}|${day}`;
    const known = this.rates.get(key) ?? this.loadRate(deskId, currency, desk.currency, day);
    this.rates.set(key, known);
    return known;
  }

  private async loadRate(deskId: string, base: string, desk: string, day: string): Promise<bigint | null> {
    if (base === desk) return rateOn([], base, desk, day);
    const { rows } = await this.client.query<{ day: string; nanos: string }>(
      'SELECT day, nanos FROM rates WHERE desk_id = $1 AND base = $2 AND day <= $3 ORDER BY day DESC LIMIT 1',
      [deskId, base, day],
    );
    return rateOn(
      rows.map((r) => ({ base, day: r.day, nanos: BigInt(r.nanos) })),
      base,
      desk,
      day,
    );
  }
}
