/** One conversion folded anew, with everything that its visit and its parts say; nothing is written. */
import type { FoldedConversion } from '@tracheon/core/conversions';
import type { Reads } from '../db/pools.ts';
import { ownedOutcomes, ownerKey } from './outcomes.ts';
import { loadVisit } from './loadVisits.ts';
import { loadReading, type OwnerContext } from './ownerContext.ts';
import { foldsOf } from './ownerFold.ts';

export interface ConversionFold {
  context: OwnerContext;
  folded: FoldedConversion;
  extras: Record<string, string>;
  reported: boolean | null;
}

/** Null when it is not there, or no longer what it was. */
export async function foldOfConversion(
  client: Reads,
  deskId: string,
  conversionId: string,
): Promise<ConversionFold | null> {
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
  const folded = owned!.conversions.find((c) => c.ident === conversion.ident);
  if (!folded) return null;
  return { context: owned!.context, folded, extras: conversion.extras, reported: conversion.reported };
}
