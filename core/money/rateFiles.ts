/** Exchange rates out of files: tables with currency, day and rate, and the XML that the European Central Bank publishes. */
import { rateNanos, type Rate } from './rates.ts';

/** What a file tells, and what in it can't be read. */
export interface RatesRead {
  rates: Rate[];
  problems: { n: number; why: string }[];
}

const CURRENCY = /^[A-Z]{3}$/;
const DAY = /^\d{4}-\d{2}-\d{2}$/;
const RATE = /^\d{1,9}([.,]\d{1,9})?$/;
const ZERO = /^0*([.,]0*)?$/;
const MAX_PROBLEMS = 20;

/** Rows of a table whose first row names its columns: `currency`, `day`, `rate` in the desk's currency for one unit. */
export function ratesOfTable(rows: readonly (readonly string[])[], desk: string): RatesRead | string {
  const header = (rows[0] ?? []).map((name) => name.trim().toLowerCase());
  const at = (...names: string[]): number => header.findIndex((h) => names.includes(h));
  const [currency, day, rate] = [at('currency', 'base'), at('day', 'date'), at('rate')];
  if (currency < 0 || day < 0 || rate < 0)
    return 'Its first row must name the columns currency, day and rate.';
  const read: RatesRead = { rates: [], problems: [] };
  rows.slice(1).forEach((cells, i) => {
    const one = readRate(
      (cells[currency] ?? '').trim().toUpperCase(),
      (cells[day] ?? '').trim(),
      (cells[rate] ?? '').trim(),
    );
    if (typeof one === 'string') {
      if (read.problems.length < MAX_PROBLEMS) read.problems.push({ n: i + 1, why: one });
    } else if (one.base !== desk) read.rates.push(one);
  });
  return read;
}

function readRate(base: string, day: string, rate: string): Rate | string {
  if (!CURRENCY.test(base)) return `“${base.slice(0, 20)}” is not a currency code.`;
  if (!DAY.test(day) || Number.isNaN(Date.parse(day)))
    return `“${day.slice(0, 20)}” is not a day. Write it as YYYY-MM-DD.`;
  if (!RATE.test(rate) || ZERO.test(rate)) return `“${rate.slice(0, 20)}” is not a rate.`;
  return { base, day, nanos: rateNanos(rate.replace(',', '.')) };
}

/** Days, and currencies with their rate, in their order; attributes may stand in either kind of quotes. */
const CUBE =
  /<Cube\s+(?:time=["'](\d{4}-\d{2}-\d{2})["']|currency=["']([A-Z]{3})["']\s+rate=["'](\d{1,9}(?:\.\d{1,9})?)["'])/g;
const NANOS = 1_000_000_000n;

/** Units of each currency for one euro, by day; empty when the text is something else. */
export function ratesOfEcb(xml: string, desk: string): Rate[] {
  const days = new Map<string, Map<string, bigint>>();
  let own = new Map<string, bigint>();
  for (const [, day, currency, rate] of xml.matchAll(CUBE)) {
    if (day !== undefined) days.set(day, (own = new Map([['EUR', NANOS]])));
    else own.set(currency!, rateNanos(rate!));
  }
  return [...days].flatMap(([day, perEuro]) => {
    const desks = perEuro.get(desk) ?? 0n;
    if (desks === 0n) return [];
    return [...perEuro].flatMap(([base, nanos]) => {
      if (base === desk || nanos === 0n) return [];
      // Desk units for a euro, divided by units of the other for a euro.
      const made = (2n * desks * NANOS + nanos) / (2n * nanos);
      return made > 0n ? [{ base, day, nanos: made }] : [];
    });
  });
}
