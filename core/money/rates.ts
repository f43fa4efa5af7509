/**
 * Dated exchange rates. A rate is a decimal text (desk currency for one unit of `base`), held as an integer of
 * 1e-9, so that a conversion is exact integer arithmetic with one rounding, half away from zero.
 */
import type { Micros } from './amount.ts';

export interface Rate {
  base: string;
  /** ISO date from which it holds. */
  day: string;
  /** Rate × 10⁹. */
  nanos: bigint;
}
const NANOS = 1_000_000_000n;

export function rateNanos(text: string): bigint {
  const [whole = '0', fraction = ''] = text.split('.');
  return BigInt(whole || '0') * NANOS + BigInt(fraction.slice(0, 9).padEnd(9, '0'));
}

export function rateText(nanos: bigint): string {
  const fraction = (nanos % NANOS).toString().padStart(9, '0').replace(/0+$/, '');
  return fraction === '' ? `${nanos / NANOS}` : `${nanos / NANOS}.${fraction}`;
}

/** The latest rate on or before the day; null when there is none (the amount then stays unconverted). */
export function rateOn(rates: readonly Rate[], base: string, desk: string, day: string): bigint | null {
  if (base === desk) return NANOS;
  let best: Rate | null = null;
  for (const rate of rates)
    if (rate.base === base && rate.day <= day && (best === null || rate.day > best.day)) best = rate;
  return best?.nanos ?? null;
}

/**
 * Rates to another currency than the desk's, `of` those to the desk's: from the day on which both are known, and anew on each day
 * on which one of them changes. The desk's own currency is one of them.
 */
export function ratesTo(currency: string, desk: string, of: readonly Rate[]): Rate[] {
  if (currency === desk) return [...of];
  const byBase = new Map<string, Rate[]>([[desk, [{ base: desk, day: '', nanos: NANOS }]]]);
  for (const rate of of) byBase.set(rate.base, [...(byBase.get(rate.base) ?? []), rate]);
  const own = inOrderOfDays(byBase.get(currency) ?? []);
  byBase.delete(currency);
  return [...byBase].flatMap(([base, rates]) => {
    const theirs = inOrderOfDays(rates);
    const days = [...new Set([...theirs, ...own].map((r) => r.day))].filter((d) => d !== '').sort();
    let [i, k] = [-1, -1];
    return days.flatMap((day) => {
      while (theirs[i + 1] && theirs[i + 1]!.day <= day) i += 1;
      while (own[k + 1] && own[k + 1]!.day <= day) k += 1;
      const [from, to] = [theirs[i]?.nanos, own[k]?.nanos];
      return from === undefined || to === undefined
        ? []
        : [{ base, day, nanos: (from * NANOS + to / 2n) / to }];
    });
  });
}
const inOrderOfDays = (rates: readonly Rate[]): Rate[] => [...rates].sort((a, b) => (a.day < b.day ? -1 : 1));

/** From one currency into another by the rates of both to the desk's; one rounding, half away from zero. */
export function convertBetween(micros: Micros, fromNanos: bigint, toNanos: bigint): Micros {
  const product = micros * fromNanos;
  const half = toNanos / 2n;
  return product >= 0n ? (product + half) / toNanos : -((-product + half) / toNanos);
}

/** amount × rate, rounded half away from zero, so that convert(−x) = −convert(x). */
export function convert(micros: Micros, nanos: bigint): Micros {
  const product = micros * nanos;
  const half = NANOS / 2n;
  return product >= 0n ? (product + half) / NANOS : -((-product + half) / NANOS);
}
