/** Rates that bookings need, each asked for once in a transaction. */
import { localDay } from '@tracheon/core/time';
import { rateOn } from '@tracheon/core/money';
import type { Reads } from '../db/pools.ts';
import type { OwnerContext } from './ownerContext.ts';

export class Rates {
  private readonly asked = new Map<string, Promise<bigint | null>>();

  constructor(private readonly client: Reads) {}

  /** What one unit is in the desk's currency, in nanos, on the moment's day in the desk's zone; null while no rate is known. */
  on(
    { desk, deskId }: Pick<OwnerContext, 'desk' | 'deskId'>,
    currency: string,
    atMs: number,
  ): Promise<bigint | null> {
    const day = localDay(atMs, desk.zone);
    const key = `${deskId}|${currency}|${day}`;
    const known = this.asked.get(key) ?? this.load(deskId, currency, desk.currency, day);
    this.asked.set(key, known);
    return known;
  }

  private async load(deskId: string, base: string, desk: string, day: string): Promise<bigint | null> {
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
