/** Many rates at once: written together, and what was waiting for one of them converted. */
import type { Pool } from 'pg';
import type { RatesLoaded } from '@tracheon/core/contract';
import type { Rate } from '@tracheon/core/money';
import type { ReceiptRecord } from '../events/rows.ts';
import { rebookUnconverted } from '../intake/rebook.ts';

export async function keepRates(
  pool: Pool,
  judge: (receipt: ReceiptRecord) => Promise<unknown>,
  deskId: string,
  rates: readonly Rate[],
): Promise<Omit<RatesLoaded, 'problems'>> {
  // The last of a currency and day counts.
  const unique = [...new Map(rates.map((r) => [`${r.base}|${r.day}`, r])).values()];
  const { rows } = await pool.query<{ base: string }>(
    `INSERT INTO rates (desk_id, base, day, nanos) SELECT $1, * FROM unnest($2::char(3)[], $3::date[], $4::bigint[])
     ON CONFLICT (desk_id, base, day) DO UPDATE SET nanos = excluded.nanos WHERE rates.nanos <> excluded.nanos RETURNING base`,
    [deskId, unique.map((r) => r.base), unique.map((r) => r.day), unique.map((r) => String(r.nanos))],
  );
  const currencies = [...new Set(rows.map((r) => r.base))].sort();
  let converted = 0;
  for (const currency of currencies) converted += await rebookUnconverted(pool, judge, deskId, currency);
  const days = unique.map((r) => r.day).sort();
  return { rates: rows.length, currencies, from: days[0] ?? '', to: days.at(-1) ?? '', converted };
}
