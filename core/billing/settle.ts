/**
 * Statements: what a partner is paid, and what an advertiser is billed, out of entries of the ledger. An entry stands on one
 * statement; what is booked later goes to the next one. Amounts of one currency only.
 */
import { MICROS_PER_UNIT, type Micros } from '../money/index.ts';

/** Digits after the decimal mark that a payment of the currency can have; ISO 4217 through the platform's own table. */
export const currencyDigits = (currency: string): number =>
  new Intl.NumberFormat('en', { style: 'currency', currency }).resolvedOptions().maximumFractionDigits ?? 2;

export interface Settled {
  /** What is paid: whole units of the currency's smallest coin, never below zero. */
  paid: Micros;
  /** What the next statement begins with: the rest of a coin, or what is owed back. */
  carried: Micros;
}

/** Rounds down to the currency's digits. A sum below zero is a debt: nothing is paid, and the next statement begins with all of it. */
export function settle(total: Micros, carriedIn: Micros, currency: string): Settled {
  const due = total + carriedIn;
  const coin = MICROS_PER_UNIT / 10n ** BigInt(Math.min(6, currencyDigits(currency)));
  const paid = due <= 0n ? 0n : (due / coin) * coin;
  return { paid, carried: due - paid };
}

/** An entry of the ledger that no statement holds yet. */
export interface OpenEntry {
  id: string;
  conversionId: string;
  delta: Micros;
  /** In ms since 1970. */
  bookedAt: number;
}

/**
 * The entries that a statement takes: booked before `untilMs`, and approved for at least the hold period. All entries of a
 * conversion are taken together. So an advertiser that takes a conversion back within the hold period is in time. A conversion
 * whose entries add up to zero or less does not wait.
 */
export function payableEntries(entries: readonly OpenEntry[], untilMs: number, holdMs: number): OpenEntry[] {
  const byConversion = new Map<string, OpenEntry[]>();
  for (const entry of entries) {
    if (entry.bookedAt >= untilMs) continue;
    const of = byConversion.get(entry.conversionId);
    if (of) of.push(entry);
    else byConversion.set(entry.conversionId, [entry]);
  }
  return [...byConversion.values()].filter((of) => isPayable(of, untilMs - holdMs)).flat();
}

function isPayable(of: readonly OpenEntry[], before: number): boolean {
  const sum = of.reduce((all, e) => all + e.delta, 0n);
  return sum <= 0n || of.every((e) => e.delta <= 0n || e.bookedAt <= before);
}
