/**
 * A postback out that was given up, built anew from the source's template and the account as they are today. Its amount
 * stays that of the change that it reports. Null when the source no longer wants it.
 */
import type { Pool } from 'pg';
import { inPipeline } from '../db/pools.ts';
import { urlToday } from './bookPostbacksOut.ts';
import { ownedOutcomes, ownerKey } from './outcomes.ts';
import { Rates } from './rates.ts';
import { foldsOf } from './ownerFold.ts';
import { loadReading, loadVisit } from './ownerContext.ts';

export interface GivenUp {
  conversionId: string;
  status: string;
}

export function postbackAgain(
  pool: Pool,
  deskId: string,
  { conversionId, status }: GivenUp,
): Promise<string | null> {
  return inPipeline(pool, async (client) => {
    const { rows } = await client.query<{
      owner: string;
      event_type_id: string;
      network_id: string;
      ident: string;
      extras: Record<string, string>;
      reported: boolean | null;
    }>(
      'SELECT owner, event_type_id, network_id, ident, extras, reported FROM conversions WHERE desk_id = $1 AND id = $2',
      [deskId, conversionId],
    );
    const [conversion] = rows;
    if (!conversion) return null;
    const [visit, { types }] = await Promise.all([
      loadVisit(client, deskId, conversion.owner),
      loadReading(client, deskId, conversion.network_id),
    ]);
    const eventType = types.find((t) => t.id === conversion.event_type_id);
    if (!visit || !eventType) return null;
    const key = ownerKey(deskId, { visitId: visit.id, eventTypeId: eventType.id });
    const all = (await ownedOutcomes(client, [visit])).get(key) ?? [];
    const callingNetwork = conversion.network_id;
    const [owned] = await foldsOf(client, [{ visit, eventType, callingNetwork, all }]);
    const { context, conversions } = owned!;
    const folded = conversions.find((c) => c.ident === conversion.ident);
    if (!folded || conversion.reported === false) return null;
    const { extras } = conversion;
    return urlToday(new Rates(client), context, folded, { id: conversionId, extras }, status);
  });
}
